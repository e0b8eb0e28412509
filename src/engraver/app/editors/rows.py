"""One row per parameter, built from its declaration."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QStyle,
    QStyleOptionComboBox,
    QStylePainter,
    QVBoxLayout,
)

from engraver.core.params import FieldSpec, specs
from engraver.core.raster import Facts
from engraver.core.sources import source_kind

from ..freezing import take_over
from ..studio import Studio
from ..ui import Ui, named
from .number_row import NumberRow
from .row import Row


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
