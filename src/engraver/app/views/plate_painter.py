"""What the plate canvas draws: the part of the picture that is seen, and marks over it."""

from __future__ import annotations

import math

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QImage, QPainter, QTransform

from ..looking import PlateViewPicture
from ..painting import view_of
from ..screen import BELOW, OVER, UNDER
from ..state import Overlays
from ..ui import Ui
from .overlays import tiles

_OPAQUE = 235


class PlatePainter:
    """Keeps the Qt pictures of one look."""

    def __init__(self, ui: Ui) -> None:
        self._ui = ui
        self._image: QImage | None = None
        self._over: QImage | None = None
        self._other: QImage | None = None
        self._look: PlateViewPicture | None = None

    def show(self, look: PlateViewPicture | None, overlays: Overlays) -> None:
        """Take another look, or the same with other overlays."""
        # Laid out as the screen has it: Qt would turn every pixel each time it is painted.
        self._image = view_of(look.screen).convertToFormat(QImage.Format.Format_RGB32) if look is not None else None
        beside = look.beside if look is not None else None
        self._other = view_of(beside.screen).convertToFormat(QImage.Format.Format_RGB32) if beside else None
        self._over = self._marks(look, overlays) if look is not None else None
        self._look = look

    def _marks(self, look: PlateViewPicture, overlays: Overlays) -> QImage | None:
        """The marks that came with the picture, in the colours of those overlays that are on."""
        if look.marks is None or not (overlays.clipping or overlays.below):
            return None
        rows, columns = look.marks.shape
        over = QImage(look.marks.data, columns, rows, columns, QImage.Format.Format_Indexed8)
        colours = {
            OVER: self._ui.colour("fault") if overlays.clipping else None,
            UNDER: QColor(60, 110, 190) if overlays.clipping else None,
            BELOW: self._ui.colour("zone") if overlays.below else None,
        }
        table = [0] * 4
        for code, colour in colours.items():
            if colour is not None:
                table[code] = QColor(colour.red(), colour.green(), colour.blue(), _OPAQUE).rgba()
        over.setColorTable(table)
        return over

    def draw(self, painter: QPainter, target: QRectF, room: QRectF, overlays: Overlays) -> None:
        """The picture at its place, as far as it lies in the room of the view, again all round it where asked."""
        if self._image is None or self._look is None:
            return
        _draw(painter, self._image, target, room)
        if overlays.repeat:
            for i, j in tiles(self._look.result.facts.wrap):
                _draw(painter, self._image, target.translated(i * target.width(), j * target.height()), room)
        if self._over is not None:
            _draw(painter, self._over, target, room)

    def draw_other(self, painter: QPainter, target: QRectF, part: QRectF) -> None:
        """What is compared with, in a part of the view, where it lies on the picture that is shown."""
        if self._other is None or self._look is None or self._look.beside is None:
            return
        painter.save()
        painter.setClipRect(part)
        painter.fillRect(part, self._ui.colour("surround"))
        a = self._look.beside.onto
        onto = QTransform(*(float(v) for v in a.T.ravel()))
        painter.setTransform(onto * QTransform().translate(target.left(), target.top()).scale(
            target.width(), target.height()
        ))  # fmt: skip
        painter.drawImage(QRectF(0, 0, 1, 1), self._other, QRectF(self._other.rect()))
        painter.restore()


def _draw(painter: QPainter, image: QImage, target: QRectF, room: QRectF) -> None:
    """Only what is seen of a picture: of a large one at 100 % that is little."""
    seen = target.intersected(room)
    if seen.isEmpty():
        return
    across, down = image.width() / target.width(), image.height() / target.height()
    left = math.floor((seen.left() - target.left()) * across)
    top = math.floor((seen.top() - target.top()) * down)
    right = min(image.width(), math.ceil((seen.right() - target.left()) * across))
    bottom = min(image.height(), math.ceil((seen.bottom() - target.top()) * down))
    part = QRectF(left, top, right - left, bottom - top)
    place = QRectF(
        target.left() + left / across, target.top() + top / down, part.width() / across, part.height() / down
    )
    painter.drawImage(place, image, part)
