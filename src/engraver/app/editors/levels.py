"""Levels: black, white and the middle as upright lines through the histogram, outputs on its side."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from engraver.core.raster import ZERO_LEVEL
from engraver.core.recipe import Step
from engraver.core.steps.contrast import Levels, tone_levels

from ..painting import polyline
from ..ui import Ui
from .curve_box import histogram_path
from .seen import Seen
from .tone_span import WHOLE, fits, span_of

_LINES = ("black", "gamma", "white")
_SIDE = 18
# Where less of the tones is shown than this, keys move in smaller steps.
_FINE = 0.3


def ends_of(params: Levels, autos: Mapping[str, float] | None) -> tuple[float, float]:
    """The tones that become black and white: held, or found."""
    if params.find == "held" or not autos:
        return params.black, params.white
    return autos.get("black", params.black), autos.get("white", params.white)


class LevelsBox(QWidget):
    """Dragging black or white holds them as numbers; the outputs stand at the right edge."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self._ui = ui
        self.values = Levels()
        self.ends = (0.0, 1.0)
        self.counts: np.ndarray | None = None
        self.after: np.ndarray | None = None
        self.toned: float | None = None
        self._held = ""
        self._focus = "black"
        self.span, self._all = WHOLE, False
        self.setMinimumHeight(ui.px(132))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(
            "Drag the lines: what is dark becomes black, what is light becomes white, and the middle.\n"
            "The marks at the right are what black and white come out as.\n"
            "Narrow ranges of tones are shown wider; the right button, or Space, shows all tones, or these again."
        )

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model."""
        if isinstance(step.params, Levels):
            self.show_values(step.params, ends_of(step.params, seen.autos), seen.counts)
            self.show_after(seen.after, seen.toned)

    def show_values(self, values: Levels, ends: tuple[float, float], counts: np.ndarray | None) -> None:
        self.values, self.ends, self.counts = values, ends, counts
        self._look()
        self.update()

    def _look(self) -> None:
        """Look where the tones are; under the hand nothing moves."""
        if self._held:
            return
        wanted = WHOLE if self._all or self.counts is None else span_of(self.counts, self.ends)
        if self._all or not fits(self.span, wanted):
            self.span = wanted

    def _turn(self) -> None:
        """All tones, or where they are."""
        self._all = not self._all
        self.span = WHOLE
        self._look()
        self.update()

    def show_after(self, counts: np.ndarray | None, toned: float | None) -> None:
        """The histogram that comes out, and the tone pressed on the plate."""
        self.after, self.toned = counts, toned
        self.update()

    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(7, 7, -_SIDE - 4, -14)

    def _x(self, tone: float) -> float:
        area, tones = self._area(), self._tones()
        x = tones.left() + tone * tones.width()
        return min(area.left() + 1.06 * area.width(), max(area.left() - 0.03 * area.width(), x))

    def _tones(self) -> QRectF:
        """Where all tones would be drawn."""
        area, (low, high) = self._area(), self.span
        wide = area.width() / (high - low)
        return QRectF(area.left() - low * wide, area.top(), wide, area.height())

    def _y(self, tone: float) -> float:
        area = self._area()
        return area.bottom() - tone * area.height()

    def place_of(self, name: str) -> QPointF:
        """Where a grip is drawn."""
        black, white = self.ends
        area = self._area()
        if name == "out_black":
            return QPointF(area.right() + _SIDE / 2, self._y(self.values.out_black))
        if name == "out_white":
            return QPointF(area.right() + _SIDE / 2, self._y(self.values.out_white))
        tone = {"black": black, "white": white}.get(name, black + (white - black) * 0.5**self.values.gamma)
        return QPointF(self._x(tone), area.bottom() + 6)

    def _near(self, place: QPointF) -> str:
        area = self._area()
        if place.x() > area.right() + 3:
            return min(("out_black", "out_white"), key=lambda n: abs(self.place_of(n).y() - place.y()))
        return min(_LINES, key=lambda n: abs(self.place_of(n).x() - place.x()))

    def _drag(self, name: str, place: QPointF) -> None:
        area, tones = self._area(), self._tones()
        tone = round(min(1.0, max(0.0, (place.x() - tones.left()) / tones.width())), 4)
        height = round(min(1.0, max(0.0, (area.bottom() - place.y()) / area.height())), 3)
        self._set(name, height if name.startswith("out") else tone)

    def _set(self, name: str, value: float) -> None:
        black, white = self.ends
        changes: dict[str, Any]
        if name.startswith("out"):
            changes = {name: value}
        elif name == "gamma":
            share = min(0.97, max(0.03, (value - black) / max(white - black, 1e-4)))
            changes = {"gamma": round(min(10.0, max(0.1, math.log(share) / math.log(0.5))), 3)}
        else:
            low = min(value, white - 0.005) if name == "black" else black
            high = max(value, black + 0.005) if name == "white" else white
            changes = {"find": "held", "black": round(low, 4), "white": round(high, 4)}
        self.edited.emit(changes)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = self._focus = self._near(event.position())
            self._drag(self._held, event.position())
        elif event.button() == Qt.MouseButton.RightButton:
            self._turn()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._drag(self._held, event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = ""
            self.finished.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        names = (*_LINES, "out_black", "out_white")
        key = event.key()
        if key == Qt.Key.Key_Space:
            self._turn()
            return
        if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            move = 1 if key == Qt.Key.Key_PageDown else -1
            self._focus = names[(names.index(self._focus) + move) % len(names)]
            self.update()
            return
        step = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Down: -0.01, Qt.Key.Key_Right: 0.01, Qt.Key.Key_Up: 0.01}.get(
            Qt.Key(key)
        )
        if step is None:
            super().keyPressEvent(event)
            return
        if not self._focus.startswith("out") and self.span[1] - self.span[0] < _FINE:
            step /= 10
        black, white = self.ends
        now = {
            "black": black, "white": white, "out_black": self.values.out_black, "out_white": self.values.out_white,
            "gamma": black + (white - black) * 0.5 ** self.values.gamma,
        }[self._focus]  # fmt: skip
        self._set(self._focus, min(1.0, max(0.0, now + step)))
        self.finished.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter, area = self._ui, QPainter(self), self._area()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(ui.colour("accent") if self.hasFocus() else ui.colour("line"))
        painter.setBrush(ui.colour("card"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        painter.setClipRect(area.adjusted(-1, 0, 1, 1))
        if self.counts is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ui.colour("well"))
            painter.drawPath(histogram_path(self.counts, self._tones()))
        if self.after is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(ui.colour("ink_2"), 1))
            painter.drawPath(histogram_path(self.after, self._tones()))
        if self.toned is not None:
            x = self._x(self.toned)
            painter.setPen(QPen(ui.colour("look"), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        black, white = self.ends
        tones = np.linspace(*self.span, 129, dtype=np.float32)[None]
        look = ui.pictures.look
        zero = ZERO_LEVEL[look.result.facts.zero] if look is not None else 0.0
        curve = np.clip(tone_levels(tones, black, white, self.values, zero)[0], 0, 1)
        across = area.left() + np.linspace(0, 1, len(curve)) * area.width()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(ui.colour("ink_2"), 1.2))
        painter.drawPolyline(polyline(across, area.bottom() - curve * area.height()))
        painter.setClipping(False)
        if self.span != WHOLE:
            painter.setFont(ui.font(9))
            painter.setPen(ui.colour("ink_2"))
            for tone, side in zip(self.span, (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight), strict=True):
                painter.drawText(area.adjusted(2, 0, -2, 0), side | Qt.AlignmentFlag.AlignTop, f"{tone * 100:.0f} %")
        held = self.values.find == "held"
        for name in _LINES:
            place = self.place_of(name)
            chosen = self.hasFocus() and name == self._focus
            style = Qt.PenStyle.SolidLine if held or name == "gamma" else Qt.PenStyle.DashLine
            painter.setPen(QPen(ui.colour("accent"), 2.0 if name != "gamma" else 1.2, style))
            painter.drawLine(QPointF(place.x(), area.top()), QPointF(place.x(), area.bottom()))
            painter.setPen(QPen(ui.colour("accent"), 1.6))
            fill = {"black": "ink", "white": "card", "gamma": "ink_2"}[name]
            if ui.theme.id == "lamp":
                fill = {"black": "well", "white": "ink", "gamma": "ink_2"}[name]
            painter.setBrush(ui.colour(fill))
            painter.drawEllipse(place, 6.0 if chosen else 4.8, 6.0 if chosen else 4.8)
        ramp = QRectF(area.right() + _SIDE / 2 - 2, area.top(), 4, area.height())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ui.colour("well"))
        painter.drawRoundedRect(ramp, 2, 2)
        for name in ("out_black", "out_white"):
            place = self.place_of(name)
            chosen = self.hasFocus() and name == self._focus
            painter.setPen(QPen(ui.colour("accent"), 1.6))
            painter.setBrush(ui.colour("ink" if (name == "out_black") == (ui.theme.id == "day") else "card"))
            painter.drawEllipse(place, 5.6 if chosen else 4.4, 5.6 if chosen else 4.4)
