"""A number: typed, moved by a slider, the wheel or keys."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QKeyEvent, QWheelEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout

from engraver.core.errors import BadValue
from engraver.core.params import FieldSpec, shown_value, typed_value
from engraver.core.raster import Facts

from ..ui import Ui
from .row import Row
from .slider import Slider

WIDEST = 1e5
_NONE, _SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier


class NumberField(QLineEdit):
    """Where a number is typed; the wheel and the arrow keys move it a step, with Shift ten. Escape takes back what
    was typed.

    Once Enter has taken the number the eye is elsewhere, and so are the keys. No number begins with a letter: one
    that is typed first is a command's.
    """

    nudged = Signal(int)
    escaped = Signal()
    entered = Signal()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self._is_command(event):
            event.ignore()
            return True
        return super().event(event)

    def _is_command(self, event: QKeyEvent) -> bool:
        return event.text().isalpha() and not self.isModified() and event.modifiers() in (_NONE, _SHIFT)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.hasFocus():
            self.nudged.emit(1 if event.angleDelta().y() > 0 else -1)
            event.accept()
        else:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            much = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            self.nudged.emit(much if event.key() == Qt.Key.Key_Up else -much)
        elif event.key() == Qt.Key.Key_Escape:
            self.escaped.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            super().keyPressEvent(event)
            if self.property("wrong") != "yes":
                self.entered.emit()
        elif self._is_command(event):
            event.ignore()
        else:
            super().keyPressEvent(event)


class NumberRow(Row):
    """Name and number on one line, a full-width slider below."""

    def __init__(self, ui: Ui, spec: FieldSpec) -> None:
        super().__init__(ui, spec)
        self._facts = Facts(1, 1)
        self._value: Any = spec.default
        self.field = NumberField()
        self.field.setFixedWidth(ui.px(66))
        self.field.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.field.setFont(ui.font(12))
        self.field.setAccessibleName(spec.label)
        lo, hi = spec.slider
        self.slider = Slider(ui, lo, hi, spec.step)
        self.slider.setAccessibleName(spec.label)
        # Tab goes from number to number, so that they are typed one after the other; arrow keys move them there, too.
        self.slider.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(12), 0, 0, 0)
        box.setSpacing(ui.px(1))
        top = QHBoxLayout()
        top.addWidget(self.name, 1)
        top.addWidget(self.field)
        box.addLayout(top)
        box.addWidget(self.slider)
        # A range without ends, such as that of elevations, is typed.
        self.slider.setVisible(hi - lo < WIDEST)
        self.slider.moved.connect(self._slid)
        self.slider.released.connect(self.finished)
        self.field.editingFinished.connect(self._typed)
        self.field.nudged.connect(self.slider.nudge)
        self.field.escaped.connect(self._escaped)
        self.field.entered.connect(self._leave)

    def _leave(self) -> None:
        """On to the slider, from where Tab and the arrow keys go on and other keys are the window's."""
        if self.slider.isVisible():
            self.slider.setFocus()
        else:
            self.field.clearFocus()

    def _slid(self, value: float) -> None:
        self.edited.emit(int(value) if self.spec.kind.whole else value)

    def _typed(self) -> None:
        if self.field.text() == shown_value(self._value, self.spec, self._facts):
            return
        try:
            value = typed_value(self.field.text(), self.spec, self._facts)
        except BadValue as error:
            self._wrong(error.sentence())
            return
        lo, hi = self.spec.lo, self.spec.hi
        if (lo is not None and value < lo) or (hi is not None and value > hi):
            assert lo is not None and hi is not None
            allowed = f"{shown_value(lo, self.spec, self._facts)} to {shown_value(hi, self.spec, self._facts)}"
            self._wrong(f"{self.spec.label} goes from {allowed}.")
            return
        self._wrong("")
        self.edited.emit(value)
        self.finished.emit()
        self.field.setText(shown_value(self._value, self.spec, self._facts))

    def _wrong(self, sentence: str) -> None:
        self.field.setProperty("wrong", "yes" if sentence else "no")
        self.field.style().polish(self.field)
        self.field.setToolTip(sentence)
        if sentence:
            self.refused.emit(sentence)

    def _escaped(self) -> None:
        """What was typed is taken back."""
        self.field.setText(shown_value(self._value, self.spec, self._facts))
        self._wrong("")

    def show_value(self, value: Any, facts: Facts) -> None:
        self._value, self._facts = value, facts
        self.slider.show_value(float(value))
        text = shown_value(value, self.spec, facts)
        if self.field.text() != text and not (self.field.hasFocus() and self.field.isModified()):
            self.field.setText(text)
        super().show_value(value, facts)
