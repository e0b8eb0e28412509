"""A curve through points, with a histogram behind it where there is one."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QVBoxLayout, QWidget

from engraver.core.numeric import monotone
from engraver.core.params import CurvePoints
from engraver.core.recipe import Step
from engraver.core.steps.contrast import Curve

from ..painting import polyline
from ..ui import Ui
from .seen import Seen

GRAB = 11.0
GAP = 0.01

# How many pixels a column of a histogram is wide at least.
_COLUMN = 1.5


def histogram_path(counts: np.ndarray, area: QRectF) -> QPainterPath:
    """A filled outline of counts; heights are roots, so that small counts can be seen.

    Counts of which many would lie on one pixel are added up.
    """
    while len(counts) % 2 == 0 and area.width() / len(counts) < _COLUMN:
        counts = counts.reshape(-1, 2).sum(axis=1)
    heights = np.sqrt(counts / max(float(np.sort(counts)[-3:].mean()), 1.0)).clip(0, 1)
    x = area.left() + (np.arange(len(heights)) + 0.5) / len(heights) * area.width()
    y = area.bottom() - heights * area.height() * 0.94
    ends = [area.left()], [area.right()], [area.bottom()]
    path = QPainterPath()
    path.addPolygon(polyline(np.concatenate([ends[0], x, ends[1]]), np.concatenate([ends[2], y, ends[2]])))
    path.closeSubpath()
    return path


class CurveBox(QWidget):
    """Points can be dragged, added by a press on the curve, taken out by Delete or a right press."""

    edited = Signal(object)
    finished = Signal()

    def __init__(self, ui: Ui, *, editable: bool = True) -> None:
        super().__init__()
        self._ui, self._editable = ui, editable
        self.points: CurvePoints = ((0.0, 0.0), (1.0, 1.0))
        self.counts: np.ndarray | None = None
        self.after: np.ndarray | None = None
        self.toned: float | None = None
        self.straight = False
        self._drawn: np.ndarray | None = None
        self.chosen = -1
        self._held = False
        self.setMinimumHeight(ui.px(112))
        if editable:
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            self.setAccessibleName("Curve")
            self.setToolTip("Drag points; press on the curve to add one; right press or Delete takes one out.")

    def show_points(self, points: CurvePoints, *, straight: bool = False) -> None:
        self.points, self._drawn, self.straight = points, None, straight
        self.chosen = min(self.chosen, len(points) - 1)
        self.update()

    def show_drawn(self, values: np.ndarray) -> None:
        """Draw a curve given by its values at equal steps, without points to drag."""
        self._drawn = values
        self.update()

    def show_counts(self, counts: np.ndarray | None) -> None:
        self.counts = counts
        self.update()

    def show_after(self, counts: np.ndarray | None, toned: float | None) -> None:
        """The histogram that comes out, and the tone pressed on the plate."""
        self.after, self.toned = counts, toned
        self.update()

    # -- geometry ------------------------------------------------------------------

    def _area(self) -> QRectF:
        inset = 6.0
        return QRectF(self.rect()).adjusted(inset, inset, -inset, -inset)

    def place_of(self, point: tuple[float, float]) -> QPointF:
        """Where a point of the curve is drawn."""
        area = self._area()
        return QPointF(area.left() + point[0] * area.width(), area.bottom() - point[1] * area.height())

    def _value_at(self, place: QPointF) -> tuple[float, float]:
        area = self._area()
        x = min(1.0, max(0.0, (place.x() - area.left()) / area.width()))
        y = min(1.0, max(0.0, (area.bottom() - place.y()) / area.height()))
        return round(x, 4), round(y, 4)

    def _near(self, place: QPointF) -> int:
        for n, point in enumerate(self.points):
            away = self.place_of(point) - place
            if (away.x() ** 2 + away.y() ** 2) ** 0.5 <= GRAB:
                return n
        return -1

    # -- hands ---------------------------------------------------------------------

    def _move(self, n: int, value: tuple[float, float]) -> None:
        points = list(self.points)
        low = points[n - 1][0] + GAP if n > 0 else 0.0
        high = points[n + 1][0] - GAP if n + 1 < len(points) else 1.0
        points[n] = (min(max(value[0], low), high), value[1])
        self._set(tuple(points))

    def _set(self, points: CurvePoints) -> None:
        if points != self.points:
            self.points = points
            self.update()
            self.edited.emit(points)

    def _remove(self, n: int) -> None:
        if len(self.points) > 2 and 0 <= n < len(self.points):
            self._set(tuple(p for k, p in enumerate(self.points) if k != n))
            self.chosen = -1
            self.finished.emit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self._editable:
            return
        if self._drawn is not None:  # a ready-made curve becomes a free one by its own points
            places = np.linspace(0, len(self._drawn) - 1, 5).round().astype(int)
            self.points = tuple((round(k / (len(self._drawn) - 1), 4), float(self._drawn[k])) for k in places)
            self._drawn = None
        near = self._near(event.position())
        if event.button() == Qt.MouseButton.RightButton:
            self._remove(near)
            return
        if near < 0 and len(self.points) < 32:
            value = self._value_at(event.position())
            if any(abs(value[0] - x) < GAP for x, _ in self.points):
                return
            points = tuple(sorted((*self.points, value)))
            near = points.index(value)
            self._set(points)
        self.chosen, self._held = near, True
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held and self.chosen >= 0:
            self._move(self.chosen, self._value_at(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = False
            self.finished.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.chosen >= 0:
            self._remove(self.chosen)
        elif key in steps and self.chosen >= 0:
            dx, dy = steps[key]
            x, y = self.points[self.chosen]
            self._move(self.chosen, (min(1, max(0, x + dx * 0.01)), min(1, max(0, y + dy * 0.01))))
            self.finished.emit()
        elif key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self.chosen = (self.chosen + (1 if key == Qt.Key.Key_PageDown else -1)) % len(self.points)
            self.update()
        else:
            super().keyPressEvent(event)

    # -- paint ---------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        ui, painter, area = self._ui, QPainter(self), self._area()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(ui.colour("accent") if self.hasFocus() else ui.colour("line"))
        painter.setBrush(ui.colour("card"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        painter.setPen(QPen(ui.colour("line"), 1))
        for n in (1, 2, 3):
            x, y = area.left() + n / 4 * area.width(), area.top() + n / 4 * area.height()
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        if self.counts is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ui.colour("well"))
            painter.drawPath(histogram_path(self.counts, area))
        at = np.linspace(0, 1, 129)
        if self.after is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(ui.colour("ink_2"), 1))
            painter.drawPath(histogram_path(self.after, area))
        if self.toned is not None:
            x = self.place_of((min(1.0, max(0.0, self.toned)), 0.0)).x()
            painter.setPen(QPen(ui.colour("look"), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        ready = self._drawn if self._drawn is not None else None
        values = ready if ready is not None else monotone.table(self.points, len(at), straight=self.straight)
        across = area.left() + np.linspace(0, 1, len(values)) * area.width()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(ui.colour("accent"), 2.2))
        painter.drawPolyline(polyline(across, area.bottom() - np.clip(values, 0, 1) * area.height()))
        if self._drawn is None and self._editable:
            for n, point in enumerate(self.points):
                painter.setBrush(ui.colour("accent") if n == self.chosen else ui.colour("card"))
                painter.setPen(QPen(ui.colour("accent"), 1.6))
                painter.drawEllipse(self.place_of(point), 4.5, 4.5)


class CurveHolder(QWidget):
    """An editor that is one curve: what was drawn goes out as the parameters of :meth:`params_of`."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        self.curve = CurveBox(ui)
        box.addWidget(self.curve)
        self.curve.edited.connect(lambda points: self.edited.emit(self.params_of(points)))
        self.curve.finished.connect(self.finished)

    def params_of(self, points: CurvePoints) -> dict[str, object]:
        """The parameters to set when the curve goes through these points."""
        return {"points": points}


class CurveEditor(CurveHolder):
    """The curve of the step *Curve* with its histogram."""

    def __init__(self, ui: Ui) -> None:
        super().__init__(ui)
        self.curve.setMinimumHeight(ui.px(230))

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model."""
        params = step.params
        if isinstance(params, Curve):
            self.curve.show_points(params.points, straight=params.joined == "straight")
            self.curve.show_counts(seen.counts)
            self.curve.show_after(seen.after, seen.toned)
