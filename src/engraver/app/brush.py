"""The brush in the hand: which stroke the next gesture paints. Not part of the project."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Literal

from PySide6.QtCore import QObject, Signal

Tone = Literal["good", "fault", "accent", "look"]
SMALLEST, LARGEST = 0.002, 0.5


@dataclass(frozen=True, slots=True)
class Paint:
    """One thing a step's strokes can say. ``picks``: the stroke takes from a place picked before."""

    tag: str
    label: str
    help: str
    tone: Tone
    picks: bool = False


PAINTS: Mapping[str, tuple[Paint, ...]] = MappingProxyType({
    "heal": (
        Paint("auto", "Automatic", "A fitting piece is found nearby.", "accent"),
        Paint("from", "From here", "The right button, or H, picks the piece; the arrow tells the way.", "look", True),
    ),
    "isolate": (
        Paint("keep", "Keep", "Paint over what is to stay; it grows to the borders. (K)", "good"),
        Paint("remove", "Remove", "Paint over what goes; it grows to the borders. (M)", "fault"),
    ),
    "remove-form": (
        Paint("out", "Leave out", "These areas do not count when the form is found.", "fault"),
        Paint("in", "Only here", "The form is found from these areas alone.", "good"),
    ),
    "even-light": (
        Paint("out", "Leave out", "These areas do not count when the light is found.", "fault"),
        Paint("in", "Only here", "The light is found from these areas alone.", "good"),
    ),
})  # fmt: skip


@dataclass(frozen=True, slots=True)
class Brush:
    """``radius`` is a share of the source's shorter side; ``anchor`` the picked place in source
    shares; ``picking`` the colour field that the next press on the plate sets."""

    tag: str = ""
    radius: float = 0.025
    anchor: tuple[float, float] | None = None
    flipped: bool = False
    picking: str = ""


class Hand(QObject):
    """Holds the brush and tells when it changes."""

    changed = Signal()
    picked = Signal(str, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.brush = Brush()

    def set(self, **changes: object) -> None:
        """Change the brush; its size stays in its range."""
        brush = replace(self.brush, **changes)  # type: ignore[arg-type]
        brush = replace(brush, radius=min(LARGEST, max(SMALLEST, brush.radius)))
        if brush != self.brush:
            self.brush = brush
            self.changed.emit()

    def paint_for(self, editor: str) -> Paint | None:
        """What the brush says in a step with this editor; its first word when the tag is another step's."""
        paints = PAINTS.get(editor, ())
        return next((p for p in paints if p.tag == self.brush.tag), paints[0] if paints else None)
