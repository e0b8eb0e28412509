"""One row per parameter, built from its declaration."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QStyle,
    QStyleOptionComboBox,
    QStylePainter,
    QVBoxLayout,
    QWidget,
)

from engraver.core.errors import BadValue
from engraver.core.params import FieldSpec, shown_value, specs, typed_value
from engraver.core.raster import Facts
from engraver.core.sources import source_kind

from ..freezing import take_over
from ..studio import Studio
from ..ui import Ui, let_go, named
from .slider import Slider

WIDEST = 1e5
_NONE, _SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier


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


class NumberField(QLineEdit):
    """Where a number is typed; the wheel and the arrow keys move it a step, Escape takes back what was typed.

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
            self.nudged.emit(1 if event.key() == Qt.Key.Key_Up else -1)
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


class ChoiceRow(Row):
    """Name at the left, a list at the right."""

    def __init__(self, ui: Ui, spec: FieldSpec) -> None:
        super().__init__(ui, spec)
        self.box = Choice(ui)
        for value, label in spec.choices:
            self.box.addItem(label, value)
        self.box.setAccessibleName(spec.label)
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(12), 0, 0, 0)
        row.addWidget(self.name, 2)
        row.addWidget(self.box, 3)
        self.box.activated.connect(self._chosen)

    def _chosen(self, place: int) -> None:
        self.edited.emit(self.box.itemData(place))
        self.finished.emit()

    def show_value(self, value: Any, facts: Facts) -> None:
        self.box.setCurrentIndex(self.box.findData(value))
        super().show_value(value, facts)


class Choice(QComboBox):
    """A list with our own arrow; the wheel scrolls the panel, not the list."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self._ui = ui
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        # A long entry does not push the panel wider: it is cut with dots where it is shown.
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(6)

    def offer(self, offered: list[tuple[Any, str]]) -> None:
        """The values that can be chosen, with their words."""
        if offered != [(self.itemData(n), self.itemText(n)) for n in range(self.count())]:
            self.clear()
            for value, label in offered:
                self.addItem(label, value)

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, option = QStylePainter(self), QStyleOptionComboBox()
        self.initStyleOption(option)
        field = QStyle.SubControl.SC_ComboBoxEditField
        room = self.style().subControlRect(QStyle.ComplexControl.CC_ComboBox, option, field, self).width()
        option.currentText = self.fontMetrics().elidedText(option.currentText, Qt.TextElideMode.ElideRight, room)
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._ui.colour("ink_2"))
        x, y, s = self.width() - self._ui.px(13), self.height() / 2 + 1, self._ui.px(3) + 0.5
        painter.drawPolygon([QPointF(x - s, y - s / 2), QPointF(x + s, y - s / 2), QPointF(x, y + s)])


class Switch(QAbstractButton):
    """A small switch: on is good's colour with the knob at the right."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self._ui = ui
        self.setCheckable(True)
        self.setFixedSize(ui.px(36), ui.px(24))
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter = self._ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        height = ui.px(18)
        body = QRectF(1, (self.height() - height) / 2, self.width() - 2, height)
        painter.setPen(ui.colour("accent") if self.hasFocus() else ui.colour("ink_2"))
        painter.setBrush(ui.colour("good") if self.isChecked() else ui.colour("well"))
        painter.drawRoundedRect(body, height / 2, height / 2)
        knob = height - 6
        x = body.right() - knob - 3 if self.isChecked() else body.left() + 3
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ui.colour("card"))
        painter.drawEllipse(QRectF(x, body.top() + 3, knob, knob))


class FlagRow(Row):
    """Name at the left, a switch at the right."""

    def __init__(self, ui: Ui, spec: FieldSpec) -> None:
        super().__init__(ui, spec)
        self.switch = Switch(ui)
        self.switch.setAccessibleName(spec.label)
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(12), 0, 0, 0)
        row.addWidget(self.name, 1)
        row.addWidget(self.switch)
        self.switch.clicked.connect(self._switched)

    def _switched(self) -> None:
        self.edited.emit(self.switch.isChecked())
        self.finished.emit()

    def show_value(self, value: Any, facts: Facts) -> None:
        self.switch.setChecked(bool(value))
        super().show_value(value, facts)


class ListRow(ChoiceRow):
    """A choice whose entries are known only from what is open."""

    def offer(self, offered: list[tuple[Any, str]]) -> None:
        """The values that can be chosen, with their words."""
        self.box.offer(offered)


class SourceRow(ListRow):
    """Another picture of the project, by its name."""

    def follow(self, studio: Studio) -> None:
        """Offer the pictures of the project besides the plate's own."""
        own = studio.plate.source if studio.plate is not None else ""
        others = [(s.id, s.name) for s in studio.project.sources if source_kind(s.kind).referable and s.id != own]
        self.offer([("", "None chosen"), *others])


class WordsRow(Row):
    """Name above, a field of a few lines below; what is typed takes effect at once."""

    def __init__(self, ui: Ui, spec: FieldSpec) -> None:
        super().__init__(ui, spec)
        self.field = QPlainTextEdit()
        self.field.setTabChangesFocus(True)
        self.field.setFixedHeight(ui.px(62))
        self.field.setAccessibleName(spec.label)
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(12), 0, 0, 0)
        box.setSpacing(ui.px(2))
        box.addWidget(self.name)
        box.addWidget(self.field)
        self.field.textChanged.connect(lambda: self.edited.emit(self.field.toPlainText()))

    def show_value(self, value: Any, facts: Facts) -> None:
        if self.field.toPlainText() != value:
            self.field.blockSignals(True)
            self.field.setPlainText(value)
            self.field.blockSignals(False)
        super().show_value(value, facts)


class PlateRow(ListRow):
    """Another plate of the project, by its name; it can be taken over as it is now."""

    def __init__(self, ui: Ui, spec: FieldSpec) -> None:
        super().__init__(ui, spec)
        self.take = named(QPushButton("Take over"), "link")
        self.take.setToolTip("Take over as it is now: its later changes are not followed any more.")
        self.take.clicked.connect(self._take_over)
        layout = self.layout()
        assert layout is not None
        layout.addWidget(self.take)
        self.take.hide()

    def _take_over(self) -> None:
        step = self.ui.studio.step
        if step is not None:
            field = next(name for name, spec in specs(step.declared.params).items() if spec is self.spec)
            take_over(self.ui.studio, self.ui.pictures, step.uid, field)

    def show_value(self, value: Any, facts: Facts) -> None:
        super().show_value(value, facts)
        self.take.setVisible(bool(value))

    def follow(self, studio: Studio) -> None:
        """Offer the other plates of the project."""
        others = [(p.id, p.name) for p in studio.project.plates if p.id != studio.plate_id]
        self.offer([("", "None chosen"), *others])


_ROWS: Mapping[str, type[Row]] = MappingProxyType({
    "number": NumberRow, "choice": ChoiceRow, "switch": FlagRow, "source": SourceRow, "plate": PlateRow,
    "words": WordsRow,
})  # fmt: skip
# Fields whose editor is a row of another kind.
_OWN_ROWS: Mapping[str, type[Row]] = MappingProxyType({"body": ListRow})


def row_for(ui: Ui, spec: FieldSpec) -> Row:
    """The row that suits a field."""
    return (_OWN_ROWS.get(spec.editor) or _ROWS[spec.kind.row])(ui, spec)
