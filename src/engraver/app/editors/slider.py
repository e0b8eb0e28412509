"""A full-width slider drawn in our own hand: groove, filled part, knob."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ..ui import Ui


class Slider(QWidget):
    """A value from ``lo`` to ``hi``; emits while it moves and when the hand lets go."""

    moved = Signal(float)
    released = Signal()

    def __init__(self, ui: Ui, lo: float, hi: float, step: float, *, on_bar: bool = False) -> None:
        super().__init__()
        self._ui, self.lo, self.hi, self.step, self._on_bar = ui, lo, hi, step, on_bar
        self.value = lo
        self._held = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(ui.px(20))
        self.setMinimumWidth(ui.px(60))
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def show_value(self, value: float) -> None:
        """Set from the model: emits nothing."""
        if value != self.value:
            self.value = value
            self.update()

    def _share(self) -> float:
        return min(1.0, max(0.0, (self.value - self.lo) / (self.hi - self.lo)))

    def _from(self, x: float) -> float:
        knob = self._ui.px(8)
        share = min(1.0, max(0.0, (x - knob) / max(1, self.width() - 2 * knob)))
        value = self.lo + share * (self.hi - self.lo)
        return round(round(value / self.step) * self.step, 9)

    def _set(self, value: float) -> None:
        value = min(self.hi, max(self.lo, value))
        if value != self.value:
            self.value = value
            self.update()
            self.moved.emit(value)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = True
            self._set(self._from(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._set(self._from(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = False
            self.released.emit()

    def nudge(self, steps: float) -> None:
        """Move by whole steps, as a key or the wheel does."""
        self._set(round(round(self.value / self.step + steps) * self.step, 9))
        self.released.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if not self.hasFocus():  # scrolling the panel must not change values on its way
            event.ignore()
            return
        self.nudge(1 if event.angleDelta().y() > 0 else -1)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        much = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Down):
            self.nudge(-much)
        elif key in (Qt.Key.Key_Right, Qt.Key.Key_Up):
            self.nudge(much)
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self._set(self.lo if key == Qt.Key.Key_Home else self.hi)
            self.released.emit()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self._ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        knob, middle = ui.px(8), self.height() / 2
        x = knob + self._share() * (self.width() - 2 * knob)
        groove = QRectF(knob / 2, middle - 1.5 * ui.scale, self.width() - knob, 3 * ui.scale)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ui.colour("bar_line" if self._on_bar else "well"))
        painter.drawRoundedRect(groove, 1.5, 1.5)
        painter.setBrush(ui.colour("on_bar" if self._on_bar else "accent"))
        painter.drawRoundedRect(QRectF(groove.left(), groove.top(), x - groove.left(), groove.height()), 1.5, 1.5)
        radius = knob - 1.0
        if self.hasFocus():
            painter.setBrush(ui.colour("accent_soft"))
            painter.drawEllipse(QPointF(x, middle), radius + 1.5, radius + 1.5)
        painter.setBrush(ui.colour("on_bar" if self._on_bar else "card"))
        painter.setPen(QPen(ui.colour("on_bar" if self._on_bar else "accent"), 1.6))
        painter.drawEllipse(QPointF(x, middle), radius - 1, radius - 1)
