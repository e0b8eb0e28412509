"""Match: the plate whose tones are reached, followed as it changes or taken over as it is now."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget
from shiboken6 import isValid

from engraver.core.engine import Request, resolve
from engraver.core.errors import Watch
from engraver.core.params import CurvePoints, specs
from engraver.core.recipe import Step
from engraver.core.steps.kind import PLATE_SIDE
from engraver.core.steps.tone import Match, distribution

from ..ui import Ui, named
from .rows import Choice
from .seen import Seen

_TAKEN = "taken"


class MatchBox(QWidget):
    """A list of the other plates."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(12), 0, 0, 0)
        box.setSpacing(ui.px(2))
        row = QHBoxLayout()
        row.addWidget(QLabel(specs(Match)["plate"].label), 2)
        self.box = Choice(ui)
        self.box.setAccessibleName("Tones of")
        self.box.activated.connect(self._chosen)
        row.addWidget(self.box, 3)
        box.addLayout(row)
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        box.addWidget(self.words)
        self.take = named(QPushButton("Take over as it is now"), "link")
        self.take.setToolTip("The plate's later changes are not followed any more")
        self.take.clicked.connect(self._take_over)
        box.addWidget(self.take)

    def show_step(self, step: Step, seen: Seen) -> None:
        """Offer the other plates of the project; show which one is followed."""
        params, studio = step.params, self.ui.studio
        if not isinstance(params, Match):
            return
        others = [(p.id, p.name) for p in studio.project.plates if p.id != studio.plate_id]
        taken = params.tones != specs(Match)["tones"].default and not params.plate
        first = (_TAKEN, "Taken over") if taken else ("", "Choose a plate…")
        self.box.offer([first, *others])
        self.box.setCurrentIndex(max(0, self.box.findData(params.plate)) if params.plate else 0)
        words = "Its tones as they were then; choose a plate to follow it." if taken else ""
        self.words.setText("Its changes are followed." if params.plate else words)
        self.words.setVisible(bool(self.words.text()))
        self.take.setVisible(bool(params.plate))

    def _chosen(self, place: int) -> None:
        plate = self.box.itemData(place)
        if plate and plate != _TAKEN:
            self.edited.emit({"plate": plate})
            self.finished.emit()

    def _take_over(self) -> None:
        plate, studio = self.box.currentData(), self.ui.studio
        project, engine, sources, uid = studio.project, studio.engine, studio.sources, studio.step_uid

        def work(check: Watch) -> CurvePoints:
            line = resolve(project, plate, sources)
            return distribution(engine.evaluate(line, Request(side=PLATE_SIDE, exact=True), check).raster)

        def done(tones: CurvePoints) -> None:
            if isValid(self) and studio.step_uid == uid:
                self.edited.emit({"tones": tones, "plate": ""})
                self.finished.emit()

        self.ui.pictures.ask("", work, done)
