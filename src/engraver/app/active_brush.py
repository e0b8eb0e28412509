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
    "hand": (
        Paint("raise", "Raise", "Lays height on. (K)", "good"),
        Paint("cut", "Cut", "Takes height away. (M)", "fault"),
        Paint("level", "To a level", "Brings to the height where the stroke begins.", "accent"),
        Paint("smooth", "Smooth", "Smooths what is under the brush.", "look"),
        Paint("smudge", "Smudge", "Carries heights along the stroke.", "look"),
        Paint("zero", "To zero", "Brings to the height that leaves a surface untouched.", "accent"),
    ),
    "even-light": (
        Paint("out", "Leave out", "These areas do not count when the light is found.", "fault"),
        Paint("in", "Only here", "The light is found from these areas alone.", "good"),
    ),
})  # fmt: skip


@dataclass(frozen=True, slots=True)
class Brush:
    """What the next stroke is. ``radius`` is a share of the source's shorter side; ``anchor`` the picked
    place in source shares; ``chosen`` the digest of a stroke that is to be changed; ``picking`` what the
    next press on the plate picks."""

    tag: str = ""
    radius: float = 0.025
    anchor: tuple[float, float] | None = None
    flipped: bool = False
    picking: str = ""
    strength: float = 0.2
    soft: float = 0.6
    arms: int = 1
    mirror: bool = False
    practice: bool = False
    pressure: float = 1.0
    tip: bytes = b""
    tip_name: str = ""
    spacing: float = 0.6
    turn: float = 0.0
    vary: float = 0.0
    chosen: str = ""

    @property
    def words(self) -> str:
        """What multiplies a stroke, so that nothing hidden spoils it."""
        said = {
            self.tip_name: bool(self.tip), f"{self.arms} arms": self.arms > 1, "mirrored": self.mirror,
            "practice pen": self.practice,
        }  # fmt: skip
        return " · ".join(words for words, on in said.items() if on)


class Hand(QObject):
    """Holds the brush and tells when it changes."""

    changed = Signal()
    picked = Signal(str, object)
    toned = Signal(float)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.brush = Brush()
        self.toned_at: float | None = None

    def mark_tone(self, tone: float) -> None:
        """A tone was pressed on the plate: its editor shows where it lies."""
        self.toned_at = tone
        self.toned.emit(tone)

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
