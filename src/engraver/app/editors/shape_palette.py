"""Small pictures of every kind of shape: a press adds one."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPainter, QPainterPath, QPixmap
from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget

from engraver.core.shapes.kinds import SHAPES
from engraver.core.shapes.model import Shape, begun

from ..ui import Ui
from .drawn_button import DrawnButton
from .framed import path_of

ACROSS = 5


@lru_cache(maxsize=256)
def _upright(shape: Shape) -> QPainterPath:
    return path_of(SHAPES[shape.kind].outline(shape, 1000.0))


def paint_shape(painter: QPainter, shape: Shape, area: QRectF) -> None:
    """A shape's outline, filled with the painter's brush, as large as the area allows."""
    path = _upright(shape.but(turn=0.0))
    if path.isEmpty():
        return
    box = path.boundingRect()
    grow = min(area.width() / max(box.width(), 1e-6), area.height() / max(box.height(), 1e-6))
    painter.save()
    painter.translate(area.center())
    painter.scale(grow, grow)
    painter.translate(-box.center())
    painter.drawPath(path)
    painter.restore()


def shape_icon(ui: Ui, shape: Shape) -> QIcon:
    """A shape's outline as it stands in a list."""
    side = ui.px(18)
    picture = QPixmap(side, side)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ui.colour("ink"))
    paint_shape(painter, shape, QRectF(2, 2, side - 4, side - 4))
    painter.end()
    icon = QIcon(picture)
    icon.addPixmap(picture, QIcon.Mode.Selected)
    return icon


class _KindButton(DrawnButton):
    def __init__(self, ui: Ui, kind: str) -> None:
        super().__init__(ui, f"Add a {SHAPES[kind].name.lower()}")
        self._shape = begun(kind)
        self.setFixedHeight(ui.px(32))

    def sizeHint(self) -> QSize:
        return QSize(self.ui.px(40), self.ui.px(32))

    def draw(self, painter: QPainter, area: QRectF) -> None:
        place = QRectF(0, 0, area.height() * 1.2, area.height())
        place.moveCenter(area.center())
        paint_shape(painter, self._shape, place)


class ShapePalette(QWidget):
    """One button a kind. ``wanted`` tells the shape to add."""

    wanted = Signal(object)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(ui.px(12), 0, 0, 0)
        grid.setSpacing(ui.px(4))
        self.buttons: dict[str, QPushButton] = {}
        for n, kind in enumerate(SHAPES):
            button = _KindButton(ui, kind)
            button.clicked.connect(lambda _=False, k=kind: self.wanted.emit(begun(k)))
            grid.addWidget(button, n // ACROSS, n % ACROSS)
            self.buttons[kind] = button
