"""A button that shows a small drawing in place of words."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QPushButton

from ..ui import Ui, named


class DrawnButton(QPushButton):
    """``words`` are its tool tip and what a screen reader says; :meth:`draw` fills shapes with ink."""

    def __init__(self, ui: Ui, words: str) -> None:
        super().__init__()
        self.ui = ui
        named(self, "profile")
        self.setToolTip(words)
        self.setAccessibleName(words)

    def draw(self, painter: QPainter, area: QRectF) -> None:
        raise NotImplementedError

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.ui.colour("ink"))
        self.draw(painter, QRectF(self.rect()).adjusted(6, 6, -6, -6))
