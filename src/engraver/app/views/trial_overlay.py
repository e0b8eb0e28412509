"""What is painted over the trial: the chosen gesture's marks, and what the pointer carries."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPixmap, QPolygonF, QTransform

from engraver.core.pressing.expand import expand, fixed_right, symmetry
from engraver.core.surfaces.ground import SCENE

from ..ui import Ui
from .sight import Sight

# Corners of a ring, and marks of a chosen gesture that are outlined at most.
_CORNERS, _MOST_RINGS = 40, 160
_WRAPPED = Qt.TextFlag.TextWordWrap
Place = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class TrialOverlay:
    """Paints over one picture of the trial, as it is seen in the view."""

    ui: Ui
    sight: Sight

    def _ring(self, place: Place, normal: Place, radius: float) -> QPolygonF:
        """The outline of a round mark as it is seen."""
        right = fixed_right(normal[None])[0]
        up = np.cross(normal, right)
        angle = np.linspace(0, 2 * math.pi, _CORNERS, endpoint=False)
        around = place + radius * (np.cos(angle)[:, None] * right + np.sin(angle)[:, None] * up)
        return QPolygonF([self.sight.spot(p) for p in around])

    def chosen(self, painter: QPainter) -> None:
        """The marks of the chosen gesture."""
        active, seen = self.ui.trials, self.sight.seen
        gesture = active.gesture
        if gesture is None or not active.curve.ready:
            return
        marks = expand(gesture, active.trial.declared.geometry, active.own)
        towards = seen.projection.rotation[2].astype(float)
        shown = np.flatnonzero(marks.normal @ towards > 0.05)[:_MOST_RINGS]
        for width, colour in ((3.0, QColor(20, 20, 20, 110)), (1.4, self.ui.colour("accent"))):
            painter.setPen(QPen(colour, width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for n in shown:
                painter.drawPolygon(self._ring(marks.place[n], marks.normal[n], float(marks.radius[n])))

    def pointer(self, painter: QPainter, at: QPointF, picture: QPixmap | None, words: str) -> None:
        """The ring of the mark, a faint picture of the plate in it where one is given, and words beside it."""
        active, sight = self.ui.trials, self.sight
        place = sight.seen.place(at.x() * sight.ratio, at.y() * sight.ratio)
        if place is None:
            return
        geometry = active.trial.declared.geometry
        normal = geometry.onto(place[None], active.own)[1]
        radius = active.settings.size * SCENE / 2
        if picture is not None:
            self._ghost(painter, place, normal[0], radius, picture)
        for width, colour in ((3.0, QColor(20, 20, 20, 120)), (1.4, QColor(255, 255, 255, 230))):
            painter.setPen(QPen(colour, width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(self._ring(place, normal[0], radius))
            for to in symmetry(active.state.mirror, active.state.arms, geometry.axis)[1:]:
                upright = to @ normal[0]
                if upright @ sight.seen.projection.rotation[2] > 0.05:
                    painter.drawPolygon(self._ring(to @ place, upright, radius * 0.35))
        if words:
            paint_words(painter, self.ui, at + QPointF(self.ui.px(16), self.ui.px(22)), words)

    def _ghost(self, painter: QPainter, place: Place, normal: Place, radius: float, picture: QPixmap) -> None:
        right = fixed_right(normal[None])[0]
        up = np.cross(normal, right)
        corners = [place + radius * (a * right + b * up) for a, b in ((-1, 1), (1, 1), (1, -1), (-1, -1))]
        side = float(picture.width())
        square = QPolygonF([QPointF(0, 0), QPointF(side, 0), QPointF(side, side), QPointF(0, side)])
        into = QTransform()
        if QTransform.quadToQuad(square, QPolygonF([self.sight.spot(c) for c in corners]), into):
            painter.save()
            painter.setTransform(into, True)
            painter.setOpacity(0.42)
            painter.drawPixmap(0, 0, picture)
            painter.restore()


def paint_words(painter: QPainter, ui: Ui, at: QPointF, words: str) -> None:
    """Words in a line on a small dark field whose upper left corner lies at a place."""
    painter.setFont(ui.font(11, 600))
    room = QRectF(painter.fontMetrics().boundingRect(words)).adjusted(-6, -3, 6, 3)
    room.moveTopLeft(at)
    _on_dark(painter, ui, room, words)


def paint_note(painter: QPainter, ui: Ui, view: QRectF, words: str) -> None:
    """Words at the foot of a view, in as many lines as its width asks for."""
    painter.setFont(ui.font(11, 600))
    edge = ui.px(12)
    most = view.adjusted(edge, 0, -edge, 0).toRect()
    room = QRectF(painter.fontMetrics().boundingRect(most, _WRAPPED, words)).adjusted(-6, -3, 6, 3)
    room.moveBottomLeft(view.bottomLeft() + QPointF(edge, -edge))
    _on_dark(painter, ui, room, words)


def _on_dark(painter: QPainter, ui: Ui, room: QRectF, words: str) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ui.colour("bar"))
    painter.drawRoundedRect(room, 4, 4)
    painter.setPen(ui.colour("on_bar"))
    painter.drawText(room, _WRAPPED | Qt.AlignmentFlag.AlignCenter, words)


def see_through(array: NDArray[np.uint8]) -> QPixmap:
    """A plate's picture with its dark see-through, square."""
    grey = array if array.ndim == 2 else array.mean(axis=2).astype(np.uint8)
    side = max(grey.shape)
    drawn = np.zeros((side, side, 4), np.uint8)
    top, left = (side - grey.shape[0]) // 2, (side - grey.shape[1]) // 2
    part = drawn[top : top + grey.shape[0], left : left + grey.shape[1]]
    part[..., :3], part[..., 3] = 255, grey
    return QPixmap.fromImage(QImage(drawn.data, side, side, 4 * side, QImage.Format.Format_RGBA8888).copy())
