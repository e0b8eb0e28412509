"""Handles on the plate: what a press, a drag and a release mean for the chosen step."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Protocol

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from engraver.core.recipe import Step

from ..editor_kinds import editor_of
from ..ui import Ui
from .corner_handles import CornerHandles
from .crop_handles import CropHandles
from .frame_handles import FrameHandles
from .framed import FRAMED
from .outline_handles import OutlineHandles
from .stroke_hand import StrokeHand

Size = tuple[float, float]


class Handle(Protocol):
    """Places are shares of the picture shown; ``size`` its full size in pixels, ``scale`` screen pixels per pixel."""

    def grip_at(self, step: Step, share: QPointF, size: Size, scale: float) -> str: ...

    def start(self, step: Step, grip: str, share: QPointF, size: Size) -> None: ...

    def moved(self, share: QPointF) -> dict[str, Any]: ...

    def finished(self) -> dict[str, Any]: ...

    def cursor(self, grip: str) -> Qt.CursorShape: ...

    def paint(self, painter: QPainter, step: Step, size: Size, target: QRectF) -> None: ...


class Keyed(Handle, Protocol):
    """Handles with items that can be chosen, which keys then move and take out."""

    def wants(self, step: Step, key: int, size: Size) -> bool: ...

    def key(self, step: Step, key: int, size: Size, far: bool) -> dict[str, Any]: ...


class Offering(Handle, Protocol):
    """Handles with things of which the right button offers what can be done with them."""

    def menu_at(self, step: Step, share: QPointF, size: Size, scale: float) -> dict[str, dict[str, Any]]: ...


class PlateHandles:
    """The handles of each kind of editor; those with strokes share theirs."""

    def __init__(self, ui: Ui) -> None:
        self.crop, self.corners, self.strokes = CropHandles(ui), CornerHandles(ui), StrokeHand(ui)
        self.outline = OutlineHandles(ui, self.strokes)
        self.frames = FrameHandles(ui)
        self.keyed: tuple[Keyed, ...] = (self.frames, self.strokes)
        self.offering: tuple[Offering, ...] = (self.frames, self.outline)
        self._by_editor: Mapping[str, Callable[[Step], Handle | None]] = {
            "crop": lambda step: self.crop,
            "corners": lambda step: self.corners if getattr(step.params, "how", "") == "corners" else None,
            **{id: lambda step: self.strokes if self.strokes.works_on(step) else self.frames for id in FRAMED},
            "falloff": lambda step: self.outline if self.outline.works_on(step) else None,
        }

    def with_shift(self, held: bool) -> None:
        """With Shift a stroke is straight, frames are chosen besides others, and an outline is a hole."""
        self.strokes.straight = self.frames.more = self.outline.more = held

    def for_step(self, step: Step | None) -> Handle | None:
        """The handles a step is edited with on the plate, if any."""
        if step is None or not step.on:
            return None
        found = self._by_editor.get(editor_of(step).id)
        if found is not None:
            return found(step)
        return self.strokes if self.strokes.works_on(step) else None
