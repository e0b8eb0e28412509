"""A tip: round or nothing, or any plate of the project, followed as it changes or taken over as it is now."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget
from shiboken6 import isValid

from engraver.core.engine import Request, resolve
from engraver.core.errors import Watch
from engraver.core.pressing.tip import TIP_SIDE, packed_tip

from ..ui import Ui, named
from .rows import Choice

_TAKEN = "taken"


class TipBox(QWidget):
    """A list of plates. ``chosen`` tells the id of the plate to follow, or the tip taken over and its name."""

    chosen = Signal(str, bytes, str)

    def __init__(self, ui: Ui, none: str = "Round") -> None:
        super().__init__()
        self.ui, self._none = ui, none
        column = QVBoxLayout(self)
        column.setContentsMargins(ui.px(12), 0, 0, 0)
        column.setSpacing(0)
        row = QHBoxLayout()
        label = QLabel("Tip")
        label.setFixedWidth(ui.px(84))
        row.addWidget(label)
        self.box = Choice(ui)
        self.box.setAccessibleName("Tip")
        self.box.setToolTip("Round, or a plate whose finished heights are laid along the stroke and follow it")
        self.box.activated.connect(self._chosen)
        row.addWidget(self.box, 1)
        column.addLayout(row)
        self.take = named(QPushButton("Take over as it is now"), "link")
        self.take.setToolTip("The plate's later changes are not followed any more")
        self.take.clicked.connect(self._take_over)
        column.addWidget(self.take)

    def follow(self, plate: str, taken: str = "") -> None:
        """Offer the other plates; show the one that is followed, or the name of one taken over."""
        studio = self.ui.studio
        others = [(p.id, p.name) for p in studio.project.plates if p.id != studio.plate_id]
        kept = [(_TAKEN, f"{taken}, as it was")] if taken and not plate else []
        self.box.offer([("", self._none), *kept, *others])
        self.box.setCurrentIndex(max(0, self.box.findData(plate or (_TAKEN if taken else ""))))
        self.take.setVisible(bool(plate))

    def _chosen(self, place: int) -> None:
        plate = self.box.itemData(place)
        if plate != _TAKEN:
            self.chosen.emit(plate, b"", self.box.itemText(place) if plate else "")

    def _take_over(self) -> None:
        plate, name, studio = self.box.currentData(), self.box.currentText(), self.ui.studio
        project, engine, sources = studio.project, studio.engine, studio.sources

        def work(check: Watch) -> bytes:
            line = resolve(project, plate, sources)
            return packed_tip(engine.evaluate(line, Request(side=TIP_SIDE, exact=True), check).raster)

        def done(tip: bytes) -> None:
            if isValid(self):
                self.chosen.emit("", tip, name)

        self.ui.pictures.ask("", work, done)
