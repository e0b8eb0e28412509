"""The icon maker: what shows, in which colour, with which words; seen at every size before it is written."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QColorDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from engraver.core.errors import EngraverError, Watch
from engraver.core.proof.icon import KINDS, LETTERS, Kind, Place, icon, spread_of
from engraver.core.raster import Pixels
from engraver.core.surfaces.view import Colour

from ..editors.rows import Choice, Switch
from ..ui import Ui, named, plain
from .dialog_foot import dialog_foot
from .sheet import Sheet

# Sides at which an icon is looked at, and those that can be written.
SEEN, WRITTEN = (128, 64, 32), (32, 64, 96, 128, 256, 512)
# With less spread of light at 32 pixels an icon is hard to make out.
FAINT = 0.07
_COLOURS: dict[str, Colour | None] = {
    "Plaster": None,
    "Copper": (184, 104, 58),
    "Verdigris": (82, 140, 124),
    "Slate": (104, 116, 134),
}
_GROUNDS = ("#FBF9F5", "#8A8A86", "#24262B")
_PLACES = {"top": "At the top", "middle": "In the middle", "bottom": "At the bottom"}
Icons = dict[int, NDArray[np.uint8]]


class _Previews(QWidget):
    """The icon at three sizes on a light, a grey and a dark ground."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self._ui = ui
        self.icons: Icons = {}
        wide = sum(SEEN) + 16 * (len(SEEN) + 1)
        self.setFixedSize(wide, len(_GROUNDS) * (SEEN[0] + 24))
        self.setAccessibleName("The icon at three sizes")

    def show_icons(self, icons: Icons) -> None:
        self.icons = icons
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        tall = self.height() / len(_GROUNDS)
        for n, ground in enumerate(_GROUNDS):
            painter.fillRect(QRectF(0, n * tall, self.width(), tall), QColor(ground))
            x = 16.0
            for side in SEEN:
                rgba = self.icons.get(side)
                if rgba is not None:
                    image = QImage(rgba.data, side, side, 4 * side, QImage.Format.Format_RGBA8888)
                    painter.drawImage(QPointF(x, n * tall + (tall - side) / 2), image)
                x += side + 16


