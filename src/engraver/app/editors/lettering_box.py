"""The settings of lettering that no row has: the font, its weight where that varies, and turning into outlines."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget
from shiboken6 import isValid

from engraver.core.errors import EngraverError
from engraver.core.params import specs
from engraver.core.raster import Facts
from engraver.core.recipe import Step, edits
from engraver.core.shapes.font import FontFile
from engraver.core.shapes.lettering import has_weights
from engraver.core.steps.lettering import Lettering, as_shape

from ..ui import Ui, named
from .rows import row_for
from .seen import Seen

_SHIPPED = "Inter"


class LetteringBox(QWidget):
    """Font and weight of a :class:`Lettering`."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(8))
        row = QHBoxLayout()
        row.setContentsMargins(ui.px(12), 0, 0, 0)
        row.addWidget(QLabel("Font"))
        self.name = named(QLabel(_SHIPPED), "second")
        row.addWidget(self.name, 1)
        self.choose = named(QPushButton("From a file…"), "link")
        self.choose.setToolTip("A TTF or OTF file; it is kept in the project")
        self.choose.clicked.connect(self._ask)
        self.back = named(QPushButton("Inter"), "link")
        self.back.setToolTip("The font that ships")
        self.back.clicked.connect(lambda: self._set(None))
        row.addWidget(self.choose)
        row.addWidget(self.back)
        box.addLayout(row)
        self.weight = row_for(ui, specs(Lettering)["weight"])
        self.weight.edited.connect(lambda value: self.edited.emit({"weight": value}))
        self.weight.finished.connect(self.finished)
        box.addWidget(self.weight)
        inset = QHBoxLayout()
        inset.setContentsMargins(ui.px(12), 0, 0, 0)
        self.convert = named(QPushButton("Turn into outlines"), "profile")
        self.convert.setToolTip("The words become a shape with handles: they need no font, and cannot be retyped")
        self.convert.setFixedHeight(ui.px(26))
        self.convert.clicked.connect(self._convert)
        inset.addWidget(self.convert)
        box.addLayout(inset)
        self._step: Step | None = None

    def _set(self, font: FontFile | None) -> None:
        self.edited.emit({"font": font})
        self.finished.emit()

    def _ask(self) -> None:
        path = self.ui.files.open(self, "A font", "font", "Fonts (*.ttf *.otf *.ttc)")
        if path is not None:
            self.bring_in(path)

    def bring_in(self, path: Path) -> None:
        """Take a font file in, read off the window's thread and tried before it is used."""

        def work(check: object) -> FontFile:
            font = FontFile.read(path)
            has_weights(font)
            return font

        def done(font: FontFile) -> None:
            if isValid(self):
                self._set(font)

        self.ui.pictures.ask("", work, done)

    def _convert(self) -> None:
        """One shape in the step's place, as one entry."""
        step, studio = self._step, self.ui.studio
        if step is None or studio.plate is None:
            return
        params, plate = step.params, studio.plate.id
        assert isinstance(params, Lettering)

        def change() -> None:
            line = studio.line()
            assert line is not None
            on = line.facts[line.place_before(step.uid)]
            shape = as_shape(params, on.height, on.width, on.wrap)
            made = Step.make("shapes", items=(shape,), meets=params.meets, amount=params.amount,
                             where=params.where)  # fmt: skip
            place = [s.uid for s in studio.steps].index(step.uid)
            project = edits.insert_step(edits.remove_step(studio.project, plate, step.uid), plate, made, place)
            studio.edit(project, "Words into outlines")
            studio.choose_step(made.uid)

        studio.attempt(change)

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model."""
        params, self._step = step.params, step
        assert isinstance(params, Lettering)
        name = _SHIPPED if params.font is None else params.font.name
        room = self.ui.px(90)
        self.name.setText(self.name.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, room))
        self.name.setToolTip(name if params.font is not None else "Inter, which ships with the program")
        self.back.setVisible(params.font is not None)
        try:
            varies = has_weights(params.font)
        except EngraverError:  # the card tells
            varies = False
        self.weight.setVisible(varies)
        self.weight.show_value(params.weight, Facts(1, 1))
