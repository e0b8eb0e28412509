"""The falloff's profile: a large drawing, and five small ones to choose from."""

from __future__ import annotations

from typing import Any, cast

import numpy as np
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.params import CurvePoints, Stroke, Strokes, specs
from engraver.core.recipe import Step
from engraver.core.steps.falloff import BOXES, HOLE, SIDES, Falloff, Profile, profile_curve
from engraver.core.words import counted

from ..painting import polyline
from ..ui import Ui, named
from .curve_box import CurveBox
from .seen import Seen
from .tip_box import TipBox

# How a tip is laid along a border: close, turned by chance, and not all of one size.
_TIP: dict[str, Any] = {"spacing": 0.6, "turn": 180.0, "vary": 0.4}
_NAME = 24


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
        x = area.left() + np.linspace(0, 1, len(curve)) * area.width()
        painter.setPen(QPen(ui.colour("accent" if self.isChecked() else "ink"), 1.6))
        painter.drawPolyline(polyline(x, area.bottom() - curve * area.height()))
        painter.setFont(ui.font(10, 600 if self.isChecked() else 400))
        painter.setPen(ui.colour("ink"))
        low = QRectF(self.rect()).adjusted(0, self.height() - ui.px(17), 0, -2)
        painter.drawText(low, Qt.AlignmentFlag.AlignCenter, self._label)


def _drawn_words(strokes: Strokes) -> str:
    """How many outlines are drawn, parts and holes told apart."""
    if not strokes:
        return "Draw round what is to stay."
    holes = sum(stroke.tag == HOLE for stroke in strokes)
    drawn = ((len(strokes) - holes, "part"), (holes, "hole"))
    return ", ".join(counted(count, word) for count, word in drawn if count) + " drawn."


class FalloffBox(QWidget):
    """Shows the profile in force; the free one has points to drag."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self._shown: tuple[Profile, CurvePoints] | None = None
        self._strokes: Strokes = ()
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
        sides = QHBoxLayout()
        sides.setSpacing(ui.px(4))
        sides.setContentsMargins(ui.px(12), ui.px(6), 0, 0)
        sides.addWidget(QLabel("Sides"), 1)
        self.sides_row = QWidget()
        self.sides_row.setLayout(sides)
        self.sides: dict[str, QPushButton] = {}
        for name in SIDES:
            side_button = named(QPushButton(name.capitalize()), "profile")
            side_button.setCheckable(True)
            side_button.setFixedHeight(ui.px(24))
            side_button.setToolTip("Whether this side fades; a strip goes on over the sides that do not")
            side_button.clicked.connect(lambda on, n=name: self._sided(n, bool(on)))
            sides.addWidget(side_button)
            self.sides[name] = side_button
        box.addWidget(self.sides_row)
        self.tips = TipBox(ui, "None taken")
        self.tips.chosen.connect(self._tipped)
        box.addWidget(self.tips)
        drawn = QHBoxLayout()
        self.drawn = QWidget()
        self.drawn.setLayout(drawn)
        drawn.setContentsMargins(ui.px(12), ui.px(6), 0, 0)
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        self.clear = named(QPushButton("Remove the last"), "link")
        self.clear.clicked.connect(self._remove)
        drawn.addWidget(self.words, 1)
        drawn.addWidget(self.clear, 0, Qt.AlignmentFlag.AlignTop)
        box.addWidget(self.drawn)

    def _tipped(self, plate: str, tip: bytes, name: str) -> None:
        """A plate's tones are laid along the border; what was taken over keeps its name as what it says."""
        laid = Stroke.through([(0.5, 0.5)], 0.05, name[:_NAME], tip=tip, tip_plate=plate, **_TIP)
        made = (laid,) if laid.tipped else ()
        self.edited.emit({"tip": made})
        self.finished.emit()

    def _sided(self, name: str, on: bool) -> None:
        self.edited.emit({name: on})
        self.finished.emit()

    def _remove(self) -> None:
        self.edited.emit({"strokes": self._strokes[:-1]})
        self.finished.emit()

    def _choose(self, profile: str) -> None:
        self.edited.emit({"profile": profile})
        self.finished.emit()

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model."""
        values = step.params
        if not isinstance(values, Falloff):
            return
        for button in self.buttons.values():
            if button.values.points != values.points and button.profile == "free":
                button.update()
            button.values = values
            button.setChecked(button.profile == values.profile)
        self.sides_row.setVisible(values.outline in BOXES)
        for name, side in self.sides.items():
            side.setChecked(getattr(values, name))
        self.tips.setVisible(values.ragged_by == "tip")
        stroke = values.tip[0] if values.tip else None
        self.tips.follow(stroke.tip_plate if stroke else "", stroke.tag if stroke else "")
        self._strokes = values.strokes
        self.drawn.setVisible(values.outline == "free")
        self.words.setText(_drawn_words(values.strokes))
        self.clear.setVisible(bool(values.strokes))
        shown = (values.profile, values.points)
        if shown == self._shown:
            return
        self._shown = shown
        self.curve.show_points(values.points)
        if values.profile != "free":
            self.curve.show_drawn(profile_values(values, values.profile))
