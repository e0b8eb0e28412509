"""A tip: round or nothing, or any plate of the project as it is finished now."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QWidget
from shiboken6 import isValid

from engraver.core.engine import Request, resolve
from engraver.core.errors import EngraverError
from engraver.core.numeric import resample
from engraver.core.numeric.tone import luma
from engraver.core.proof.scene import squared
from engraver.core.readiness.deliver import heights

from ..jobs import Check
from ..ui import Ui
from .rows import Choice

SIDE = 256


class TipBox(QWidget):
    """A list of plates; the chosen one is looked at once and kept in the strokes that it makes."""

    chosen = Signal(bytes, str)

    def __init__(self, ui: Ui, none: str = "Round") -> None:
        super().__init__()
        self.ui, self._none = ui, none
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(12), 0, 0, 0)
        label = QLabel("Tip")
        label.setFixedWidth(ui.px(84))
        row.addWidget(label)
        self.box = Choice(ui)
        self.box.setAccessibleName("Tip")
        self.box.setToolTip("Round, or a plate whose finished heights are laid along the stroke")
        self.box.activated.connect(self._chosen)
        row.addWidget(self.box, 1)

    def follow(self, name: str) -> None:
        """Offer the other plates; show which one is taken, by its name."""
        studio = self.ui.studio
        others = [(p.id, p.name) for p in studio.project.plates if p.id != studio.plate_id]
        self.box.offer([("", self._none), *others])
        self.box.setCurrentIndex(max(0, self.box.findText(name)) if name else 0)

    def _chosen(self, place: int) -> None:
        plate, name, studio = self.box.itemData(place), self.box.itemText(place), self.ui.studio
        if not plate:
            self.chosen.emit(b"", "")
            return
        project, engine, sources = studio.project, studio.engine, studio.sources

        def work(check: Check) -> bytes:
            raster = engine.evaluate(resolve(project, plate, sources), Request(side=SIDE), check).raster
            tones = squared(np.clip(np.abs(heights(luma(raster.flat()), raster.zero)), 0, 1).astype(np.float32))
            tones = resample.resize(tones, SIDE, SIDE) if tones.shape != (SIDE, SIDE) else tones
            return (np.clip(tones, 0, 1) * 65535 + 0.5).astype("<u2").tobytes()

        def done(tip: bytes) -> None:
            if isValid(self):
                self.chosen.emit(tip, name)

        def failed(error: EngraverError) -> None:
            studio.told.emit(error.sentence(), "look")

        self.ui.pictures.errand(work, done, failed)
