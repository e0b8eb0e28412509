"""What frames with grips share: where corners and sides lie, turned ways, and the pointer over each grip."""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from PySide6.QtCore import QPointF, Qt

# By the name of the grip: which way from the middle it lies, x to the right and y down.
CORNERS: Mapping[str, tuple[int, int]] = MappingProxyType(
    {"nw": (-1, -1), "ne": (1, -1), "se": (1, 1), "sw": (-1, 1)}
)
SIDES: Mapping[str, tuple[int, int]] = MappingProxyType({"n": (0, -1), "e": (1, 0), "s": (0, 1), "w": (-1, 0)})
# How near the pointer meets a grip, in pixels of the screen.
GRAB = 11.0
CURSORS: Mapping[str, Qt.CursorShape] = MappingProxyType({
    "nw": Qt.CursorShape.SizeFDiagCursor, "se": Qt.CursorShape.SizeFDiagCursor,
    "ne": Qt.CursorShape.SizeBDiagCursor, "sw": Qt.CursorShape.SizeBDiagCursor,
    "n": Qt.CursorShape.SizeVerCursor, "s": Qt.CursorShape.SizeVerCursor,
    "e": Qt.CursorShape.SizeHorCursor, "w": Qt.CursorShape.SizeHorCursor,
    "turn": Qt.CursorShape.PointingHandCursor, "move": Qt.CursorShape.SizeAllCursor,
})  # fmt: skip


def turned(x: float, y: float, degrees: float) -> QPointF:
    """A way turned clockwise."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return QPointF(c * x - s * y, s * x + c * y)
