"""A small dial for a lamp: the dot is where the light stands, seen from above."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt, SignalInstance
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from engraver.core.surfaces.view import Lamp

from ..ui import Ui

_TURNS = {
    Qt.Key.Key_Left: (-10, 0), Qt.Key.Key_Right: (10, 0), Qt.Key.Key_Up: (0, 5), Qt.Key.Key_Down: (0, -5),
}  # fmt: skip


class LightDial(QWidget):
    """Shows and moves a lamp that is held elsewhere.

    Parameters
    ----------
    changed : SignalInstance
        Told when the lamp may have moved.
    lamp, first : callable
        The lamp as it stands, and where a double-click puts it back.
    shine : callable
        Given the lamp as it was moved.
    """

    def __init__(
        self, ui: Ui, changed: SignalInstance, lamp: Callable[[], Lamp], first: Callable[[], Lamp],
        shine: Callable[[Lamp], object],
    ) -> None:  # fmt: skip
        super().__init__()
        self.ui, self._lamp, self._first, self._shine = ui, lamp, first, shine
        self.setFixedSize(ui.px(30), ui.px(30))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Light")
        self.setToolTip("Drag to move the light; in the middle it stands above. Double-click resets.")
        changed.connect(self._redraw)

    def _redraw(self) -> None:
        self.update()

    def _middle(self) -> QPointF:
        return QPointF(self.width() / 2, self.height() / 2)

    def _radius(self) -> float:
        return self.width() / 2 - 3

    def _to(self, place: QPointF) -> None:
        away = (place - self._middle()) / self._radius()
        self._shine(Lamp.at(away.x(), away.y()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._to(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._to(event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._shine(self._first())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = _TURNS.get(Qt.Key(event.key()))
        if by is None:
            super().keyPressEvent(event)
        else:
            self._shine(self._lamp().moved(*by))

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self.ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(ui.colour("accent") if self.hasFocus() else ui.colour("on_bar"), 1.4))
        painter.drawEllipse(self._middle(), self._radius(), self._radius())
        painter.setBrush(ui.colour("on_bar"))
        painter.drawEllipse(self._middle() + QPointF(*self._lamp().on_dial()) * self._radius(), 3.4, 3.4)
