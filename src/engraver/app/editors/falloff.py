"""The falloff's profile: a large drawing, and five small ones to choose from."""

from __future__ import annotations

from typing import cast

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.params import specs
from engraver.core.params.fields import CurvePoints
from engraver.core.steps.edge import Falloff, Profile, profile_curve

from ..ui import Ui, named
from .curve_box import CurveBox


def profile_values(values: Falloff, profile: Profile, count: int = 65) -> np.ndarray:
    """A profile at equal steps from the border to the inside."""
    steps = np.linspace(0, 1, count, dtype=np.float32)[None]
    curve: np.ndarray = profile_curve(steps, profile, values.points)[0]
    return curve


class _ProfileButton(QPushButton):
    def __init__(self, ui: Ui, profile: Profile, label: str) -> None:
        super().__init__()
        self._ui, self._label = ui, label
        self.profile = profile
        self.values = Falloff()
        self.setObjectName("profile")
        self.setCheckable(True)
        self.setAccessibleName(label)
        self.setFixedHeight(ui.px(40))
        self.setMinimumWidth(ui.px(44))

    def sizeHint(self) -> QSize:
        return QSize(self._ui.px(48), self._ui.px(40))

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        ui, painter = self._ui, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(self.rect()).adjusted(ui.px(9), ui.px(6), -ui.px(9), -ui.px(18))
        curve = profile_values(self.values, self.profile, 25)
        path = QPainterPath()
        for n, value in enumerate(curve):
            place = QPointF(area.left() + n / 24 * area.width(), area.bottom() - float(value) * area.height())
            path.moveTo(place) if n == 0 else path.lineTo(place)
        painter.setPen(QPen(ui.colour("accent" if self.isChecked() else "ink"), 1.6))
        painter.drawPath(path)
        painter.setFont(ui.font(10, 600 if self.isChecked() else 400))
        painter.setPen(ui.colour("ink"))
        low = QRectF(self.rect()).adjusted(0, self.height() - ui.px(17), 0, -2)
        painter.drawText(low, Qt.AlignmentFlag.AlignCenter, self._label)


class FalloffBox(QWidget):
    """Shows the profile in force; the free one has points to drag."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self._shown: tuple[Profile, CurvePoints] | None = None
        self.curve = CurveBox(ui)
        self.curve.edited.connect(lambda points: self.edited.emit({"profile": "free", "points": points}))
        self.curve.finished.connect(self.finished)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(4))
        box.addWidget(self.curve)
        ends = QHBoxLayout()
        for text, side in (("border", Qt.AlignmentFlag.AlignLeft), ("inside", Qt.AlignmentFlag.AlignRight)):
            label = named(QLabel(text), "second")
            label.setAlignment(side)
            ends.addWidget(label)
        box.addLayout(ends)
        row = QHBoxLayout()
        row.setSpacing(ui.px(4))
        self._group = QButtonGroup(self)
        self.buttons: dict[str, _ProfileButton] = {}
        for value, words in specs(Falloff)["profile"].choices:
            button = _ProfileButton(ui, cast(Profile, value), words)
            button.clicked.connect(lambda _=False, v=value: self._choose(v))
            self._group.addButton(button)
            self.buttons[value] = button
            row.addWidget(button)
        box.addLayout(row)

    def _choose(self, profile: str) -> None:
        self.edited.emit({"profile": profile})
        self.finished.emit()

    def show_values(self, values: Falloff) -> None:
        for button in self.buttons.values():
            if button.values.points != values.points and button.profile == "free":
                button.update()
            button.values = values
            button.setChecked(button.profile == values.profile)
        shown = (values.profile, values.points)
        if shown == self._shown:
            return
        self._shown = shown
        self.curve.show_points(values.points)
        if values.profile != "free":
            self.curve.show_drawn(profile_values(values, values.profile))
