"""Four corners on the plate that become a rectangle."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from engraver.core.recipe import Step
from engraver.core.steps.lay_out import Straighten

from ..ui import Ui

GRAB = 14.0


class CornerHandles:
    """Drags one corner at a time, or the whole frame from its inside."""

    def __init__(self, ui: Ui) -> None:
        self._ui = ui
        self._start: tuple[str, QPointF, tuple[tuple[float, float], ...]] | None = None

    @staticmethod
    def _corners(step: Step) -> tuple[tuple[float, float], ...]:
        assert isinstance(step.params, Straighten)
        return step.params.corners

    def grip_at(self, step: Step, share: QPointF, size: tuple[float, float], scale: float) -> str:
        """The number of the corner under a place, "move" inside the frame, "" elsewhere."""
        for n, (x, y) in enumerate(self._corners(step)):
            away = math.hypot((x - share.x()) * size[0], (y - share.y()) * size[1]) * scale
            if away <= GRAB:
                return str(n)
        frame = QPolygonF([QPointF(x, y) for x, y in self._corners(step)])
        return "move" if frame.containsPoint(share, Qt.FillRule.OddEvenFill) else ""

    def start(self, step: Step, grip: str, share: QPointF, size: tuple[float, float]) -> None:
        self._start = (grip, share, self._corners(step))

    def moved(self, share: QPointF) -> dict[str, Any]:
        """The corners for the pointer at ``share``."""
        if self._start is None:
            return {}
        grip, begin, corners = self._start
        by = share - begin
        moved = [
            (round(x + by.x(), 5), round(y + by.y(), 5)) if grip in ("move", str(n)) else (x, y)
            for n, (x, y) in enumerate(corners)
        ]
        return {"corners": tuple(moved)}

    def finished(self) -> dict[str, Any]:
        """The hand lets go: nothing is left to set."""
        self._start = None
        return {}

    @staticmethod
    def cursor(grip: str) -> Qt.CursorShape:
        if grip == "move":
            return Qt.CursorShape.SizeAllCursor
        return Qt.CursorShape.CrossCursor if grip else Qt.CursorShape.ArrowCursor

    def paint(self, painter: QPainter, step: Step, size: tuple[float, float], target: QRectF) -> None:
        def place(x: float, y: float) -> QPointF:
            return QPointF(target.left() + x * target.width(), target.top() + y * target.height())

        corners = [place(x, y) for x, y in self._corners(step)]
        frame = QPolygonF(corners)
        outside, inside = QPainterPath(), QPainterPath()
        outside.addRect(target)
        inside.addPolygon(frame)
        inside.closeSubpath()
        painter.fillPath(outside.subtracted(inside), QColor(20, 20, 18, 150))
        painter.setPen(QPen(QColor(255, 255, 255, 110), 1))
        a, b, c, d = corners
        for t in (1 / 3, 2 / 3):
            painter.drawLine(a + (b - a) * t, d + (c - d) * t)
            painter.drawLine(a + (d - a) * t, b + (c - b) * t)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(20, 20, 18, 170), 3.4), (QColor(255, 255, 255), 1.6)):
            painter.setPen(QPen(colour, width))
            painter.drawPolygon(frame)
        painter.setBrush(QColor(255, 255, 255))
        for n, corner in enumerate(corners):
            painter.setPen(QPen(self._ui.colour("accent"), 1.8))
            painter.drawEllipse(corner, 7, 7)
            painter.setFont(self._ui.font(9, 600))
            painter.setPen(QColor("#1F2430"))
            painter.drawText(QRectF(corner.x() - 7, corner.y() - 7, 14, 14), Qt.AlignmentFlag.AlignCenter, str(n + 1))
