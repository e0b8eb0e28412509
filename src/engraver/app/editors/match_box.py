"""Match: the plate whose tones are taken over."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget
from shiboken6 import isValid

from engraver.core.engine import Request, resolve
from engraver.core.errors import EngraverError
from engraver.core.params.fields import CurvePoints
from engraver.core.steps.tone import distribution

from ..jobs import Check
from ..ui import Ui, named
from .rows import Choice

_SIDE = 1024


class MatchBox(QWidget):
    """Choosing a plate looks at its finished tones and keeps them here; later changes there do not follow."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(12), 0, 0, 0)
        row = QHBoxLayout()
        row.addWidget(QLabel("Tones of"), 2)
        self.box = Choice(ui)
        self.box.setAccessibleName("Tones of")
        self.box.activated.connect(self._chosen)
        row.addWidget(self.box, 3)
        box.addLayout(row)
        words = named(QLabel("Taken as they are now; choose the plate again to renew them."), "second")
        words.setWordWrap(True)
        box.addWidget(words)

    def show_plates(self) -> None:
        """Offer the other plates of the project."""
        studio = self.ui.studio
        others = [(p.id, p.name) for p in studio.project.plates if p.id != studio.plate_id]
        self.box.offer([("", "Choose a plate…"), *others])

    def _chosen(self, place: int) -> None:
        plate = self.box.itemData(place)
        if not plate:
            return
        studio = self.ui.studio
        project, engine, sources, uid = studio.project, studio.engine, studio.sources, studio.step_uid

        def work(check: Check) -> CurvePoints:
            line = resolve(project, plate, sources)
            return distribution(engine.evaluate(line, Request(side=_SIDE), check).raster)

        def done(tones: CurvePoints) -> None:
            if isValid(self) and studio.step_uid == uid:
                self.edited.emit({"tones": tones})
                self.finished.emit()

        def failed(error: EngraverError) -> None:
            studio.told.emit(error.sentence(), "look")

        self.ui.pictures.errand(work, done, failed)
