"""The list of keys, by desk and by what they are for; typing narrows it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from ..commands import Command
from ..ui import Ui, named, scrolled

_WIDE, _TALL = 560, 620


class KeysSheet(QDialog):
    """Every shortcut in groups, those of the desk in front first."""

    def __init__(self, ui: Ui, parent: QWidget, desk: str, names: dict[str, str]) -> None:
        super().__init__(parent)
        self.ui, self._names = ui, names
        self.setWindowTitle("Keys")
        self.resize(ui.px(_WIDE), min(ui.px(_TALL), parent.height() - ui.px(60)))
        self._listed = sorted((c for c in ui.commands if c.shortcut), key=lambda c: (c.desk != desk, bool(c.desk)))
        box = QVBoxLayout(self)
        self.field = named(QLineEdit(), "finder")
        self.field.setPlaceholderText("Find a key, or what it does")
        self.field.textChanged.connect(self.fill)
        box.addWidget(self.field)
        inside = QWidget()
        self._grid = QGridLayout(inside)
        self._grid.setContentsMargins(ui.px(8), ui.px(4), ui.px(8), ui.px(8))
        self._grid.setHorizontalSpacing(ui.px(20))
        self._grid.setColumnStretch(1, 1)
        box.addWidget(scrolled(inside), 1)
        self.nothing = named(QLabel("Nothing of that name."), "second")
        box.addWidget(self.nothing)
        self.fill()

    def _suits(self, command: Command, words: list[str]) -> bool:
        said = f"{command.shortcut} {command.name} {command.group} {' '.join(command.synonyms)}".lower()
        return all(word in said for word in words)

    def fill(self) -> None:
        """Show the keys that fit what was typed, under the heads of their groups."""
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        words = self.field.text().lower().split()
        groups: dict[str, list[Command]] = {}
        for command in self._listed:
            if self._suits(command, words):
                where = self._names.get(command.desk, "Everywhere")
                groups.setdefault(f"{where} · {command.group}", []).append(command)
        row = 0
        for name, commands in groups.items():
            head = named(QLabel(name.upper()), "caps")
            head.setContentsMargins(0, self.ui.px(10) if row else 0, 0, 0)
            self._grid.addWidget(head, row, 0, 1, 2)
            for n, command in enumerate(commands, row + 1):
                key = QLabel(command.shortcut)
                key.setFont(self.ui.font(12, 600))
                self._grid.addWidget(key, n, 0, Qt.AlignmentFlag.AlignTop)
                what = QLabel(command.name)
                what.setWordWrap(True)
                self._grid.addWidget(what, n, 1)
            row += len(commands) + 1
        self._grid.setRowStretch(row, 1)
        self.nothing.setVisible(not groups)
