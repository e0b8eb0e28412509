"""The cabinet: alphas and brushes kept across projects, found again by words and by likeness."""

from .entry import Entry, Query
from .likeness import likeness
from .store import Cabinet, CabinetTrouble

__all__ = ["Cabinet", "CabinetTrouble", "Entry", "Query", "likeness"]
