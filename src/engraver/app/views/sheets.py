"""Sheets in which one types to find: the base of them, and the command finder."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPersistentModelIndex, Qt
from PySide6.QtGui import QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ..ui import Ui, named
from .sheet import Sheet

KEY = Qt.ItemDataRole.UserRole + 1


def _name(item: QListWidgetItem) -> str:
    """What an entry is called, without its group and its help."""
    return item.text().split("\n")[0].rpartition("· ")[2].strip().lower()


class SearchSheet(Sheet):
    """A field and a list: type to narrow, arrows to choose, Enter to take."""

    def __init__(self, ui: Ui, parent: QWidget, title: str, hint: str, width: int, height: int) -> None:
        super().__init__(ui, parent)
        self.setWindowTitle(title)
        self.resize(ui.px(width), ui.px(height))
        self.box = box = QVBoxLayout(self)
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
