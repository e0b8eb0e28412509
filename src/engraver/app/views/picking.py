"""Picking a tone or a colour on the plate: from the full-size pixels of what enters the chosen step."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF

from engraver.core.engine import Request
from engraver.core.errors import Watch
from engraver.core.raster import Pixels

from ..looking import PlateViewPicture, under_pointer
from ..ui import Ui


def pick(ui: Ui, look: PlateViewPicture | None, share: QPointF, scale: float) -> None:
    """The mean of what the pointer covers at a place, for the field that waits for it.

    ``share`` is the place, 0..1 across and down; ``scale`` screen pixels per full-size pixel.
    """
    name, step, line = ui.hand.brush.picking, ui.studio.step, ui.studio.attempt(ui.studio.line)
    inside = 0 <= share.x() < 1 and 0 <= share.y() < 1
    if look is not None and step is not None and line is not None and inside:
        engine, uid, covered = ui.studio.engine, step.uid, max(1.0, 1 / max(scale, 1e-6))

        def work(check: Watch) -> Pixels:
            entering = engine.evaluate(line, Request(upto=uid, before=True, exact=True), check).raster
            return under_pointer(entering, (share.x(), share.y()), covered)

        def done(value: Pixels) -> None:
            if ui.studio.step is not None and ui.studio.step.uid == uid:
                _tell(ui, name, value)

        ui.pictures.ask("", work, done)
    ui.hand.set(picking="")


def _tell(ui: Ui, name: str, value: Pixels) -> None:
    if name.startswith("pick-"):
        ui.hand.picked.emit(name, float(value.mean()))
    elif value.size == 1:
        ui.studio.told.emit("What enters this step is grey already: there is no colour to pick.", "look")
    else:
        red, green, blue = (round(float(np.clip(v, 0, 1)), 4) for v in value)
        ui.hand.picked.emit(name, (red, green, blue))
