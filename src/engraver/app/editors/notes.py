"""A few words in several lines, told when they are left."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QPlainTextEdit


class Notes(QPlainTextEdit):
    """``left`` is told when the hand goes elsewhere: what was written is then kept."""

    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setTabChangesFocus(True)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.left.emit()
