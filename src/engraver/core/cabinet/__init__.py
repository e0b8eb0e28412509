"""The cabinet: alphas and brushes kept across projects, found again by words and by likeness."""

from . import drawers
from .entry import Entry, Listed, Query
from .likeness import likeness
from .rows import CabinetTrouble
from .store import Cabinet

__all__ = ["Cabinet", "CabinetTrouble", "Entry", "Listed", "Query", "drawers", "likeness"]
