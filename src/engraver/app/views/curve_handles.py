"""The curve on the trial, as it is seen and held: its points, their handles, and the hand that draws it."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from engraver.core.curves.edits import nearest_leg
from engraver.core.curves.spline import handles_at
from engraver.core.pressing.gesture import Gesture
from engraver.core.surfaces.ground import SCENE

from ..active_curve import Grip
from ..painting import polyline
from ..ui import Ui
from .sight import Sight

# How near a press has to be to a grip, and how far the hand has to move for a stroke, in pixels of the view.
_NEAR, _MOVED = 9.0, 5.0
_GRIP, _HANDLE = 5.0, 3.6
# Places at which the line of a curve is painted, at most.
_MOST_SPOTS = 220
Place = NDArray[np.float64]
_EDGE = QColor(20, 20, 20, 190)


class CurveHandles:
    """The hand on a curve: presses begin, carry on, hold points; the view asks it first."""

    def __init__(self, ui: Ui) -> None:
        self.ui = ui
        self._grip: Grip | None = None
        self._begun: Gesture | None = None
        self._from, self._moved, self._draws = QPointF(), False, False

    @property
    def wanted(self) -> bool:
        """Whether presses on the surface are for a curve."""
        active = self.ui.trials
        return active.curve.ready and (active.curve.gesture is not None or active.kind.curve)

    # -- what is under the pointer ---------------------------------------------------------

    def at(self, sight: Sight, spot: QPointF) -> Grip | None:
        """The point or handle under a spot."""
        curve = self.ui.trials.curve
        gesture = curve.gesture
        if gesture is None:
            return None
        for grip, place in self._grips(gesture):
            if _away(sight.spot(place), spot) <= _NEAR and (grip.side >= 0 or self._in_front(sight, place)):
                return grip
        return None

    def _in_front(self, sight: Sight, place: Place) -> bool:
        active = self.ui.trials
        normal = active.trial.declared.geometry.onto(place[None], active.own)[1][0]
        return bool(normal @ sight.seen.projection.rotation[2].astype(np.float64) > -0.1)

    def _points(self, gesture: Gesture) -> tuple[Place, Place]:
        """Where the points of a curve are seen, (n, 3): over the surface by as much as the curve is; and normals."""
        active = self.ui.trials
        normals: Place = active.trial.declared.geometry.onto(gesture.points[:, :3], active.own)[1]
        return gesture.points[:, :3] + gesture.way.offset * SCENE * normals, normals

    def _grips(self, gesture: Gesture) -> list[tuple[Grip, Place]]:
        """All that can be held and where, the handles of the chosen point first."""
        curve, points = self.ui.trials.curve, self._points(gesture)[0]
        found: list[tuple[Grip, Place]] = []
        if 0 <= curve.point < len(points) and len(points) > 1:
            both = handles_at(gesture.points, gesture.way, curve.point)
            found += [(Grip(curve.point, n), points[curve.point, :3] + both[n]) for n in (0, 1)]
        return [*found, *((Grip(n), p) for n, p in enumerate(points[:, :3]))]

    def _on_leg(self, sight: Sight, spot: QPointF, place: Place | None) -> tuple[int, float] | None:
        gesture = self.ui.trials.curve.gesture
        if gesture is None or place is None or len(gesture.points) < 2:
            return None
        pixel = sight.pixel(place)
        leg, share, away = nearest_leg(gesture.points, gesture.way, place, pixel * 3)
        return (leg, share) if away < pixel * _NEAR * 0.8 else None

    # -- the hand --------------------------------------------------------------------------

    def press(
        self, sight: Sight, spot: QPointF, place: Place | None, pressure: float, lean: float, time: float
    ) -> bool:
        """The hand sets down; whether that is for a curve."""
        active, curve = self.ui.trials, self.ui.trials.curve
        self._from, self._moved, self._draws = spot, False, False
        self._grip, self._begun = self.at(sight, spot), curve.gesture
        gesture = curve.gesture
        if self._grip is not None and gesture is not None:
            n, count = self._grip.point, len(gesture.points)
            if (
                curve.growing
                and self._grip.side < 0
                and count > 2
                and n == (0 if curve.growing == "end" else count - 1)
            ):
                self._grip = None
                curve.close()
                return True
            curve.choose_point(n)
            return True
        if place is None:
            return False
        leg = None if curve.growing else self._on_leg(sight, spot, place)
        if leg is not None:
            curve.insert(*leg, place)
            self._grip, self._begun = Grip(leg[0] + 1), curve.gesture
            return True
        if active.studio.plate is None:
            active.studio.told.emit("There is no plate to lay along a curve: open or begin one first.", "look")
            return True
        if not curve.growing:
            active.choose("")
        self._draws = True
        curve.begin(place, pressure, lean, time)
        return True

    def move(
        self, spot: QPointF, sight: Sight, place: Place | None, pressure: float, lean: float, time: float
    ) -> None:
        """The hand moves."""
        active, curve = self.ui.trials, self.ui.trials.curve
        if not self._moved and _away(spot, self._from) < _MOVED:
            return
        self._moved = True
        if self._grip is not None and self._begun is not None:
            grip = self._grip
            if grip.side >= 0:
                point = self._begun.points[grip.point, :3]
                normal = active.trial.declared.geometry.onto(point[None], active.own)[1][0]
                curve.drag(grip, sight.on_plane(spot, point, normal), self._begun)
            elif place is not None:
                curve.drag(grip, place, self._begun)
        elif self._draws and place is not None:
            curve.go_on(place, pressure, lean, time)

    def release(self, sight: Sight, place: Place | None) -> None:
        """The hand lifts off."""
        curve, gesture = self.ui.trials.curve, self.ui.trials.curve.gesture
        if self._draws:
            curve.end(moved=self._moved, off=place is None, towards=sight.eye())
        elif self._grip is not None and gesture is not None:
            curve.let_go()
            last, n = len(gesture.points) - 1, self._grip.point
            if not self._moved and self._grip.side < 0 and n in (0, last) and not gesture.way.closed:
                curve.grow("start" if n == 0 and last > 0 else "end")
        self._grip, self._begun, self._draws = None, None, False

    def cancel(self) -> None:
        """What the hand does is not done."""
        if self.ui.trials.curve.moving:
            self.ui.trials.curve.give_up()
        self._grip, self._begun, self._draws = None, None, False

    # -- painting --------------------------------------------------------------------------

    def paint(self, painter: QPainter, sight: Sight, pointer: QPointF | None) -> None:
        """The chosen curve, its points and handles, and where it has something to tell."""
        active = self.ui.trials
        if not active.curve.ready:
            return
        gesture, seen = active.curve.gesture, active.drawing.curve
        if seen is not None and seen.way is not None and (gesture is None or seen.gesture.uid == gesture.uid):
            if gesture is not None:
                self._paint_way(painter, sight, seen.way.place, seen.way.up)
            self._paint_notes(painter, sight, [p for note in seen.notes for p in note.places])
        if gesture is None:
            return
        (points, normals), curve = self._points(gesture), gesture.way
        if active.curve.growing and pointer is not None and not self._draws:
            begin = sight.spot(points[0 if active.curve.growing == "start" else -1, :3])
            painter.setPen(QPen(self.ui.colour("accent"), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(begin, pointer)
        for grip, place in reversed(self._grips(gesture)):
            if grip.side >= 0:
                self._paint_handle(painter, sight.spot(points[grip.point, :3]), sight.spot(place))
        towards = sight.seen.projection.rotation[2].astype(np.float64)
        for n in np.flatnonzero(normals @ towards > -0.1).tolist():
            self._paint_point(painter, sight.spot(points[n, :3]), gesture, n)
        if len(points) > 1 and not curve.closed:
            self._paint_arrow(painter, sight, points)

    def _paint_way(self, painter: QPainter, sight: Sight, places: Place, ups: Place) -> None:
        towards = sight.seen.projection.rotation[2].astype(np.float64)
        kept = np.unique(np.append(np.arange(0, len(places), max(1, len(places) // _MOST_SPOTS)), len(places) - 1))
        places, ups = places[kept], ups[kept]
        front = ups @ towards > 0.02
        spots = sight.spots(places)
        runs = np.split(np.arange(len(front)), np.flatnonzero(np.diff(front)) + 1)
        for run in runs:
            line = polyline(*spots[run[0] : run[-1] + 2].T)
            if front[run[0]]:
                for width, colour in ((3.4, _EDGE), (1.6, QColor(255, 255, 255, 240))):
                    painter.setPen(QPen(colour, width))
                    painter.drawPolyline(line)
            else:
                painter.setPen(QPen(QColor(255, 255, 255, 110), 1.2, Qt.PenStyle.DotLine))
                painter.drawPolyline(line)

    def _paint_point(self, painter: QPainter, at: QPointF, gesture: Gesture, n: int) -> None:
        ui, curve = self.ui, gesture.way
        chosen = n == ui.trials.curve.point
        size = ui.px(_GRIP) * (1.25 if chosen else 1.0)
        painter.setPen(QPen(_EDGE, 1.4))
        painter.setBrush(ui.colour("accent") if chosen else QColor(255, 255, 255))
        if n in curve.sharp:
            corners = [QPointF(0, -1.25), QPointF(1.25, 0), QPointF(0, 1.25), QPointF(-1.25, 0)]
            painter.drawPolygon(QPolygonF([at + c * size for c in corners]))
        else:
            painter.drawEllipse(at, size, size)
        ends = {0: "start", len(gesture.points) - 1: "end"}
        if ends.get(n) in curve.held and not curve.closed:  # a pin through it
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(ui.colour("accent"), 2))
            painter.drawRect(QRectF(at.x() - size - 3, at.y() - size - 3, 2 * size + 6, 2 * size + 6))

    def _paint_handle(self, painter: QPainter, at: QPointF, to: QPointF) -> None:
        size = self.ui.px(_HANDLE)
        for width, colour in ((2.6, _EDGE), (1.2, self.ui.colour("accent"))):
            painter.setPen(QPen(colour, width))
            painter.drawLine(at, to)
        painter.setPen(QPen(_EDGE, 1.2))
        painter.setBrush(self.ui.colour("accent"))
        painter.drawRect(QRectF(to.x() - size, to.y() - size, 2 * size, 2 * size))

    def _paint_arrow(self, painter: QPainter, sight: Sight, points: Place) -> None:
        """Which way the curve goes: a small head behind its first point."""
        at, on = sight.spot(points[0, :3]), sight.spot(points[1, :3])
        angle = math.atan2(on.y() - at.y(), on.x() - at.x())
        ahead = QPointF(math.cos(angle), math.sin(angle))
        aside = QPointF(-ahead.y(), ahead.x())
        size = self.ui.px(5)
        tip = at + ahead * (size * 3.6)
        painter.setPen(QPen(_EDGE, 1.2))
        painter.setBrush(QColor(255, 255, 255))
        painter.drawPolygon(
            QPolygonF([tip, tip - ahead * size * 1.5 + aside * size, tip - ahead * size * 1.5 - aside * size])
        )

    def _paint_notes(self, painter: QPainter, sight: Sight, places: list[Place]) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        size = self.ui.px(11)
        for place in places[:40]:
            for width, colour in ((4.0, _EDGE), (2.2, self.ui.colour("look"))):
                painter.setPen(QPen(colour, width))
                painter.drawEllipse(sight.spot(place), size, size)


def _away(a: QPointF, b: QPointF) -> float:
    return math.hypot(a.x() - b.x(), a.y() - b.y())