class IconSheet(Sheet):
    """Changes are seen at once; *Save…* writes the sizes that are ticked.

    Parameters
    ----------
    tall : (check) -> float32 (H, W)
        Heights of the finished plate; called off the window's thread.
    """

    def __init__(self, ui: Ui, parent: QWidget, name: str, tall: Callable[[Watch], Pixels], kind: Kind) -> None:
        super().__init__(ui, parent)
        self._tall = tall
        self._height: Pixels | None = None
        self.kind = kind
        self.colour: Colour | None = None
        self.setWindowTitle("Icon")
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(10))
        box.addWidget(plain(named(QLabel(f"The icon of {name}"), "title")))
        row = QHBoxLayout()
        row.setSpacing(ui.px(16))
        self.previews = _Previews(ui)
        row.addWidget(self.previews, 0, Qt.AlignmentFlag.AlignTop)
        row.addLayout(self._controls(), 1)
        box.addLayout(row)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setMinimumHeight(ui.px(18))
        box.addWidget(self.told)
        foot, self.go = dialog_foot(self, "Save…")
        box.addLayout(foot)
        self._ask()

    def _controls(self) -> QVBoxLayout:
        ui = self.ui
        box = QVBoxLayout()
        box.setSpacing(ui.px(8))
        self.kinds: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for id, words in KINDS.items():
            button = self.kinds[id] = named(QPushButton(words), "profile")
            button.setCheckable(True)
            button.setChecked(id == self.kind)
            button.setStyleSheet(f"font-size: {ui.px(12)}px; padding: {ui.px(4)}px; text-align: left;")
            button.clicked.connect(partial(self._shows, id))
            group.addButton(button)
            box.addWidget(button)
        grid = QGridLayout()
        grid.setSpacing(ui.px(8))
        colours = QHBoxLayout()
        colours.setSpacing(ui.px(4))
        self.colours: dict[str, QPushButton] = {}
        for name, rgb in _COLOURS.items():
            shown = QColor(*(rgb or (226, 222, 213))).name()
            button = self.colours[name] = QPushButton()
            button.setCheckable(True)
            button.setChecked(rgb is None)
            button.setAccessibleName(name)
            button.setToolTip(name)
            side = ui.px(24)
            button.setFixedSize(side, side)
            button.setStyleSheet(
                f"QPushButton {{ background: {shown}; border: 1px solid {ui.theme.line};"
                f" border-radius: {side // 2}px; padding: 0; }}"
                f" QPushButton:checked {{ border: 3px solid {ui.theme.ink}; }}"
            )
            button.clicked.connect(partial(self._coloured, rgb))
            colours.addWidget(button)
        own = named(QPushButton("Own…"), "link")
        own.setToolTip("A colour of your own")
        own.clicked.connect(self._own_colour)
        colours.addWidget(own)
        colours.addStretch(1)
        self.words = QLineEdit()
        self.words.setMaxLength(24)
        self.words.setPlaceholderText("Short, such as 2k or A1")
        self.words.setAccessibleName("Lettering")
        self.words.textChanged.connect(self._ask)
        self.place = Choice(ui)
        self.place.offer([*_PLACES.items()])
        self.place.setCurrentIndex(2)
        self.place.setAccessibleName("Where the lettering stands")
        self.place.activated.connect(self._ask)
        self.letters = Choice(ui)
        self.letters.offer([(tall, words.capitalize()) for words, tall in LETTERS.items()])
        self.letters.setCurrentIndex(1)
        self.letters.setAccessibleName("How large the lettering is")
        self.letters.activated.connect(self._ask)
        self.clear = Switch(ui)
        self.clear.setChecked(True)
        self.clear.setAccessibleName("Clear ground")
        self.clear.toggled.connect(self._ask)
        labels = ("Colour", "Lettering", "It stands", "Its size", "Clear ground")
        for n, words in enumerate(labels):
            grid.addWidget(named(QLabel(words), "second"), n, 0)
        grid.addLayout(colours, 0, 1)
        grid.addWidget(self.words, 1, 1)
        grid.addWidget(self.place, 2, 1)
        grid.addWidget(self.letters, 3, 1)
        grid.addWidget(self.clear, 4, 1, Qt.AlignmentFlag.AlignLeft)
        box.addLayout(grid)
        sides = QHBoxLayout()
        sides.setSpacing(ui.px(4))
        self.sides: dict[int, QPushButton] = {}
        for side in WRITTEN:
            button = self.sides[side] = named(QPushButton(str(side)), "profile")
            button.setCheckable(True)
            button.setChecked(side == 128)
            button.setToolTip(f"Write {side} × {side} pixels")
            button.clicked.connect(lambda: self.go.setEnabled(bool(self.written())))
            sides.addWidget(button)
        box.addWidget(named(QLabel("Written, in pixels"), "second"))
        box.addLayout(sides)
        box.addStretch(1)
        return box

    def _shows(self, kind: Kind) -> None:
        self.kind = kind
        self._ask()

    def _coloured(self, colour: Colour | None) -> None:
        self.colour = colour
        for name, button in self.colours.items():
            button.setChecked(_COLOURS[name] == colour)
        self._ask()

    def _own_colour(self) -> None:
        picked = QColorDialog.getColor(QColor(*(self.colour or (226, 222, 213))), self, "Colour of the icon")
        if picked.isValid():
            self._coloured((picked.red(), picked.green(), picked.blue()))

    def written(self) -> tuple[int, ...]:
        """The sides that are written."""
        return tuple(side for side, button in self.sides.items() if button.isChecked())

    def maker(self) -> Callable[[int, Pixels, Watch], NDArray[np.uint8]]:
        """Makes the icon as it is set now: (side, heights, check) -> uint8 (side, side, 4). It raises BadValue for
        letters that the font lacks."""
        kind, colour, words = self.kind, self.colour, self.words.text().strip()
        place: Place = self.place.currentData()
        clear, letters = self.clear.isChecked(), float(self.letters.currentData())

        def make(side: int, height: Pixels, check: Watch) -> NDArray[np.uint8]:
            return icon(height, kind=kind, side=side, colour=colour, words=words, place=place, clear=clear,
                        letters=letters, check=check)  # fmt: skip

        return make

    @property
    def height_(self) -> Pixels | None:
        """The plate's heights, once they are there."""
        return self._height

    def _ask(self, _: object = None) -> None:
        known, make = self._height, self.maker()

        def work(check: Watch) -> tuple[Pixels, Icons]:
            height = known if known is not None else self._tall(check)
            return height, {side: make(side, height, check) for side in SEEN}

        self.ui.pictures.lane("icon").submit(work, self.while_open(self._show), self.while_open(self._failed))

    def _show(self, made: tuple[Pixels, Icons]) -> None:
        self._height, icons = made
        self.previews.show_icons(icons)
        rgba = icons[SEEN[0]].astype(np.float32) / 255
        faint = (
            spread_of(np.ascontiguousarray(rgba[..., :3].mean(axis=2)), np.ascontiguousarray(rgba[..., 3])) < FAINT
        )
        words = "Hard to make out at 32 pixels: another way to show it may tell more." if faint else (
            "Told apart at 32 pixels."
        )  # fmt: skip
        self.told.setText(words)
        self.told.setStyleSheet(f"color: {self.ui.theme.look if faint else self.ui.theme.good}; font-weight: 600;")
        self.go.setEnabled(bool(self.written()))

    def _failed(self, error: EngraverError) -> None:
        self.told.setText(error.sentence())
        self.told.setStyleSheet(f"color: {self.ui.theme.fault}; font-weight: 600;")
        self.go.setEnabled(False)
