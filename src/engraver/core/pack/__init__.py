"""Packs: plates and brushes delivered together, with pictures, settings and a read-me; strangers' packs opened."""

from .build import PieceFailed, build
from .listing import PackFile
from .opened import Opened, open_pack
from .plan import Piece, Planned, plan

__all__ = ["Opened", "PackFile", "Piece", "PieceFailed", "Planned", "build", "open_pack", "plan"]
