"""The trial as it is drawn and worked on: the hand's gestures, the eye, the light, and what the pointer carries."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QResizeEvent,
    QTabletEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from engraver.core.proof.look import FINEST_LINES, Seen
from engraver.core.proof.projection import fit_of
from engraver.core.proof.trial_square import TrialSquare
from engraver.core.surfaces.view import CAMERA

from ..painting import picture_of
from ..proof_state import ZOOMS
from ..ui import Ui
from .curve_handles import CurveHandles
from .overlays import paint_reached, paint_words
from .sight import Sight
from .trial_overlay import TrialOverlay, paint_note, see_through
from .trial_square_handles import WORDS, TrialSquareHandles

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
        self._handles, self._curve = TrialSquareHandles(ui), CurveHandles(ui)
        self.picture: QPixmap | None = None
        self.setMinimumSize(160, 160)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Trial")
        active = ui.trials
        active.drawing.drawn.connect(self._drawn)
        active.changed.connect(self._redraw)
        ui.pictures.tray.came.connect(self._thumbed)
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
        self._thumbed(self.ui.pictures.tray.pictures)

    def _thumbed(self, found: dict[str, NDArray[np.uint8] | None]) -> None:
        array = found.get(self.ui.studio.plate_id or "")
        if array is not None:
            self.picture = see_through(array)
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
        ratio = self._scale()
        return self._seen.place(at.x() * ratio, at.y() * ratio)

    def _scale(self) -> float:
        """Pixels of the picture to one of the view; a picture that was made in a hurry has fewer."""
        if self._seen is None:
            return self.devicePixelRatioF()
        return float(self._seen.picture.shape[1]) / max(1, self.width())

    def _ratio(self) -> float:
        """Pixels of the projection to one of the view."""
        assert self._seen is not None
        return self._seen.factor * self._scale()

    def square(self) -> TrialSquare | None:
        """The square that is being set, as it is seen here."""
        framing, seen = self.ui.trials.framing, self._seen
        return TrialSquare(framing, seen.projection) if framing is not None and seen is not None else None

    # -- the mouse -----------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._last = self._pointer = event.position()
        button, ctrl = event.button(), bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        place, square = self.scene(event.position()), self.square()
        if button == Qt.MouseButton.RightButton:
            self._does = "light"
        elif button == Qt.MouseButton.MiddleButton:
            self._does = "pan"
        elif button == Qt.MouseButton.LeftButton and square is not None and not ctrl:
            held = self._handles.start(square, event.position(), self._ratio())
            self._does = "frame" if held else "turn"
        elif button == Qt.MouseButton.LeftButton and SETS in self._held:
            self._does = "set"
        elif button == Qt.MouseButton.LeftButton and not ctrl and self._on_curve(event, place):
            self._does = "curve"
        elif button == Qt.MouseButton.LeftButton and (place is None or ctrl):
            self._does = "turn"
        elif button == Qt.MouseButton.LeftButton and place is not None:
            self._does = "press"
            tool = "smooth" if SMOOTHS in self._held else ""
            self.ui.trials.begin(place, self._pressure, self._lean, event.timestamp() / 1000, tool)

    def _on_curve(self, event: QMouseEvent, place: Place | None) -> bool:
        """Whether a press is for a curve, which has it then."""
        if self._seen is None or not self._curve.wanted or SMOOTHS in self._held:
            return False
        pen = self._pressure, self._lean, event.timestamp() / 1000
        return self._curve.press(self._sight(), event.position(), place, *pen)

    def _sight(self) -> Sight:
        assert self._seen is not None
        return Sight(self._seen, self._scale())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """A curve that is carried on ends here; else as pressed twice."""
        if not self.ui.trials.curve.stop():
            self.mousePressEvent(event)

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
        elif self._does == "frame":
            active.frame(self._handles.moved(event.position(), self._ratio()) or active.framing)
        elif self._does == "set":
            self._set(by)
        elif self._does == "curve":
            place, pen = self.scene(event.position()), (self._pressure, self._lean, event.timestamp() / 1000)
            self._curve.move(event.position(), self._sight(), place, *pen)
        elif self._does == "press":
            place = self.scene(event.position())
            if place is not None:
                active.go_on(place, self._pressure, self._lean, event.timestamp() / 1000)
        square = self.square()
        if square is None:
            self.unsetCursor()
        elif not self._does:
            self.setCursor(self._handles.cursor(square, event.position(), self._ratio()))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._does == "press":
            self.ui.trials.end()
        elif self._does == "curve":
            self._curve.release(self._sight(), self.scene(event.position()))
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
            self._curve.cancel()
            if active.framing is not None:
                active.frame(None)
                return
            if active.curve.stop():
                return
            active.give_up()
            active.choose("")
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if active.framing is not None:
                self.ui.commands["make-plate"].do()
            elif active.curve.stop():
                return
            else:
                self._press_in_the_middle()
        else:
            super().keyPressEvent(event)

    def _press_in_the_middle(self) -> None:
        """Without a mouse: one press in the middle of the view."""
        place = self.scene(QPointF(self.width() / 2, self.height() / 2))
        if place is not None and self.ui.trials.kind.curve:
            self.ui.trials.curve.across(self._sight().spread())
        elif place is not None:
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
            paint_words(painter, ui, self.rect(), "Getting the surface ready…")
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(QRectF(self.rect()), self._image)
        self._paint_over(painter)
        if self.hasFocus():
            paint_reached(painter, ui, QRectF(self.rect()))

    def _paint_over(self, painter: QPainter) -> None:
        """The square that becomes a plate; else what is chosen and what the pointer carries."""
        assert self._seen is not None
        active, square = self.ui.trials, self.square()
        if square is not None:
            self._handles.paint(painter, square, self._ratio(), QRectF(self.rect()))
            paint_note(painter, self.ui, QRectF(self.rect()), WORDS)
            return
        over = TrialOverlay(self.ui, self._sight())
        if not self.view:
            self._curve.paint(painter, self._sight(), self._pointer)
        if active.curve.gesture is None:
            over.chosen(painter)
        if self._pointer is not None and self._does in ("", "press", "set"):
            carries = (
                active.kind.plate and not self._curve.wanted and SMOOTHS not in self._held and self._does != "press"
            )
            over.pointer(painter, self._pointer, self.picture if carries else None, self._words())
        if active.state.lines and self._lines_too_fine():
            words = "The grid is finer than this picture: zoom in to see it"
            paint_note(painter, self.ui, QRectF(self.rect()), words)

    def _lines_too_fine(self) -> bool:
        active, seen = self.ui.trials, self._seen
        assert seen is not None
        second = active.state.second if self.view else 0
        edge = active.density.edge * math.sqrt(active.trial.points / second if second else 1)
        return edge * seen.projection.scale / CAMERA / seen.factor < FINEST_LINES

    def _words(self) -> str:
        state, settings = self.ui.trials.state, self.ui.trials.settings
        said = {
            "smooths": SMOOTHS in self._held,
            f"size {settings.size * 100:.1f} %": SETS in self._held,
            f"strength {settings.strength * 100:.1f} %": SETS in self._held and self.ui.trials.kind.plate,
            "carried on: Enter ends it": bool(self.ui.trials.curve.growing),
            "mirrored": state.mirror, f"{state.arms} arms": state.arms > 1,
        }  # fmt: skip
        return " · ".join(words for words, on in said.items() if on)

    def pointer_at(self, at: QPointF) -> None:
        """Show the pointer at a place, as if the hand were there: for pictures of the window."""
        self._pointer = at
        self.update()
