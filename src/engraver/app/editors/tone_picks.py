"""Under the levels and the curve: tones picked on the plate, what is cut off, and curves to start from."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from types import MappingProxyType
from typing import Any

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from engraver.core.params import CurvePoints
from engraver.core.raster import ZERO_LEVEL
from engraver.core.recipe import Step
from engraver.core.steps.contrast import Curve, Levels

from ..ui import Ui, named
from .levels import ends_of
from .seen import Seen

PICKS = (
    ("pick-low", "Darkest", "Press, then the plate: that tone becomes black."),
    ("pick-zero", "Zero", "Press, then the plate: that tone becomes the grey that is zero."),
    ("pick-high", "Highest", "Press, then the plate: that tone becomes white."),
)
STARTS: Mapping[str, CurvePoints] = MappingProxyType({
    "Straight": ((0.0, 0.0), (1.0, 1.0)),
    "More contrast": ((0.0, 0.0), (0.25, 0.16), (0.75, 0.84), (1.0, 1.0)),
    "Less contrast": ((0.0, 0.0), (0.25, 0.34), (0.75, 0.66), (1.0, 1.0)),
    "Lift the middle": ((0.0, 0.0), (0.4, 0.6), (1.0, 1.0)),
    "Lower the middle": ((0.0, 0.0), (0.6, 0.4), (1.0, 1.0)),
    "Flat foot and head": ((0.0, 0.0), (0.12, 0.0), (0.88, 1.0), (1.0, 1.0)),
    "Only the peaks": ((0.0, 0.0), (0.55, 0.02), (1.0, 1.0)),
})  # fmt: skip
_GAP = 0.01


def with_point(points: CurvePoints, x: float, y: float) -> CurvePoints:
    """The curve through one more point, in the place of those right beside it."""
    x = min(1.0, max(0.0, x))
    kept = [p for p in points if abs(p[0] - x) >= 2 * _GAP]
    return tuple(sorted([*kept, (round(x, 4), y)]))[:32]


class TonePicks(QWidget):
    """Follows the chosen levels or curve."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui, step: Step) -> None:
        super().__init__()
        self.ui, self.uid = ui, step.uid
        self.ends = (0.0, 1.0)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(4))
        row = QHBoxLayout()
        row.setSpacing(ui.px(3))
        self.buttons: dict[str, QPushButton] = {}
        for name, words, help in PICKS:
            button = named(QPushButton(words), "profile")
            button.setCheckable(True)
            button.setToolTip(help)
            button.setFixedHeight(ui.px(24))
            button.clicked.connect(partial(self._wait, name))
            row.addWidget(button)
            self.buttons[name] = button
        if isinstance(step.params, Curve):
            self.starts = named(QPushButton("Start from ▾"), "profile")
            self.starts.setFixedHeight(ui.px(24))
            self.starts.clicked.connect(self._open_starts)
            row.addWidget(self.starts)
        box.addLayout(row)
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        box.addWidget(self.words)
        ui.hand.changed.connect(self._follow_hand)
        ui.hand.picked.connect(self._picked)
        self._follow_hand()

    def _follow_hand(self) -> None:
        for name, button in self.buttons.items():
            button.setChecked(self.ui.hand.brush.picking == name)

    def _wait(self, name: str) -> None:
        waiting = self.ui.hand.brush.picking == name
        self.ui.hand.set(picking="" if waiting else name)

    def starts_menu(self) -> QMenu:
        """The curves to start from."""
        menu = QMenu(self)
        for words, points in STARTS.items():
            menu.addAction(words, partial(self._emit, {"points": points}))
        return menu

    def _open_starts(self) -> None:
        self.starts_menu().exec(self.starts.mapToGlobal(self.starts.rect().bottomLeft()))

    def _emit(self, changes: dict[str, Any]) -> None:
        self.edited.emit(changes)
        self.finished.emit()

    def _picked(self, name: str, value: object) -> None:
        step = self.ui.studio.step
        if name not in self.buttons or step is None or step.uid != self.uid or not isinstance(value, float):
            return
        look = self.ui.pictures.look
        zero = ZERO_LEVEL[look.result.raster.zero] if look is not None else 0.0
        if isinstance(step.params, Curve):
            y = {"pick-low": 0.0, "pick-zero": zero, "pick-high": 1.0}[name]
            self._emit({"points": with_point(step.params.points, value, y)})
        else:
            self._emit(self._levels(name, value, zero))

    def _levels(self, name: str, value: float, zero: float) -> dict[str, Any]:
        black, white = self.ends
        if name == "pick-high":
            white = max(value, black + 0.005)
        elif name == "pick-low" or zero <= 0:
            black = min(value, white - 0.005)
        else:  # black so far below that the picked tone comes out in the middle
            value = min(value, white - 0.005)
            black = value - (white - value) * zero / (1 - zero)
        return {"find": "held", "black": round(black, 4), "white": round(white, 4)}

    def show_step(self, step: Step, seen: Seen) -> None:
        """Which ends are in force, and what they cut off."""
        self.uid = step.uid
        ends = ends_of(step.params, seen.autos) if isinstance(step.params, Levels) else (0.0, 1.0)
        self.ends, counts = ends, seen.counts
        words = ""
        if counts is not None and isinstance(step.params, Levels):
            at = (np.arange(len(counts)) + 0.5) / len(counts)
            total = max(float(counts.sum()), 1.0)
            low, high = (float(counts[part].sum()) / total for part in (at < ends[0], at > ends[1]))
            words = f"Cut off: {low * 100:.1f} % at black, {high * 100:.1f} % at white"
        elif counts is not None:
            words = "Press on the plate to see its tone on the curve."
        self.words.setText(words)
        self.words.setVisible(bool(words))
