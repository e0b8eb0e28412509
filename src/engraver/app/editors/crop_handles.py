"""The crop on the plate: corners, sides, a handle to turn it, and thirds."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from engraver.core.raster import Facts
from engraver.core.recipe import Step
from engraver.core.steps.frame import Crop, crop_box

from ..ui import Ui
from .grips import CORNERS, CURSORS, GRAB, SIDES, turned

_SMALLEST = 8.0


class CropHandles:
    """Places are shares of the step's input; lengths in its full-size pixels."""

    def __init__(self, ui: Ui) -> None:
        self._ui = ui
        self._start: tuple[str, QPointF, QPointF, float, float, float] | None = None
        self._facts = Facts(1, 1)
        self._square = True
        self._ratio = 0.0

    @staticmethod
    def _frame(step: Step, size: tuple[float, float]) -> tuple[Facts, QPointF, float, float, float]:
        facts = Facts(int(size[0]), int(size[1]))
        assert isinstance(step.params, Crop)
        left, top, w, h = crop_box(step.params, facts)
        return facts, QPointF(left + w / 2, top + h / 2), float(w), float(h), step.params.angle

    def place_of(self, step: Step, grip: str, size: tuple[float, float], scale: float) -> QPointF:
        """Where a grip lies, in full-size pixels of the input."""
        _, centre, w, h, angle = self._frame(step, size)
        if grip == "turn":
            return centre + turned(0, -h / 2 - 22 / scale, angle)
        sx, sy = {**CORNERS, **SIDES}[grip]
        return centre + turned(sx * w / 2, sy * h / 2, angle)

    def _grips(self, step: Step) -> tuple[str, ...]:
        assert isinstance(step.params, Crop)
        sides = tuple(SIDES) if step.params.shape == "free" else ()
        return (*CORNERS, *sides, "turn")

    def grip_at(self, step: Step, share: QPointF, size: tuple[float, float], scale: float) -> str:
        """The grip under a place, "move" inside the crop, "" elsewhere."""
        point = QPointF(share.x() * size[0], share.y() * size[1])
        for grip in self._grips(step):
            away = self.place_of(step, grip, size, scale) - point
            if math.hypot(away.x(), away.y()) * scale <= GRAB:
                return grip
        _, centre, w, h, angle = self._frame(step, size)
        local = turned((point - centre).x(), (point - centre).y(), -angle)
        return "move" if abs(local.x()) < w / 2 and abs(local.y()) < h / 2 else ""

    def start(self, step: Step, grip: str, share: QPointF, size: tuple[float, float]) -> None:
        self._facts, centre, w, h, angle = self._frame(step, size)
        assert isinstance(step.params, Crop)
        self._square = step.params.shape == "square"
        self._ratio = w / h if step.params.lock and not self._square else 0.0
        point = QPointF(share.x() * size[0], share.y() * size[1])
        self._start = (grip, point, centre, w, h, angle)

    def moved(self, share: QPointF) -> dict[str, Any]:
        """The crop's parameters for the pointer at ``share``."""
        if self._start is None:
            return {}
        grip, begin, centre, w, h, angle = self._start
        facts = self._facts
        point = QPointF(share.x() * facts.width, share.y() * facts.height)
        if grip == "turn":
            away = point - centre
            angle = math.degrees(math.atan2(away.x(), -away.y()))
            angle = 0.0 if abs(angle) < 1.2 else angle
            return {"angle": round(min(45.0, max(-45.0, angle)), 1)}
        if grip == "move":
            middle = centre + point - begin
        else:
            sx, sy = {**CORNERS, **SIDES}[grip]
            fixed = centre - turned(sx * w / 2, sy * h / 2, angle)
            reach = turned((point - fixed).x(), (point - fixed).y(), -angle)
            w = max(_SMALLEST, reach.x() * sx) if sx else w
            h = max(_SMALLEST, reach.y() * sy) if sy else h
            if self._square:
                w = h = min(max(w, h), float(facts.shorter))
            elif self._ratio:  # the ratio is kept: the side that was pulled further rules
                w = w if sx and (not sy or w >= h * self._ratio) else h * self._ratio
                w = min(w, float(facts.width), facts.height * self._ratio)
                h = w / self._ratio
            w, h = min(w, float(facts.width)), min(h, float(facts.height))
            middle = fixed + turned(sx * w / 2, sy * h / 2, angle)
        changes = {
            "x": round(min(1.0, max(0.0, middle.x() / facts.width)), 5),
            "y": round(min(1.0, max(0.0, middle.y() / facts.height)), 5),
            "width": max(0.005, round(w / facts.shorter, 5)),
        }
        if not self._square:
            changes["height"] = max(0.005, round(h / facts.shorter, 5))
        return changes

    def finished(self) -> dict[str, Any]:
        """The hand lets go: nothing is left to set."""
        self._start = None
        return {}

    @staticmethod
    def cursor(grip: str) -> Qt.CursorShape:
        return CURSORS.get(grip, Qt.CursorShape.ArrowCursor)

    def paint(self, painter: QPainter, step: Step, size: tuple[float, float], target: QRectF) -> None:
        scale = target.width() / size[0]
        _, centre, w, h, angle = self._frame(step, size)
        to_screen = QTransform().translate(target.left(), target.top()).scale(scale, scale)
        crop = QTransform().translate(centre.x(), centre.y()).rotate(angle) * to_screen
        frame = crop.map(QPolygonF(QRectF(-w / 2, -h / 2, w, h)))
        outside = QPainterPath()
        outside.addRect(target)
        inside = QPainterPath()
        inside.addPolygon(frame)
        painter.fillPath(outside.subtracted(inside), QColor(20, 20, 18, 150))
        painter.setPen(QPen(QColor(255, 255, 255, 110), 1))
        for n in (-1, 1):
            painter.drawLine(crop.map(QPointF(n * w / 6, -h / 2)), crop.map(QPointF(n * w / 6, h / 2)))
            painter.drawLine(crop.map(QPointF(-w / 2, n * h / 6)), crop.map(QPointF(w / 2, n * h / 6)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(20, 20, 18, 170), 3.4))
        painter.drawPolygon(frame)
        painter.setPen(QPen(QColor(255, 255, 255), 1.6))
        painter.drawPolygon(frame)
        top = crop.map(QPointF(0, -h / 2))
        turn = to_screen.map(self.place_of(step, "turn", size, scale))
        painter.drawLine(top, turn)
        accent = self._ui.colour("accent")
        for grip in self._grips(step):
            place = to_screen.map(self.place_of(step, grip, size, scale))
            painter.setPen(QPen(accent, 1.8))
            painter.setBrush(QColor(255, 255, 255))
            if grip == "turn":
                painter.drawEllipse(place, 5.5, 5.5)
            else:
                painter.drawRect(QRectF(place.x() - 4.5, place.y() - 4.5, 9, 9))
