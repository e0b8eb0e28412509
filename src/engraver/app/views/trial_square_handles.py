"""The square that becomes a plate, on the trial: its corners are pulled, its middle is moved."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from engraver.core.proof.trial_square import TrialSquare
from engraver.core.sources.trial import TrialFrame

from ..editors.grips import CORNERS, CURSORS, GRAB
from ..ui import Ui

WORDS = "Pull a corner or move the square · Return makes the plate · Esc leaves it"


@dataclass
class _Pull:
    grip: str
    begin: tuple[float, float]
    square: TrialSquare


class TrialSquareHandles:
    """What a hand does to the square; pixels are those of the picture that ``square`` was seen in, ``by`` of them to
    one of the view."""

    def __init__(self, ui: Ui) -> None:
        self._ui = ui
        self._pull: _Pull | None = None

    @staticmethod
    def corners(square: TrialSquare, by: float) -> list[QPointF]:
        """Its corners in the view."""
        return [QPointF(x / by, y / by) for x, y in square.corners()]

    def grip_at(self, square: TrialSquare, at: QPointF, by: float) -> str:
        """The corner under a place of the view, "move" inside, "" elsewhere."""
        corners = self.corners(square, by)
        for name, corner in zip(CORNERS, corners, strict=True):
            if math.hypot(corner.x() - at.x(), corner.y() - at.y()) <= GRAB:
                return name
        return "move" if QPolygonF(corners).containsPoint(at, Qt.FillRule.WindingFill) else ""

    def start(self, square: TrialSquare, at: QPointF, by: float) -> bool:
        """Whether the hand takes hold of it there."""
        grip, place = self.grip_at(square, at, by), square.place(at.x() * by, at.y() * by)
        self._pull = _Pull(grip, place, square) if grip and place is not None else None
        return self._pull is not None

    def moved(self, at: QPointF, by: float) -> TrialFrame | None:
        """The frame while the hand holds it."""
        pull = self._pull
        place = pull.square.place(at.x() * by, at.y() * by) if pull is not None else None
        if pull is None or place is None:
            return None
        if pull.grip == "move":
            return pull.square.moved(place[0] - pull.begin[0], place[1] - pull.begin[1])
        return pull.square.pulled(list(CORNERS).index(pull.grip), *place)

    def cursor(self, square: TrialSquare, at: QPointF, by: float) -> Qt.CursorShape:
        return CURSORS.get(self.grip_at(square, at, by), Qt.CursorShape.ArrowCursor)

    def paint(self, painter: QPainter, square: TrialSquare, by: float, room: QRectF) -> None:
        """Darken what lies outside; corners to pull."""
        corners = self.corners(square, by)
        outline = QPolygonF(corners)
        outside, inside = QPainterPath(), QPainterPath()
        outside.addRect(room)
        inside.addPolygon(outline)
        inside.closeSubpath()
        painter.fillPath(outside.subtracted(inside), QColor(20, 20, 18, 120))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, colour in ((3.4, QColor(20, 20, 18, 170)), (1.6, QColor(255, 255, 255))):
            painter.setPen(QPen(colour, width))
            painter.drawPolygon(outline)
        painter.setPen(QPen(self._ui.colour("accent"), 1.8))
        painter.setBrush(QColor(255, 255, 255))
        for corner in corners:
            painter.drawRect(QRectF(corner.x() - 4.5, corner.y() - 4.5, 9, 9))
