"""One cast, as large as it fits, with the light under the pointer."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from engraver.core.proof.relief_light import lit
from engraver.core.raster import Zero

from ..casts import Cast, Casts, Lamps
from ..ui import Ui


class CastView(QWidget):
    """Shows a picture of the cabinet pressed in plaster."""

    def __init__(self, ui: Ui, casts: Casts, most: int, margin: int = 0) -> None:
        super().__init__()
        self._margin = margin
        self.ui, self._casts, self._most = ui, casts, most
        self._picture, self._zero = "", "black"
        self._lamp: QPointF | None = None
        self._lamps = Lamps()
        self._screen: NDArray[np.uint32] | None = None
        self.setMouseTracking(True)
        casts.came.connect(self.update)

    def show_picture(self, picture: str, zero: Zero) -> None:
        """Another picture; "" for none."""
        if (picture, zero) != (self._picture, self._zero):
            self._picture, self._zero = picture, zero
            self.update()

    @property
    def cast(self) -> Cast | None:
        """What is shown, once it is made."""
        return self._casts.at_hand(self._key()) if self._picture else None

    def _key(self) -> tuple[str, Zero, int]:
        side = round((min(self.width(), self.height()) - 2 * self._margin) * self.devicePixelRatioF())
        zero: Zero = "mid" if self._zero == "mid" else "black"
        return self._picture, zero, max(16, min(self._most, side))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._lamp = event.position()
        self.update()

    def leaveEvent(self, event: object) -> None:
        self._lamp = None
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.ui.colour("bar"))
        cast = self.cast
        if cast is None:
            if self._picture:
                self._casts.want([self._key()])
                broken = self._casts.broken(self._key())
                painter.setPen(self.ui.colour("on_bar_2"))
                words = "Its picture cannot be read." if broken else "Pressing it…"
                painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words)
            return
        rows, columns = cast.shape[:2]
        if self._screen is None or self._screen.shape != (rows, columns):
            self._screen = np.empty((rows, columns), np.uint32)
        middle = QPointF(self.rect().center())
        lamp = self._lamp if self._lamp is not None else QPointF(0.0, 0.0)
        table = self._lamps.table(lamp.x() - middle.x(), lamp.y() - middle.y(), max(middle.x(), middle.y()))
        lit(cast, table, self._lamps.colours, self._screen)
        image = QImage(self._screen.data, columns, rows, 4 * columns, QImage.Format.Format_RGB32)
        ratio = self.devicePixelRatioF()
        image.setDevicePixelRatio(ratio)
        painter.drawImage(QPointF((self.width() - columns / ratio) / 2, (self.height() - rows / ratio) / 2), image)


class LargeView(CastView):
    """Lies over the wall; Space, Escape or a press puts it away, the arrows go on."""

    stepped = Signal(int)
    closed = Signal()

    def __init__(self, ui: Ui, casts: Casts, parent: QWidget) -> None:
        super().__init__(ui, casts, 1600, ui.px(12))
        self.setParent(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Large, in plaster")
        self.hide()

    def open(self) -> None:
        """Cover the parent."""
        parent = self.parentWidget()
        assert isinstance(parent, QWidget)
        self.setGeometry(parent.rect())
        self.show()
        self.raise_()
        self.setFocus()

    def close_(self) -> None:
        """Put it away."""
        self.hide()
        self.closed.emit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.close_()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1}
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Escape):
            self.close_()
        elif Qt.Key(event.key()) in by:
            self.stepped.emit(by[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)
