"""The list of keys, by desk and by what they are for; typing narrows it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from ..commands import Command
from ..ui import Ui, emptied, named, scrolled
from .sheet import Sheet

_WIDE, _TALL = 560, 620


class KeysSheet(Sheet):
    """Every shortcut in groups, those of the desk in front first."""

    def __init__(self, ui: Ui, parent: QWidget, desk: str, names: dict[str, str]) -> None:
        super().__init__(ui, parent)
        self._desk, self._names = desk, names
        self.setWindowTitle("Keys")
        self.resize(ui.px(_WIDE), ui.px(_TALL))
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
        self._end = 0
        box.addWidget(scrolled(inside), 1)
        self.nothing = named(QLabel("Nothing of that name."), "second")
        box.addWidget(self.nothing)
        self.fill()

    def fill(self) -> None:
        """Show the keys that fit what was typed, under the heads of their groups."""
        emptied(self._grid)
        self._grid.setRowStretch(self._end, 0)
        groups: dict[str, list[Command]] = {}
        listed = (c for c in self.ui.commands.search(self.field.text()) if c.shortcut)
        for command in sorted(listed, key=lambda c: (c.desk != self._desk, bool(c.desk))):
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
        self._end = row  # what is left over goes below the last
        self._grid.setRowStretch(row, 1)
        self.nothing.setVisible(not groups)
