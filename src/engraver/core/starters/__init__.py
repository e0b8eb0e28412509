"""Starters: finished examples that open as a line of live steps, and plates that begin with one step alone."""

from .from_nothing import from_nothing
from .kind import Starter
from .shipped import STARTERS, starter

__all__ = ["STARTERS", "Starter", "from_nothing", "starter"]
