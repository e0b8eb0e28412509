"""The foot of the proof on paper: ink and ground, how the marks build up, and trying a mask."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QColorDialog, QHBoxLayout, QLabel, QPushButton, QWidget

from engraver.core.surfaces.view import Colour

from ..editors.slider import Slider
from ..ui import Ui, named

_NAMES = (("ink", "Ink"), ("ground", "Ground"), ("second", "Second"))


class Swatch(QPushButton):
    """A colour that can be pressed to choose another."""

    def __init__(self, ui: Ui, name: str, words: str) -> None:
        super().__init__()
        self._ui, self.name, self.colour = ui, name, (0, 0, 0)
        self.setFixedSize(ui.px(24), ui.px(24))
        self.setToolTip(f"{words}: press to choose another colour")
        self.setAccessibleName(words)

    def show_colour(self, colour: Colour) -> None:
        self.colour = colour
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self._ui.colour("accent" if self.hasFocus() else "on_bar"), 1.4))
        painter.setBrush(QColor(*self.colour))
        painter.drawRoundedRect(self.rect().adjusted(3, 3, -3, -3), 4, 4)


class PaperBar(QWidget):
    """Takes the place of strength and light while the plate is tried on paper."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "picturebar")
        self.setFixedHeight(ui.px(46))
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(8), 0, ui.px(10), 0)
        row.setSpacing(ui.px(6))
        self.as_mask = named(QPushButton("As a mask"), "pill")
        self.as_mask.setCheckable(True)
        self.as_mask.setToolTip("A second colour shows through the letters where the mask reveals")
        self.as_mask.clicked.connect(lambda on: self._set(mask=bool(on)))
        row.addWidget(self.as_mask)
        row.addSpacing(ui.px(4))
        self.swatches: dict[str, Swatch] = {}
        self.labels: dict[str, QLabel] = {}
        for name, words in _NAMES:
            swatch = Swatch(ui, name, words)
            swatch.clicked.connect(partial(self._choose, name, words))
            self.labels[name] = QLabel(words)
            row.addWidget(self.labels[name])
            row.addWidget(swatch)
            self.swatches[name] = swatch
        self.flow_name = QLabel("Flow")
        self.flow_name.setToolTip("How much ink one mark leaves; marks build up")
        row.addWidget(self.flow_name)
        self.flow = Slider(ui, 0.05, 1.0, 0.01, on_bar=True)
        self.flow.setAccessibleName("Flow")
        self.flow.moved.connect(lambda value: self._set(flow=round(value, 2)))
        row.addWidget(self.flow, 1)
        self.amount = QLabel()
        self.amount.setMinimumWidth(ui.px(38))
        self.amount.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.amount)
        self.stretch = QWidget()
        row.addWidget(self.stretch, 1)
        self.follow()

    def _set(self, **changes: object) -> None:
        studio = self.ui.studio
        studio.set_proof(paper=replace(studio.proof.paper, **changes))  # type: ignore[arg-type]

    def _choose(self, name: str, words: str) -> None:
        now = QColor(*getattr(self.ui.studio.proof.paper, name))
        colour = QColorDialog.getColor(now, self, words)
        if colour.isValid():
            self._set(**{name: (colour.red(), colour.green(), colour.blue())})

    def follow(self) -> None:
        """Show the settings in force."""
        paper = self.ui.studio.proof.paper
        self.as_mask.setChecked(paper.mask)
        for name, swatch in self.swatches.items():
            swatch.show_colour(getattr(paper, name))
            shown = paper.mask or name != "second"
            swatch.setVisible(shown)
            self.labels[name].setVisible(shown)
        for widget in (self.flow_name, self.flow, self.amount):
            widget.setVisible(not paper.mask)
        self.stretch.setVisible(paper.mask)
        self.flow.show_value(paper.flow)
        self.amount.setText(f"{paper.flow * 100:.0f} %")
