"""The trial as it is drawn and worked on: the hand's gestures, the eye, the light, and what the pointer carries."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QTabletEvent,
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from engraver.core.pressing.expand import SCENE, expand, fixed_right, symmetry
from engraver.core.proof.trial_picture import Seen, fit_of

from ..painting import picture_of
from ..proof_state import ZOOMS
from ..ui import Ui

# Corners of a ring, and marks of a chosen gesture that are outlined at most.
_CORNERS, _MOST_RINGS = 40, 160
# Held keys: the tool under the hand smooths; a drag sets size and strength.
SMOOTHS, SETS = Qt.Key.Key_S, Qt.Key.Key_D
Place = NDArray[np.float64]


class TrialCanvas(QWidget):
    """One view of the trial. Left drag on the surface makes the gesture; beside it, or with Ctrl, it turns; the
    middle button moves, the right one moves the light, the wheel zooms at the pointer."""

    def __init__(self, ui: Ui, view: int = 0) -> None:
        super().__init__()
        self.ui, self.view = ui, view
        self._image: QImage | None = None
        self._seen: Seen | None = None
        self._does, self._last = "", QPointF()
        self._pointer: QPointF | None = None
        self._pressure, self._lean = 1.0, 0.0
        self._held: set[int] = set()
        self.picture: QPixmap | None = None
        self.setMinimumSize(160, 160)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Trial")
        active = ui.trials
        active.drawing.drawn.connect(self._drawn)
        active.changed.connect(self._redraw)
        ui.pictures.tray_thumbs.connect(self._thumbed)
        ui.studio.selection_changed.connect(self._other_plate)
        self._other_plate()

    # -- pictures ------------------------------------------------------------------

    def _drawn(self, view: int, seen: Seen) -> None:
        if view == self.view:
            self._seen, self._image = seen, picture_of(seen.picture)
            self.update()

    def _redraw(self) -> None:
        self.update()

    def _other_plate(self) -> None:
        """Another plate is in the hand."""
        self.picture = None
        self._thumbed(self.ui.pictures.tray_pictures)

    def _thumbed(self, found: dict[str, NDArray[np.uint8] | None]) -> None:
        array = found.get(self.ui.studio.plate_id or "")
        if array is not None:
            self.picture = _ghost(array)
            self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        ratio = self.devicePixelRatioF()
        size = max(2, round(self.width() * ratio)), max(2, round(self.height() * ratio))
        self.ui.trials.resized(self.view, size)

    # -- places --------------------------------------------------------------------

    def scene(self, at: QPointF) -> Place | None:
        """The scene place under a place of the view; None beside the surface."""
        if self._seen is None:
            return None
        ratio = self.devicePixelRatioF()
        return self._seen.place(at.x() * ratio, at.y() * ratio)

    def spot(self, place: Place) -> QPointF:
        """Where a scene place is seen."""
        assert self._seen is not None
        x, y = self._seen.projection.pixel(place)
        by = self._seen.factor * self.devicePixelRatioF()
        return QPointF(x / by, y / by)

    # -- the mouse -----------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._last = self._pointer = event.position()
        button, ctrl = event.button(), bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        place = self.scene(event.position())
        if button == Qt.MouseButton.RightButton:
            self._does = "light"
        elif button == Qt.MouseButton.MiddleButton:
            self._does = "pan"
        elif button == Qt.MouseButton.LeftButton and SETS in self._held:
            self._does = "set"
        elif button == Qt.MouseButton.LeftButton and (place is None or ctrl):
            self._does = "turn"
        elif button == Qt.MouseButton.LeftButton and place is not None:
            self._does = "press"
            tool = "smooth" if SMOOTHS in self._held else ""
            self.ui.trials.begin(place, self._pressure, self._lean, event.timestamp() / 1000, tool)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        by, self._last = event.position() - self._last, event.position()
        self._pointer = event.position()
        active = self.ui.trials
        if self._does == "light":
            active.shine(active.lamp.moved(by.x() * 0.7, -by.y() * 0.4))
        elif self._does == "pan":
            self._pan(by)
        elif self._does == "turn":
            active.look(active.eye.turned(-by.y() * 0.4, by.x() * 0.4))
        elif self._does == "set":
            self._set(by)
        elif self._does == "press":
            place = self.scene(event.position())
            if place is not None:
                active.go_on(place, self._pressure, self._lean, event.timestamp() / 1000)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._does == "press":
            self.ui.trials.end()
        self._does = ""
        self._pressure, self._lean = 1.0, 0.0  # a mouse may take over from the pen

    def leaveEvent(self, event: object) -> None:
        self._pointer = None
        self.update()

    def tabletEvent(self, event: QTabletEvent) -> None:
        """A pen's pressure and lean; the mouse events that follow from it carry the place."""
        self._pressure = min(1.0, max(0.0, event.pressure())) if event.buttons() else 1.0
        self._lean = math.atan2(event.yTilt(), event.xTilt()) if event.xTilt() or event.yTilt() else 0.0
        event.ignore()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom, and what is under the pointer stays there."""
        active = self.ui.trials
        eye = active.eye
        low, high = ZOOMS
        zoom = min(high, max(low, eye.zoom * 1.15 ** (event.angleDelta().y() / 120)))
        off = (event.position() - QPointF(self.width() / 2, self.height() / 2)) / self._fit()
        active.look(eye.zoomed(zoom, off.x(), -off.y()))

    def _fit(self) -> float:
        """Pixels of this widget that a whole surface may fill."""
        return fit_of((self.width(), self.height()))

    def _pan(self, by: QPointF) -> None:
        self.ui.trials.look(self.ui.trials.eye.moved(by.x() / self._fit(), -by.y() / self._fit()))

    def _set(self, by: QPointF) -> None:
        """Size sideways, strength up and down."""
        active = self.ui.trials
        now = active.settings
        changes: dict[str, Any] = {"size": min(2.0, max(0.002, now.size * math.exp(by.x() / 140)))}
        if active.kind.plate:
            changes["strength"] = min(0.5, max(0.0, round(now.strength - by.y() * 0.0004, 5)))
        else:
            changes["flow"] = min(1.0, max(0.0, round(now.flow - by.y() * 0.004, 3)))
        active.set_settings("Set size and strength", merge="set", **changes)

    # -- keys ----------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        active, key = self.ui.trials, Qt.Key(event.key())
        turns = {
            Qt.Key.Key_Left: (-8, 0), Qt.Key.Key_Right: (8, 0), Qt.Key.Key_Up: (0, -8), Qt.Key.Key_Down: (0, 8),
        }  # fmt: skip
        if key in (SMOOTHS, SETS) and not event.modifiers():
            self._held.add(key)
            self.update()
        elif key in turns:
            by = QPointF(*turns[key])
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                active.shine(active.lamp.moved(by.x(), -by.y() / 2))
            else:
                active.look(active.eye.turned(-by.y(), by.x()))
        elif key == Qt.Key.Key_Escape:
            self._does = ""
            active.give_up()
            active.choose("")
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._press_in_the_middle()
        else:
            super().keyPressEvent(event)

    def _press_in_the_middle(self) -> None:
        """Without a mouse: one press in the middle of the view."""
        place = self.scene(QPointF(self.width() / 2, self.height() / 2))
        if place is not None:
            self.ui.trials.begin(place, 1.0, 0.0, 0.0)
            self.ui.trials.end()

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self._held.discard(event.key())
            self.update()
        super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._held.clear()
        super().focusOutEvent(event)

    # -- painting ------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, ui = QPainter(self), self.ui
        painter.fillRect(self.rect(), ui.colour("surround"))
        if self._image is None:
            painter.setPen(ui.colour("on_bar"))
            painter.setFont(ui.font(13))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Getting the surface ready…")
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(QRectF(self.rect()), self._image)
        self._paint_chosen(painter)
        if self._pointer is not None and self._does in ("", "press", "set"):
            self._paint_pointer(painter, self._pointer)
        if self.hasFocus():
            painter.setPen(QPen(ui.colour("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def _ring(self, place: Place, normal: Place, radius: float) -> QPolygonF:
        """The outline of a round mark as it is seen."""
        right = fixed_right(normal[None])[0]
        up = np.cross(normal, right)
        angle = np.linspace(0, 2 * math.pi, _CORNERS, endpoint=False)
        around = place + radius * (np.cos(angle)[:, None] * right + np.sin(angle)[:, None] * up)
        return QPolygonF([self.spot(p) for p in around])

    def _paint_chosen(self, painter: QPainter) -> None:
        """The marks of the chosen gesture."""
        active, seen = self.ui.trials, self._seen
        gesture = active.gesture
        if gesture is None or seen is None:
            return
        marks = expand(gesture, active.trial.declared.geometry, active.own)
        towards = seen.projection.rotation[2].astype(float)
        shown = np.flatnonzero(marks.normal @ towards > 0.05)[:_MOST_RINGS]
        for width, colour in ((3.0, QColor(20, 20, 20, 110)), (1.4, self.ui.colour("accent"))):
            painter.setPen(QPen(colour, width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for n in shown:
                painter.drawPolygon(self._ring(marks.place[n], marks.normal[n], float(marks.radius[n])))

    def _paint_pointer(self, painter: QPainter, at: QPointF) -> None:
        """The ring of the mark, a faint picture of the plate in it, and symmetry in words."""
        active, place = self.ui.trials, self.scene(at)
        if place is None or self._seen is None:
            return
        geometry = active.trial.declared.geometry
        normal = geometry.onto(place[None], active.own)[1]
        radius = active.settings.size * SCENE / 2
        if active.kind.plate and SMOOTHS not in self._held and self._does != "press" and self.picture is not None:
            self._paint_ghost(painter, place, normal[0], radius)
        for width, colour in ((3.0, QColor(20, 20, 20, 120)), (1.4, QColor(255, 255, 255, 230))):
            painter.setPen(QPen(colour, width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(self._ring(place, normal[0], radius))
            for to in symmetry(active.state.mirror, active.state.arms, geometry.axis)[1:]:
                upright = to @ normal[0]
                if upright @ self._seen.projection.rotation[2] > 0.05:
                    painter.drawPolygon(self._ring(to @ place, upright, radius * 0.35))
        words = self._words()
        if words:
            self._paint_words(painter, at + QPointF(self.ui.px(16), self.ui.px(22)), words)

    def _words(self) -> str:
        state, settings = self.ui.trials.state, self.ui.trials.settings
        said = {
            "smooths": SMOOTHS in self._held,
            f"size {settings.size * 100:.1f} %": SETS in self._held,
            f"strength {settings.strength * 100:.1f} %": SETS in self._held and self.ui.trials.kind.plate,
            "mirrored": state.mirror, f"{state.arms} arms": state.arms > 1,
        }  # fmt: skip
        return " · ".join(words for words, on in said.items() if on)

    def _paint_words(self, painter: QPainter, at: QPointF, words: str) -> None:
        painter.setFont(self.ui.font(11, 600))
        room = QRectF(painter.fontMetrics().boundingRect(words)).adjusted(-6, -3, 6, 3)
        room.moveTopLeft(at)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.ui.colour("bar"))
        painter.drawRoundedRect(room, 4, 4)
        painter.setPen(self.ui.colour("on_bar"))
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_ghost(self, painter: QPainter, place: Place, normal: Place, radius: float) -> None:
        assert self.picture is not None
        right = fixed_right(normal[None])[0]
        up = np.cross(normal, right)
        corners = [place + radius * (a * right + b * up) for a, b in ((-1, 1), (1, 1), (1, -1), (-1, -1))]
        side = float(self.picture.width())
        square = QPolygonF([QPointF(0, 0), QPointF(side, 0), QPointF(side, side), QPointF(0, side)])
        into = QTransform()
        if QTransform.quadToQuad(square, QPolygonF([self.spot(c) for c in corners]), into):
            painter.save()
            painter.setTransform(into, True)
            painter.setOpacity(0.42)
            painter.drawPixmap(0, 0, self.picture)
            painter.restore()

    def pointer_at(self, at: QPointF) -> None:
        """Show the pointer at a place, as if the hand were there: for pictures of the window."""
        self._pointer = at
        self.update()


def _ghost(array: NDArray[np.uint8]) -> QPixmap:
    """A plate's picture with its dark see-through, square."""
    grey = array if array.ndim == 2 else array.mean(axis=2).astype(np.uint8)
    side = max(grey.shape)
    drawn = np.zeros((side, side, 4), np.uint8)
    top, left = (side - grey.shape[0]) // 2, (side - grey.shape[1]) // 2
    part = drawn[top : top + grey.shape[0], left : left + grey.shape[1]]
    part[..., :3], part[..., 3] = 255, grey
    return QPixmap.fromImage(QImage(drawn.data, side, side, 4 * side, QImage.Format.Format_RGBA8888).copy())
