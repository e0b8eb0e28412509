"""Sheets over the window: the command finder, *Add step*, Export and the list of keys."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QModelIndex, QObject, QPersistentModelIndex, QSize, Qt
from PySide6.QtGui import QIcon, QKeyEvent, QPainter, QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from engraver.core.engine import Line, Request, StepFailed
from engraver.core.engine.line import assemble
from engraver.core.errors import Watch
from engraver.core.readiness.fixes import place_for
from engraver.core.recipe import Step
from engraver.core.steps import KINDS

from ..lanes import LatestLane
from ..painting import picture_of
from ..screen import to_screen
from ..ui import Ui, named

KEY = Qt.ItemDataRole.UserRole + 1


def _name(item: QListWidgetItem) -> str:
    """What an entry is called, without its group and its help."""
    return item.text().split("\n")[0].rpartition("· ")[2].strip().lower()


class SearchSheet(QDialog):
    """A field and a list: type to narrow, arrows to choose, Enter to take."""

    def __init__(self, ui: Ui, parent: QWidget, title: str, hint: str, width: int, height: int) -> None:
        super().__init__(parent)
        self.ui = ui
        self.setWindowTitle(title)
        self.resize(ui.px(width), ui.px(height))
        box = QVBoxLayout(self)
        self.field = named(QLineEdit(), "finder")
        self.field.setPlaceholderText(hint)
        self.list = QListWidget()
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setWordWrap(True)
        self.nothing = named(QLabel("Nothing of that name."), "second")
        box.addWidget(self.field)
        box.addWidget(self.list, 1)
        box.addWidget(self.nothing)
        self.field.textChanged.connect(self.fill)
        self.field.returnPressed.connect(self._take)
        self.list.itemActivated.connect(lambda _: self._take())
        self.list.itemClicked.connect(lambda _: self._take())
        self.field.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            move = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if move is not None and self.list.count():
                place = self.list.currentRow()
                for _ in range(self.list.count()):
                    place = (place + move) % self.list.count()
                    if self.list.item(place).flags() & Qt.ItemFlag.ItemIsSelectable:
                        break
                self.list.setCurrentRow(place)
                return True
        return super().eventFilter(watched, event)

    def fill(self) -> None:
        """Show the entries that fit what was typed."""
        self.list.clear()
        for item in self.entries(self.field.text()):
            self.list.addItem(item)
        places = [n for n in range(self.list.count()) if self.list.item(n).flags() & Qt.ItemFlag.ItemIsSelectable]
        if places:  # the exact name first, then what begins with it
            typed = self.field.text().strip().lower()
            names = {n: _name(self.list.item(n)) for n in places}
            self.list.setCurrentRow(min(places, key=lambda n: (names[n] != typed, not names[n].startswith(typed))))
        self.nothing.setVisible(not places)

    def entries(self, text: str) -> list[QListWidgetItem]:
        raise RuntimeError("a search sheet must say what it lists")

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.accept()

    def taken(self) -> str:
        """The id of the chosen entry."""
        item = self.list.currentItem()
        return str(item.data(Qt.ItemDataRole.UserRole)) if item is not None else ""


class _WithKey(QStyledItemDelegate):
    """An entry with its key at the right."""

    def __init__(self, ui: Ui, parent: QWidget) -> None:
        super().__init__(parent)
        self._ui = ui

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        super().paint(painter, option, index)
        painter.save()
        painter.setFont(self._ui.font(11))
        painter.setPen(self._ui.colour("ink_2"))
        room = option.rect.adjusted(0, 0, -self._ui.px(12), 0)
        painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, index.data(KEY) or "")
        painter.restore()


# Pictures of so many steps are drawn before they are shown.
AT_ONCE = 8


class Finder(SearchSheet):
    """Every action by its name."""

    def __init__(self, ui: Ui, parent: QWidget, possible: set[str]) -> None:
        super().__init__(ui, parent, "Find a command", "Find a command", 460, 420)
        self._possible = possible
        self.list.setItemDelegate(_WithKey(ui, self.list))
        self.fill()

    def entries(self, text: str) -> list[QListWidgetItem]:
        items = []
        for command in self.ui.commands.search(text):
            if command.id == "find":
                continue
            item = QListWidgetItem(f"{command.group} · {command.name}")
            item.setData(KEY, command.shortcut)
            item.setData(Qt.ItemDataRole.UserRole, command.id)
            if command.id not in self._possible:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            items.append(item)
        return items


class AddStep(SearchSheet):
    """All steps in working order, each with a picture of its effect on this plate."""

    def __init__(self, ui: Ui, parent: QWidget) -> None:
        super().__init__(ui, parent, "Add step", "Find a step", 430, 560)
        self._icons: dict[str, QIcon] = {}
        self.list.setIconSize(QSize(ui.px(52), ui.px(52)))
        self._lane = LatestLane("effects", stop_old=True, parent=self)
        self.finished.connect(lambda _: self._lane.end())
        self.fill()
        self._ask()

    @property
    def lane(self) -> LatestLane:
        return self._lane

    def entries(self, text: str) -> list[QListWidgetItem]:
        items, words, group = [], text.lower().split(), ""
        for kind in KINDS.values():
            if not all(w in f"{kind.name} {kind.group} {kind.help}".lower() for w in words):
                continue
            if kind.group != group:
                group = kind.group
                head = QListWidgetItem(group.upper())
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                head.setFont(self.ui.font(10, 600))
                items.append(head)
            item = QListWidgetItem(f"{kind.name}\n{kind.help}")
            item.setData(Qt.ItemDataRole.UserRole, kind.id)
            if kind.id in self._icons:
                item.setIcon(self._icons[kind.id])
            items.append(item)
        return items

    def _ask(self) -> None:
        studio = self.ui.studio
        plate, line = studio.plate, studio.attempt(studio.line)
        if plate is None or line is None:
            return
        places = {kind.id: place_for(studio.project, plate.id, kind) for kind in KINDS.values()}
        self._tried(line, studio.steps, list(places.items()))

    def _tried(self, line: Line, steps: tuple[Step, ...], places: list[tuple[str, int]]) -> None:
        """Pictures of what the next few steps would do, then of the rest."""
        engine = self.ui.studio.engine

        def work(check: Watch) -> dict[str, np.ndarray]:
            found = {}
            for id, place in places[:AT_ONCE]:
                step = Step.make(id)
                tried: Line = assemble(
                    line.source, line.reading, (*steps[:place], step, *steps[place:]), line.seed, engine.sources
                )
                try:
                    result = engine.evaluate(tried, Request(upto=step.uid, side=104), check)
                except StepFailed:
                    continue
                found[id] = to_screen(result.raster)
            return found

        def done(found: dict[str, np.ndarray]) -> None:
            self._drawn(found)
            if len(places) > AT_ONCE:
                self._tried(line, steps, places[AT_ONCE:])

        self._lane.submit(work, done, lambda error: None)

    def _drawn(self, found: dict[str, np.ndarray]) -> None:
        for id, array in found.items():
            drawn = QPixmap.fromImage(picture_of(array))
            self._icons[id] = QIcon(drawn)
            # The chosen entry's picture must not be tinted: it is there to be judged.
            self._icons[id].addPixmap(drawn, QIcon.Mode.Selected)
        row = self.list.currentRow()
        self.fill()
        self.list.setCurrentRow(row)


class KeysSheet(QDialog):
    """Every shortcut, by what it does."""

    def __init__(self, ui: Ui, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(16))
        box.addWidget(named(QLabel("Keys"), "title"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(ui.px(24))
        listed = [c for c in ui.commands if c.shortcut]
        half = (len(listed) + 1) // 2
        for n, command in enumerate(listed):
            key = QLabel(command.shortcut)
            key.setFont(ui.font(12, 600))
            grid.addWidget(key, n % half, 2 * (n // half))
            grid.addWidget(QLabel(command.name), n % half, 2 * (n // half) + 1)
        box.addLayout(grid)
