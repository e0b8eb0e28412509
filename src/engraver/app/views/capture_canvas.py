"""The mesh in plaster: turned by hand, with the frame and its handles, and what is cut flat."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from engraver.core.mesh.capture import Capture
from engraver.core.mesh.raster import Frame

from ..captures import Captures, Drawn
from ..editors.key_moves import ARROWS
from ..editors.solids_handles import Eye, SolidsHandles
from ..painting import picture_of
from ..ui import Ui
from .overlays import paint_reached, paint_words

DEGREES_A_PIXEL = 0.4
GRAB = 9.0
KEY_DEGREES = 5.0
_CORNERS = {"nw": (-1, 1), "ne": (1, 1), "se": (1, -1), "sw": (-1, -1)}


def wrapped(degrees: float) -> float:
    """An angle in -180..180."""
    return round((degrees + 180) % 360 - 180, 3)


class CaptureCanvas(QWidget):
    """Drag turns, Shift rolls, the middle button moves the view, the wheel zooms, double-click shows all."""

    viewed = Signal()

    def __init__(self, ui: Ui, captures: Captures) -> None:
        super().__init__()
        self.ui, self.captures = ui, captures
        self.drawn: Drawn | None = None
        self.view: Frame | None = None
        self._fresh = True
        self._image: QImage | None = None
        self._drag: tuple[str, QPointF, Capture, Frame | None] | None = None
        self._box: Frame | None = None
        self.setMinimumSize(ui.px(120), ui.px(120))
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Capture view")
        self.setToolTip(
            "Drag to turn · Shift and drag to roll · the frame's corners and sides set it · "
            "wheel zooms · double-click shows all"
        )
        self.bodies = SolidsHandles(ui)
        ui.solids.chosen_changed.connect(self.update)
        captures.rested.connect(self.settle)
        captures.drawn.connect(self._drawn)
        captures.picking_changed.connect(self._picking)
        ui.studio.project_changed.connect(self.follow)
        ui.studio.selection_changed.connect(self.follow)
        ui.pictures.looked.connect(self.update)

    # -- pictures ------------------------------------------------------------------

    def _tints(self) -> tuple[tuple[int, ...], tuple[int, ...]]:
        high, low = self.ui.colour("accent"), self.ui.colour("good")
        return (high.red(), high.green(), high.blue()), (low.red(), low.green(), low.blue())

    def _size(self) -> tuple[int, int]:
        ratio = self.devicePixelRatioF()
        return max(2, round(self.height() * ratio)), max(2, round(self.width() * ratio))

    def follow(self) -> None:
        """The capture changed: from few triangles at once, from all of them when the hand rests."""
        chosen = self.captures.chosen()
        if self.isVisible() and chosen is not None:
            source, reading = chosen
            if self.drawn is None or (self.drawn.sha256, self.drawn.reading) != (source.file.sha256, reading):
                self._draw(moving=True)
            self.captures.rest.start()
            self.update()

    def _draw(self, *, moving: bool) -> None:
        """The frame that is shown stays where it can, unless all is to be shown anew, or another mesh, or what was
        drawn last is for another size."""
        chosen, now, last = self.captures.chosen(), None, self.drawn
        if last is not None and chosen is not None and last.sha256 == chosen[0].file.sha256:
            now = last.seen.frame if last.size == self._size() and not self._fresh else None
        self.captures.draw(self.view, self._size(), moving=moving, tints=self._tints(), now=now)

    def settle(self) -> None:
        """Draw from all triangles."""
        if self.isVisible():
            self._draw(moving=False)

    def _drawn(self, drawn: Drawn) -> None:
        if self.drawn is not None and self.drawn.sha256 != drawn.sha256:
            self.view = None
        if drawn.anew and drawn.size == self._size():  # not sooner: the asking may have been overtaken by another
            self._fresh = False
        self.drawn = drawn
        self._image = picture_of(drawn.seen.picture)
        if drawn.found is not None:
            self._box = drawn.found.frame
        self.viewed.emit()
        self.update()

    def showEvent(self, event: QShowEvent) -> None:
        self._fresh = True
        self.follow()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fresh = True
        self.follow()

    # -- places --------------------------------------------------------------------

    def to_screen(self, x: float, y: float) -> QPointF:
        """A place of the eye's plane, in units, on the widget."""
        frame = self._shown()
        scale = self.width() / frame.width
        return QPointF((x - frame.x) * scale + self.width() / 2, self.height() / 2 - (y - frame.y) * scale)

    def to_plane(self, place: QPointF) -> tuple[float, float]:
        frame = self._shown()
        scale = frame.width / self.width()
        return (
            frame.x + (place.x() - self.width() / 2) * scale,
            frame.y - (place.y() - self.height() / 2) * scale,
        )

    def _shown(self) -> Frame:
        if self.drawn is not None:
            return self.drawn.seen.frame
        return self.view or Frame(0.0, 0.0, 1.0)

    def box(self) -> QRectF:
        """The capture's frame on the widget; empty until it is known."""
        found, chosen = self.captures.found(), self.captures.chosen()
        frame = found.frame if found is not None else self._box
        if frame is None or chosen is None:
            return QRectF()
        rows, columns = chosen[1].size
        centre, width = self.to_screen(frame.x, frame.y), frame.width * self.width() / self._shown().width
        height = width * rows / columns
        return QRectF(centre.x() - width / 2, centre.y() - height / 2, width, height)

    def grip_at(self, place: QPointF) -> str:
        """A corner, "move" on a side of the frame, or "" elsewhere."""
        chosen, box = self.captures.chosen(), self.box()
        if chosen is None or chosen[1].roll_out or box.isEmpty():
            return ""
        for name, (sx, sy) in _CORNERS.items():
            corner = QPointF(box.right() if sx > 0 else box.left(), box.top() if sy > 0 else box.bottom())
            if math.hypot(corner.x() - place.x(), corner.y() - place.y()) <= GRAB:
                return name
        wide, slim = box.adjusted(-5, -5, 5, 5), box.adjusted(5, 5, -5, -5)
        return "move" if wide.contains(place) and not slim.contains(place) else ""

    def _eye(self) -> Eye:
        """How the solids are looked at, as they were drawn last."""
        assert self.drawn is not None
        frame = self._shown()
        width, height, scale = self.width(), self.height(), self.width() / frame.width

        def to_screen(x: float, y: float) -> QPointF:
            return QPointF((x - frame.x) * scale + width / 2, height / 2 - (y - frame.y) * scale)

        return Eye(self.drawn.matrix, self.drawn.origin, to_screen, 1 / scale)

    def _solid_at(self, place: QPointF) -> str:
        """A solid, or a corner of the chosen one, under a place."""
        ready = bool(self.ui.solids.solids) and self.drawn is not None and not self.drawn.reading.roll_out
        return self.bodies.grip_at(place, self._eye()) if ready else ""

    # -- gestures ------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        chosen, place = self.captures.chosen(), event.position()
        if chosen is None:
            return
        if self.captures.picking and event.button() == Qt.MouseButton.LeftButton:
            self._pick(place)
            return
        found = self.captures.found()
        frame = found.frame if found is not None else self._box
        if event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            what = "pan"
        else:
            what = self.grip_at(place) or self._solid_at(place)
            if what.startswith(("body", "size")):
                self.bodies.start(what, place, self._eye())
                what = "solid"
            if not what:
                what = "roll" if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else "turn"
        self._drag = (what, place, chosen[1], self._shown() if what == "pan" else frame)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            self._point(event.position())
            return
        what, start, reading, frame = self._drag
        by, place = event.position() - start, event.position()
        if what == "pan" and frame is not None:
            scale = frame.width / self.width()
            self.look_at(replace(frame, x=frame.x - by.x() * scale, y=frame.y + by.y() * scale))
        elif what == "solid":
            self.bodies.moved(place)
        elif what == "roll":
            self.captures.change(roll=wrapped(reading.roll + self._angle(place) - self._angle(start)))
        elif what == "turn" and reading.roll_out:
            self._slide(reading, by)
        elif what == "turn":
            tilt = min(90.0, max(-90.0, reading.tilt + by.y() * DEGREES_A_PIXEL))
            turn = wrapped(reading.turn + by.x() * DEGREES_A_PIXEL)
            self.captures.change(turn=turn, tilt=round(tilt, 3))
        elif frame is not None:
            self._reframe(what, frame, start, place)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.bodies.finished()
        if self._drag is not None and self._drag[0] != "pan":
            self.ui.studio.seal()
        self._drag = None

    def _angle(self, place: QPointF) -> float:
        return math.degrees(math.atan2(place.y() - self.height() / 2, place.x() - self.width() / 2))

    def _slide(self, reading: Capture, by: QPointF) -> None:
        """A rolled-out picture is moved round and along."""
        assert self.drawn is not None
        width, length = self.drawn.span
        scale = self._shown().width / self.width()
        along = min(1.0, max(-1.0, reading.along + by.y() * scale / max(length, 1e-12)))
        turn = wrapped(reading.turn + by.x() * scale / width * 360)
        self.captures.change("Move the rolled-out mesh", turn=turn, along=round(along, 4))

    def _reframe(self, grip: str, frame: Frame, start: QPointF, place: QPointF) -> None:
        assert self.drawn is not None
        reach = self.drawn.span[0]
        if grip == "move":
            (x0, y0), (x1, y1) = self.to_plane(start), self.to_plane(place)
            new = replace(frame, x=frame.x + x1 - x0, y=frame.y + y1 - y0)
        else:
            sx, sy = _CORNERS[grip]
            x, y = self.to_plane(place)
            fixed_x, fixed_y = frame.x - sx * frame.width / 2, frame.y - sy * frame.width / 2
            side = max(0.002 * reach, (x - fixed_x) * sx, (y - fixed_y) * sy)
            new = Frame(fixed_x + sx * side / 2, fixed_y + sy * side / 2, side)
        self._box = new
        shares = [round(min(hi, max(lo, value / reach)), 5)
                  for value, lo, hi in ((new.x, -1, 1), (new.y, -1, 1), (new.width, 0.001, 2))]  # fmt: skip
        self.captures.change("Frame", frame="set", frame_x=shares[0], frame_y=shares[1], frame_size=shares[2])

    def _pick(self, place: QPointF) -> None:
        drawn = self.drawn
        if drawn is None:
            return
        rows, columns = drawn.seen.heights.shape
        row = min(rows - 1, max(0, int(place.y() / self.height() * rows)))
        column = min(columns - 1, max(0, int(place.x() / self.width() * columns)))
        height = float(drawn.seen.heights[row, column])
        if math.isnan(height):
            self.ui.studio.told.emit("Press on the mesh: that height becomes zero.", "look")
            return
        self.captures.pick(False)
        self.captures.change("Pick zero", "", zero_at="picked", picked=height)

    def wheelEvent(self, event: QWheelEvent) -> None:
        frame = self._shown()
        x, y = self.to_plane(event.position())
        by = 1.2 ** (-event.angleDelta().y() / 120)
        reach = self.drawn.span[0] if self.drawn is not None else frame.width
        by = min(max(frame.width * by, reach * 0.005), reach * 4) / frame.width
        self.look_at(Frame(x + (frame.x - x) * by, y + (frame.y - y) * by, frame.width * by))
        event.accept()

    def look_at(self, view: Frame | None) -> None:
        """Show this part of the eye's plane; None for all of the mesh."""
        self.view = view
        self._fresh = view is None
        self._draw(moving=True)
        self.captures.rest.start()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.look_at(None)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        chosen = self.captures.chosen()
        way = ARROWS.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Escape and self.captures.picking:
            self.captures.pick(False)
        elif way is None or chosen is None:
            super().keyPressEvent(event)
        else:
            reading = chosen[1]
            changes: dict[str, Any] = {"turn": wrapped(reading.turn + way[0] * KEY_DEGREES)}
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                changes = {"roll": wrapped(reading.roll + (way[0] or way[1]) * KEY_DEGREES)}
            elif way[1]:
                changes = {"tilt": min(90.0, max(-90.0, reading.tilt + way[1] * KEY_DEGREES))}
            self.captures.change(**changes)

    def _picking(self, on: bool) -> None:
        self.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)

    def _point(self, place: QPointF) -> None:
        if self.captures.picking:
            return
        shape = {"nw": Qt.CursorShape.SizeFDiagCursor, "se": Qt.CursorShape.SizeFDiagCursor,
                 "ne": Qt.CursorShape.SizeBDiagCursor, "sw": Qt.CursorShape.SizeBDiagCursor,
                 "move": Qt.CursorShape.SizeAllCursor}  # fmt: skip
        self.setCursor(shape.get(self.grip_at(place), Qt.CursorShape.OpenHandCursor))

    # -- paint ---------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.ui.colour("surround"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.captures.chosen()
        if chosen is None:
            return
        if self._image is None or self.drawn is None or self.drawn.sha256 != chosen[0].file.sha256:
            paint_words(painter, self.ui, self.rect(), "Reading the mesh…", 11)
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(self.rect()), self._image)
        self._paint_frame(painter, roll_out=chosen[1].roll_out)
        if self.ui.solids.solids and not chosen[1].roll_out:
            self.bodies.paint(painter, self._eye())
        words, near = self.captures.straight_words()
        self._paint_words(painter, f"{words} · N snaps" if near else words, warn=near)
        if self.hasFocus():
            paint_reached(painter, self.ui, QRectF(self.rect()))

    def _paint_frame(self, painter: QPainter, *, roll_out: bool) -> None:
        box = self.box()
        if box.isEmpty():
            return
        outside, inside = QPainterPath(), QPainterPath()
        outside.addRect(QRectF(self.rect()))
        inside.addRect(box)
        painter.fillPath(outside.subtracted(inside), QColor(20, 20, 18, 105))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(20, 20, 18, 170), 3.0))
        painter.drawRect(box)
        painter.setPen(QPen(QColor(255, 255, 255), 1.4))
        painter.drawRect(box)
        if roll_out:
            return
        painter.setPen(QPen(self.ui.colour("accent"), 1.6))
        painter.setBrush(QColor(255, 255, 255))
        for corner in (box.topLeft(), box.topRight(), box.bottomRight(), box.bottomLeft()):
            painter.drawRect(QRectF(corner.x() - 4, corner.y() - 4, 8, 8))

    def _paint_words(self, painter: QPainter, words: str, *, warn: bool) -> None:
        if not words:
            return
        painter.setFont(self.ui.font(11, 600 if warn else 400))
        width = painter.fontMetrics().horizontalAdvance(words) + 14
        box = QRectF(6, 6, width, self.ui.px(20))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.ui.colour("bar"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(self.ui.colour("on_bar"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
