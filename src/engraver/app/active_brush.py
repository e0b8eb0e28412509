"""The brush in the hand: which stroke the next gesture paints. Not part of the project."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, Signal

from engraver.core.params import BrushSettings, specs

from .editor_kinds import EDITOR_KINDS, Paint

SETTINGS = specs(BrushSettings)
_NEW = BrushSettings()


@dataclass(frozen=True, slots=True)
class Brush:
    """What the next stroke is: what :class:`BrushSettings` declares, and besides ``anchor``, the picked place in
    source shares; ``chosen``, the digest of a stroke that is to be changed; ``picking``, what the next press on
    the plate picks."""

    tag: str = ""
    radius: float = _NEW.radius
    anchor: tuple[float, float] | None = None
    flipped: bool = False
    picking: str = ""
    strength: float = _NEW.strength
    soft: float = _NEW.soft
    arms: int = _NEW.arms
    mirror: bool = False
    practice: bool = False
    pressure: float = 1.0
    tip: bytes = b""
    tip_plate: str = ""
    tip_name: str = ""
    spacing: float = _NEW.spacing
    turn: float = _NEW.turn
    vary: float = _NEW.vary
    chosen: str = ""

    @property
    def tipped(self) -> bool:
        """Whether a plate is laid along its strokes."""
        return bool(self.tip or self.tip_plate)

    @property
    def words(self) -> str:
        """What multiplies a stroke, so that nothing hidden spoils it."""
        said = {
            self.tip_name: self.tipped, f"{self.arms} arms": self.arms > 1, "mirrored": self.mirror,
            "practice pen": self.practice,
        }  # fmt: skip
        return " · ".join(words for words, on in said.items() if on)


class ActiveBrush(QObject):
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
        brush, size = replace(self.brush, **changes), SETTINGS["radius"]  # type: ignore[arg-type]
        assert size.lo is not None and size.hi is not None
        brush = replace(brush, radius=min(size.hi, max(size.lo, brush.radius)))
        if brush != self.brush:
            self.brush = brush
            self.changed.emit()

    def paint_for(self, editor: str) -> Paint | None:
        """What the brush says in a step with this editor; its first word when the tag is another step's."""
        paints = EDITOR_KINDS[editor].paints if editor in EDITOR_KINDS else ()
        return next((p for p in paints if p.tag == self.brush.tag), paints[0] if paints else None)
