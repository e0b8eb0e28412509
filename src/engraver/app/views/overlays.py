"""What can be drawn over the plate to see it better."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from engraver.core.raster import ZERO_LEVEL, Raster
from engraver.core.words import per_cent

from ..ui import Ui


def paint_words(painter: QPainter, ui: Ui, room: QRect, words: str, size: int = 13) -> None:
    """What stands in place of a picture, in the middle of a view."""
    painter.setPen(ui.colour("on_bar"))
    painter.setFont(ui.font(size))
    painter.drawText(room, Qt.AlignmentFlag.AlignCenter, words)


def tiles(wrap: tuple[bool, bool]) -> list[tuple[int, int]]:
    """Where the plate is drawn again, in its own widths and heights: all round, or along the axis that repeats."""
    x, y = wrap if any(wrap) else (True, True)
    across, down = (-1, 0, 1) if x else (0,), (-1, 0, 1) if y else (0,)
    return [(i, j) for j in down for i in across if (i, j) != (0, 0)]


def paint_border(painter: QPainter, target: QRectF, ui: Ui, raster: Raster) -> None:
    """A ring round the plate that tells whether its outermost pixels are at zero."""
    if raster.channels != 1:
        return
    across, down = np.arange(raster.width), np.arange(raster.height)
    borders = [(np.full_like(across, r), across) for r in (0, raster.height - 1)]
    borders += [(down, np.full_like(down, c)) for c in (0, raster.width - 1)]
    level = ZERO_LEVEL[raster.zero]
    ring = max(float(np.abs(raster.flat_points(r, c) - level).max()) for r, c in borders)
    clean = ring <= 0.5 / 65535
    colour = ui.colour("good" if clean else "fault")
    style = Qt.PenStyle.SolidLine if clean else Qt.PenStyle.DashLine
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(colour, 3, style))
    painter.drawRect(target.adjusted(1.5, 1.5, -1.5, -1.5))
    words = "border is zero" if clean else f"border is up to {per_cent(ring, 1)} off zero"
    painter.setFont(ui.font(11, 600))
    box = QRectF(target.left() + 3, target.top() + 3, painter.fontMetrics().horizontalAdvance(words) + 14, 20)
    painter.fillRect(box, colour)
    painter.setPen(ui.colour("card" if ui.theme.id == "day" else "well"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def paint_guides(painter: QPainter, target: QRectF) -> None:
    """Middle lines and the largest circle."""
    painter.setPen(QPen(QColor(255, 255, 255, 150), 1, Qt.PenStyle.DashLine))
    centre = target.center()
    painter.drawLine(QPointF(centre.x(), target.top()), QPointF(centre.x(), target.bottom()))
    painter.drawLine(QPointF(target.left(), centre.y()), QPointF(target.right(), centre.y()))
    side = min(target.width(), target.height())
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(centre, side / 2, side / 2)


def tag_box(painter: QPainter, ui: Ui, words: str, x: float, top: float, *, leftwards: bool) -> QRectF:
    """Where a tag of some words stands that begins, or ends, at ``x``."""
    painter.setFont(ui.font(11))
    wide = painter.fontMetrics().horizontalAdvance(words) + 16
    return QRectF(x - wide if leftwards else x, top, wide, 20)


def paint_tag(painter: QPainter, ui: Ui, box: QRectF, words: str) -> None:
    """What is shown, in a box of :func:`tag_box`."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ui.colour("bar"))
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(ui.colour("on_bar"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def paint_line(painter: QPainter, a: QPointF, b: QPointF) -> None:
    """A line that is seen on any tone: white with a dark edge."""
    for colour, width in ((QColor(20, 20, 20, 170), 3.2), (QColor(255, 255, 255), 1.6)):
        painter.setPen(QPen(colour, width))
        painter.drawLine(a, b)


def paint_section(painter: QPainter, a: QPointF, b: QPointF) -> None:
    """The section line with its two grips."""
    paint_line(painter, a, b)
    painter.setPen(QPen(QColor(30, 30, 30), 1.4))
    painter.setBrush(QColor(255, 255, 255))
    for end in (a, b):
        painter.drawEllipse(end, 4.6, 4.6)


def paint_reached(painter: QPainter, ui: Ui, room: QRectF) -> None:
    """A frame round the view that has the keys."""
    painter.setPen(QPen(ui.colour("accent"), 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(room.adjusted(1, 1, -1, -1))
