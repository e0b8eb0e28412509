"""How a page is painted, on bench and proof desk: its colours, and a mask tried over words of one's own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import QPoint, QSize, Qt, SignalInstance
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QColorDialog, QGridLayout, QLabel, QLineEdit, QPushButton, QWidget

from engraver.core.surfaces.kind import MOST_WORDS, Paper
from engraver.core.surfaces.view import Colour

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


class PaperControls:
    """The parts, to be put where there is room.

    Parameters
    ----------
    paper : callable
        The page as it is painted now.
    put : callable
        Given it as it shall be.
    """

    def __init__(self, ui: Ui, paper: Callable[[], Paper], put: Callable[[Paper], object]) -> None:
        self._paper, self._put = paper, put
        self.as_mask = named(QPushButton("As a mask"), "pill")
        self.as_mask.setCheckable(True)
        self.as_mask.setToolTip("A second colour shows through the letters where the mask reveals")
        self.as_mask.clicked.connect(lambda on: self.change(mask=bool(on)))
        self.swatches: dict[str, Swatch] = {}
        self.labels: dict[str, QLabel] = {}
        for name, words in _NAMES:
            self.swatches[name], self.labels[name] = Swatch(ui, name, words), QLabel(words)
            self.swatches[name].clicked.connect(partial(self._choose, name, words))
        self.words = QLineEdit()
        self.words.setMaxLength(MOST_WORDS)
        self.words.setPlaceholderText("Words")
        self.words.setAccessibleName("Words")
        self.words.setToolTip("What is lettered on the page, to try the mask over")
        self.words.textEdited.connect(lambda words: self.change(words=words))

    def change(self, **changes: Any) -> None:
        """Paint the page otherwise."""
        self._put(replace(self._paper(), **changes))

    def _choose(self, name: str, words: str) -> None:
        now = QColor(*getattr(self._paper(), name))
        colour = QColorDialog.getColor(now, self.as_mask.window(), words)
        if colour.isValid():
            self.change(**{name: (colour.red(), colour.green(), colour.blue())})

    def follow(self) -> None:
        """Show what is in force; a second colour and words only where a mask is tried."""
        paper = self._paper()
        self.as_mask.setChecked(paper.mask)
        for name, swatch in self.swatches.items():
            swatch.show_colour(getattr(paper, name))
            for part in (swatch, self.labels[name]):
                part.setVisible(paper.mask or name != "second")
        self.words.setVisible(paper.mask)
        if self.words.text() != paper.words:
            self.words.setText(paper.words)


class PaperButton(QPushButton):
    """A button with the page's colours on it; pressed, all that belongs to the page stands over it."""

    def __init__(
        self, ui: Ui, changed: SignalInstance, paper: Callable[[], Paper], put: Callable[[Paper], object]
    ) -> None:
        super().__init__("Page")
        self.ui, self._paper = ui, paper
        named(self, "bar")
        self.setStyleSheet("text-align: left;")
        self.setToolTip("Ink, ground, and a mask over words of one's own")
        self.sheet = named(QWidget(self, Qt.WindowType.Popup), "picturebar")
        self.sheet.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.controls = parts = PaperControls(ui, paper, put)
        grid = QGridLayout(self.sheet)
        grid.setContentsMargins(ui.px(12), ui.px(10), ui.px(12), ui.px(12))
        grid.setHorizontalSpacing(ui.px(8))
        grid.addWidget(parts.as_mask, 0, 0, 1, 2)
        for n, name in enumerate(parts.swatches):
            grid.addWidget(parts.labels[name], n + 1, 0)
            grid.addWidget(parts.swatches[name], n + 1, 1, Qt.AlignmentFlag.AlignRight)
        parts.words.setMinimumWidth(ui.px(180))
        grid.addWidget(parts.words, len(parts.swatches) + 1, 0, 1, 2)
        self.clicked.connect(self.open)
        changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        self.controls.follow()
        if self.sheet.isVisible():
            self._place()
        self.update()

    def open(self) -> None:
        """Show the sheet over the button."""
        self._place()
        self.sheet.show()

    def _place(self) -> None:
        self.sheet.adjustSize()
        right = self.mapToGlobal(self.rect().topRight())
        self.sheet.move(right - QPoint(self.sheet.width(), self.sheet.height() + self.ui.px(6)))

    def sizeHint(self) -> QSize:
        return super().sizeHint() + QSize(self.ui.px(46), 0)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.ui.colour("on_bar_2"), 1))
        paper, side = self._paper(), self.ui.px(11)
        colours = (paper.ink, paper.ground, paper.second)[: 3 if paper.mask else 2]
        for n, colour in enumerate(colours):
            painter.setBrush(QColor(*colour))
            x = self.width() - self.ui.px(6) - (len(colours) - n) * (side + self.ui.px(3))
            painter.drawRoundedRect(x, (self.height() - side) // 2, side, side, 2, 2)
