"""The board of starts: every way to begin a plate, and finished examples whose steps stay live."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QKeyEvent, QPixmap, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from engraver.core.starters import STARTERS

from ..beginnings import begin_from, begin_with
from ..ui import Ui, named
from .sheet import Sheet

PICTURES = Path(__file__).parents[2] / "starters"
_PICTURE, _WIDE, _TALL = 84, 106, 116


@dataclass(frozen=True, slots=True)
class Way:
    """One way to begin: its words, its picture, and what it does: a command, or a blank with a first step."""

    id: str
    name: str
    help: str
    picture: str
    command: str = ""
    step: str = ""
    words: str = ""


WAYS = (
    Way("photo", "Photo or scan", "Open a picture: it becomes a plate with a fitting line.", "way-photo", "open",
        words="picture image open import scan"),
    Way("mesh", "Mesh", "Open a sculpted mesh and capture its heights.", "way-mesh", "open",
        words="model sculpt open"),
    Way("shapes", "Shapes", "Discs, boxes, stars, lines and outlines by numbers.", "seal", step="shapes",
        words="disc circle square star svg"),
    Way("lettering", "Lettering", "Words in a font, raised or cut.", "name-board", step="lettering",
        words="text letters name"),
    Way("pattern", "Pattern", "Slabs, cells, weave, rows and strands that tile.", "weave", step="pattern",
        words="tile bricks"),
    Way("noise", "Noise", "A surface from numbers alone.", "ripple", step="noise", words="random fractal waves"),
    Way("scatter", "Scatter", "Many copies of a form, strewn.", "barnacles", step="scatter",
        words="random dots pores"),
    Way("solids", "Solids", "Boxes, cylinders, domes: joined and cut, seen from the top.", "way-solids", "solids",
        words="box cylinder ball boolean 3d body"),
    Way("blank", "Blank", "An even ground and nothing else.", "", "blank", words="empty nothing"),
)  # fmt: skip


class StartBoard(QWidget):
    """Type to narrow, arrows to choose, Enter or a press to start. ``started`` is told when one was taken."""

    started = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(8))
        self.field = named(QLineEdit(), "finder")
        self.field.setPlaceholderText("Find a start: disc, rope, text, tile…")
        self.field.setAccessibleName("Find a start")
        self.list = QListWidget()
        self.list.setAccessibleName("Ways to start")
        self.list.setViewMode(QListWidget.ViewMode.IconMode)
        self.list.setMovement(QListWidget.Movement.Static)
        self.list.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.list.setIconSize(QSize(ui.px(_PICTURE), ui.px(_PICTURE)))
        self.list.setStyleSheet("QListWidget::item { padding: 2px; }")
        self.list.setWordWrap(True)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        self.words.setMinimumHeight(ui.px(18))
        box.addWidget(self.field)
        box.addWidget(self.list, 1)
        box.addWidget(self.words)
        self.field.textChanged.connect(self.fill)
        self.field.returnPressed.connect(self.start)
        self.field.installEventFilter(self)
        self.list.itemClicked.connect(lambda _: self.start())
        self.list.itemActivated.connect(lambda _: self.start())
        self.list.currentItemChanged.connect(self._tell)
        self._icons: dict[str, QIcon] = {}
        self.fill()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """As many side by side as there is room for; they share what is left over."""
        bar = self.list.verticalScrollBar().sizeHint().width()
        room = self.list.width() - 2 * self.list.frameWidth() - bar - 2
        across = max(1, room // self.ui.px(_WIDE))
        self.list.setGridSize(QSize(max(self.ui.px(60), room // across), self.ui.px(_TALL)))

    def _icon(self, picture: str) -> QIcon:
        if picture not in self._icons:
            drawn = QPixmap(str(PICTURES / f"{picture}.png")) if picture else QPixmap(112, 112)
            if not picture:
                drawn.fill(self.ui.colour("well"))
            icon = QIcon(drawn)
            icon.addPixmap(drawn, QIcon.Mode.Selected)  # it is there to be judged, not to be tinted
            self._icons[picture] = icon
        return self._icons[picture]

    def fill(self) -> None:
        """Show the ways and the examples that fit what was typed."""
        words = self.field.text().lower().split()
        self.list.clear()
        ways = [(w.id, w.name, w.help, w.picture, f"{w.name} {w.help} {w.words}") for w in WAYS]
        ready = [(s.id, s.name, s.help, s.id, f"{s.name} {s.help} {' '.join(s.words)}") for s in STARTERS.values()]
        for kind, offered in (("way", ways), ("starter", ready)):
            for id, name, help, picture, said in offered:
                if all(word in said.lower() for word in words):
                    item = QListWidgetItem(self._icon(picture), name)
                    item.setData(Qt.ItemDataRole.UserRole, (kind, id))
                    item.setToolTip(help)
                    self.list.addItem(item)
        if self.list.count():
            typed = self.field.text().strip().lower()
            names = [self.list.item(n).text().lower() for n in range(self.list.count())]
            best = min(range(len(names)), key=lambda n: (names[n] != typed, not names[n].startswith(typed)))
            self.list.setCurrentRow(best if typed else 0)
        self._tell()

    def _tell(self, *_: object) -> None:
        item = self.list.currentItem()
        self.words.setText(item.toolTip() if item is not None else "Nothing of that name.")

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            across = max(1, self.list.viewport().width() // max(1, self.list.gridSize().width()))
            moves = {Qt.Key.Key_Down: across, Qt.Key.Key_Up: -across}
            if not self.field.text():
                moves |= {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}
            by = moves.get(Qt.Key(event.key()))
            if by is not None and self.list.count():
                self.list.setCurrentRow(min(self.list.count() - 1, max(0, self.list.currentRow() + by)))
                return True
        return super().eventFilter(watched, event)

    def start(self) -> None:
        """Begin with what is chosen."""
        item = self.list.currentItem()
        if item is None:
            return
        kind, id = item.data(Qt.ItemDataRole.UserRole)
        self.started.emit()
        studio = self.ui.studio
        if kind == "starter":
            studio.attempt(lambda: begin_from(studio, id))
            return
        way = next(w for w in WAYS if w.id == id)
        if way.command:
            self.ui.commands[way.command].run()
        else:
            studio.attempt(lambda: begin_with(studio, way.name, way.step))


class StartSheet(Sheet):
    """The board as a sheet over the window."""

    def __init__(self, ui: Ui, parent: QWidget) -> None:
        super().__init__(ui, parent)
        self.setWindowTitle("New plate")
        self.resize(ui.px(690), ui.px(600))
        box = QVBoxLayout(self)
        self.board = StartBoard(ui)
        self.board.started.connect(self.accept)
        box.addWidget(self.board)
        self.board.field.setFocus()
