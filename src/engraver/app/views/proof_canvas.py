"""The proof as it is drawn and turned, and the strip of a stroke below it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, SignalInstance
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from engraver.core.proof.projection import fit_of
from engraver.core.surfaces import surface
from engraver.core.surfaces.view import Lamp

from ..painting import picture_of
from ..state import EYE_ZOOMS
from ..ui import Ui
from .overlays import paint_reached, paint_words

STRIP_HEIGHT = 84


class DrawnPicture(QWidget):
    """Shows the newest picture of a signal; nothing once no plate is looked at."""

    def __init__(self, ui: Ui, drawn: SignalInstance) -> None:
        super().__init__()
        self.ui = ui
        self._image: QImage | None = None
        drawn.connect(self._drawn)
        ui.pictures.looked.connect(self._looked)

    def _looked(self, look: object) -> None:
        if look is None:
            self._drawn(None)
        elif self._image is None:
            self.update()  # from now on a picture is on its way

    def _drawn(self, array: np.ndarray | None) -> None:
        self._image = None if array is None else picture_of(array)
        self.update()


class ProofCanvas(DrawnPicture):
    """Left drag turns, the middle button moves, right drag moves the light, wheel zooms, double-click resets."""

    def __init__(self, ui: Ui) -> None:
        super().__init__(ui, ui.pictures.proofed)
        self._drag: tuple[Qt.MouseButton, QPointF] | None = None
        self.setMinimumSize(160, 160)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Proof")
        self.setToolTip("Drag to turn · middle drag moves · right drag lights · wheel zooms · double-click resets")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag = (event.button(), event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        button, last = self._drag
        by = event.position() - last
        self._drag = (button, event.position())
        if button == Qt.MouseButton.RightButton:
            self._light(by)
        elif button == Qt.MouseButton.MiddleButton:
            self._pan(by)
        else:
            self._turn(by)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None

    def _turn(self, by: QPointF) -> None:
        pictures = self.ui.pictures
        eye = self.ui.looks.bench.eye(self.ui.studio.proof_surface)
        low, high = surface(self.ui.studio.proof_surface).tilts
        eye = eye.turned(-by.y() * 0.4, by.x() * 0.4)
        pictures.turn(replace(eye, tilt=min(high, max(low, eye.tilt))))

    def _fit(self) -> float:
        """Pixels of this widget that a whole surface may fill."""
        return fit_of((self.width(), self.height()))

    def _pan(self, by: QPointF) -> None:
        eye = self.ui.looks.bench.eye(self.ui.studio.proof_surface)
        self.ui.pictures.turn(eye.moved(by.x() / self._fit(), -by.y() / self._fit()))

    def _light(self, by: QPointF) -> None:
        self.ui.studio.set_proof(lamp=self.ui.studio.proof.lamp.moved(by.x() * 0.7, -by.y() * 0.4))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.reset()

    def reset(self) -> None:
        """The first eye and the first light."""
        self.ui.pictures.turn(surface(self.ui.studio.proof_surface).eye)
        self.ui.studio.set_proof(lamp=Lamp())

    def wheelEvent(self, event: QWheelEvent) -> None:
        pictures = self.ui.pictures
        eye = self.ui.looks.bench.eye(self.ui.studio.proof_surface)
        low, high = EYE_ZOOMS
        zoom = min(high, max(low, eye.zoom * 1.15 ** (event.angleDelta().y() / 120)))
        off = (event.position() - QPointF(self.width() / 2, self.height() / 2)) / self._fit()
        pictures.turn(eye.zoomed(zoom, off.x(), -off.y()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        ways = {
            Qt.Key.Key_Left: (-12, 0),
            Qt.Key.Key_Right: (12, 0),
            Qt.Key.Key_Up: (0, -12),
            Qt.Key.Key_Down: (0, 12),
        }
        way = ways.get(Qt.Key(event.key()))
        if way is None:
            super().keyPressEvent(event)
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._light(QPointF(*way))
        else:
            self._turn(QPointF(*way))

    @property
    def words(self) -> str:
        """What stands in place of a picture."""
        waits = self.ui.studio.plate is not None
        return "Getting the proof ready…" if waits else "The plate is tried here, pressed into plaster."

    def resizeEvent(self, event: QResizeEvent) -> None:
        ratio = self.devicePixelRatioF()
        self.ui.pictures.proof_size = (max(2, round(self.width() * ratio)), max(2, round(self.height() * ratio)))
        self.ui.pictures.draw_proof(moving=True)
        self.ui.pictures.settle()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.ui.colour("surround"))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), self._image)
        else:
            paint_words(painter, self.ui, self.rect(), self.words)
        if self.hasFocus():
            paint_reached(painter, self.ui, QRectF(self.rect()))


class Strip(DrawnPicture):
    """A short stroke of marks."""

    def __init__(self, ui: Ui) -> None:
        super().__init__(ui, ui.pictures.stripped)
        self.setFixedHeight(ui.px(STRIP_HEIGHT))
        self.setToolTip("A short stroke of marks")

    def resizeEvent(self, event: QResizeEvent) -> None:
        ratio = self.devicePixelRatioF()
        self.ui.pictures.strip_size = (max(2, round(self.width() * ratio)), max(2, round(self.height() * ratio)))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.ui.colour("surround"))
        if self._image is not None:
            painter.drawImage(QRectF(self.rect()), self._image)
        painter.setPen(self.ui.colour("bar"))
        painter.drawLine(0, 0, self.width(), 0)
