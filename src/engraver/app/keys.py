"""Keys by desk: the same key can mean another thing at another desk."""

from __future__ import annotations

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QWidget

from .commands import Command, Commands


class DeskKeys:
    """The window's shortcuts. A key that does nothing at the desk in front is left to what has the focus."""

    def __init__(self, window: QWidget, commands: Commands, desk: str) -> None:
        self._commands, self._desk = commands, desk
        self._shortcuts: dict[str, QShortcut] = {}
        for key in dict.fromkeys(c.shortcut for c in commands if c.shortcut and not c.hold):
            shortcut = QShortcut(QKeySequence(key), window)
            shortcut.activated.connect(lambda k=key: self.press(k))
            self._shortcuts[key] = shortcut
        self.go_to(desk)

    def command(self, key: str) -> Command | None:
        """What a key does at the desk in front."""
        found = (c for c in self._commands if c.shortcut == key and not c.hold and c.desk in ("", self._desk))
        return next(found, None)

    def press(self, key: str) -> None:
        """Do what a key does."""
        command = self.command(key)
        if command is not None:
            command.do()

    def go_to(self, desk: str) -> None:
        """Another desk is in front."""
        self._desk = desk
        for key, shortcut in self._shortcuts.items():
            shortcut.setEnabled(self.command(key) is not None)
