"""What every row of the settings is: a name that tells what was changed, and signals."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QWidget

from engraver.core.params import FieldSpec
from engraver.core.raster import Facts

from ..studio import Studio
from ..ui import Ui, let_go


class NameLabel(QLabel):
    """A parameter's name: bold with a mark when changed, double-click resets it."""

    reset = Signal()

    def __init__(self, ui: Ui, spec: FieldSpec) -> None:
        super().__init__(spec.label)
        self._ui, self._changed = ui, False
        self.setToolTip(f"{spec.help}\nDouble-click to reset.")
        self.setContentsMargins(0, 0, 0, 0)

    def show_changed(self, changed: bool) -> None:
        self._changed = changed
        self.setProperty("changed", "yes" if changed else "no")
        self.style().unpolish(self)
        self.style().polish(self)

    @property
    def changed(self) -> bool:
        return self._changed

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.reset.emit()


class Row(QWidget):
    """Base of all rows: tells what was set, shows what the model holds."""

    edited = Signal(object)
    finished = Signal()
    refused = Signal(str)

    def __init__(self, ui: Ui, spec: FieldSpec) -> None:
        super().__init__()
        self.ui, self.spec = ui, spec
        self.name = NameLabel(ui, spec)
        self.name.reset.connect(self._reset)

    def _reset(self) -> None:
        self.edited.emit(self.spec.default)
        self.finished.emit()

    def setVisible(self, visible: bool) -> None:
        if not visible:
            let_go(self)
        super().setVisible(visible)

    def follow(self, studio: Studio) -> None:
        """Follow what the project offers; most rows need nothing of it."""

    def show_value(self, value: Any, facts: Facts) -> None:
        """Follow the model; emits nothing."""
        changed = value != self.spec.default
        if changed != self.name.changed:
            self.name.show_changed(changed)
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.name.changed:
            painter = QPainter(self)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.ui.colour("accent"))
            middle = self.name.geometry().center().y() + 0.5
            painter.drawEllipse(QRectF(self.ui.px(3), middle - 2, 4, 4))
