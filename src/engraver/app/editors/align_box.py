"""Lining up several items of a plate, and spreading them evenly."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from types import MappingProxyType

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from engraver.core.shapes.frames import Frame, aligned, spread

from ..ui import Ui
from .drawn_button import DrawnButton

_WORDS: Mapping[str, str] = MappingProxyType({
    "left": "Left borders on a line", "middle": "Middles on an upright line", "right": "Right borders on a line",
    "top": "Top borders on a line", "centre": "Middles on a level line", "bottom": "Bottom borders on a line",
    "spread-x": "Spread across, with equal gaps", "spread-y": "Spread down, with equal gaps",
})  # fmt: skip
# Three bars of unlike length, as shares of a button: where each begins and how long it is, by what lines them up.
_LONG = (0.9, 0.5, 0.7)


class _WayButton(DrawnButton):
    """Shows what it does with three bars and a line."""

    def __init__(self, ui: Ui, way: str) -> None:
        super().__init__(ui, _WORDS[way])
        self._way = way
        self.setFixedSize(ui.px(27), ui.px(26))

    def _bars(self) -> list[tuple[float, float]]:
        """Begin and end of the bars, as shares."""
        if self._way in ("left", "top"):
            return [(0.0, v) for v in _LONG]
        if self._way in ("right", "bottom"):
            return [(1 - v, 1.0) for v in _LONG]
        return [(0.5 - v / 2, 0.5 + v / 2) for v in _LONG]

    def draw(self, painter: QPainter, area: QRectF) -> None:
        if self._way.endswith("-y") or self._way in ("top", "centre", "bottom"):
            painter.translate(self.rect().center().x() + 0.5, self.rect().center().y() + 0.5)
            painter.rotate(90)
            painter.scale(1, -1)
            area.moveCenter(QRectF(0, 0, 0, 0).center())
        if self._way.startswith("spread"):
            for k in (0, 0.4, 0.8):
                painter.drawRect(
                    QRectF(area.left() + k * area.width(), area.top(), area.width() * 0.2, area.height())
                )
            return
        for n, (a, b) in enumerate(self._bars()):
            y = area.top() + area.height() * (n * 0.36 + 0.04)
            painter.drawRect(QRectF(area.left() + a * area.width(), y, (b - a) * area.width(), area.height() * 0.2))


class AlignBox(QWidget):
    """A row of ways. ``moved`` tells the frames as they should be."""

    moved = Signal(object)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(12), 0, 0, 0)
        row.setSpacing(ui.px(3))
        self.frames: dict[int, Frame] = {}
        self.buttons: dict[str, QPushButton] = {}
        for way in _WORDS:
            button = _WayButton(ui, way)
            button.clicked.connect(partial(self._pressed, way))
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
            self.buttons[way] = button
        row.addStretch(1)

    def show_frames(self, frames: dict[int, Frame]) -> None:
        """The frames that are lined up; two at least, three to be spread."""
        self.frames = frames
        self.setVisible(len(frames) > 1)
        for way in ("spread-x", "spread-y"):
            self.buttons[way].setEnabled(len(frames) > 2)

    def _pressed(self, way: str, _: bool = False) -> None:
        if way.startswith("spread"):
            self.moved.emit(spread(self.frames, "x" if way.endswith("x") else "y"))
        else:
            self.moved.emit(aligned(self.frames, way))  # type: ignore[arg-type]
