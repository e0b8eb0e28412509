"""Starters: finished examples that open as a line of live steps."""

from .kind import Starter
from .shipped import STARTERS, starter

__all__ = ["STARTERS", "Starter", "starter"]
