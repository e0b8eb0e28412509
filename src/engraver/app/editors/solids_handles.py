"""Solids in the capture view: dragged in the plane that is looked at, sized at their corners, held at each other."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from engraver.core.solids.model import KINDS, Solid

from ..active_solids import ActiveSolids
from ..ui import Ui

GRAB = 9.0
# A solid holds at a round place, or beside another, that is so many pixels of the screen away.
_NEAR, _ROUND = 6.0, 0.05
Matrix = NDArray[np.float64]
_AXES = "xyz"


def turned(solid: Solid) -> Matrix:
    """The rotation of a solid: about x, then y, then z."""
    found = np.eye(3)
    for axis, degrees in enumerate((solid.turn_x, solid.turn_y, solid.turn_z)):
        a, (i, j) = math.radians(degrees), ((1, 2), (2, 0), (0, 1))[axis]
        one = np.eye(3)
        one[i, i] = one[j, j] = math.cos(a)
        one[i, j], one[j, i] = -math.sin(a), math.sin(a)
        found = one @ found
    return found


@dataclass(frozen=True, slots=True)
class Eye:
    """How solids are looked at: rotation to the eye, the middle of all in units, and the way to the screen."""

    matrix: Matrix
    origin: Matrix
    to_screen: Callable[[float, float], QPointF]
    units: float

    def box(self, solid: Solid) -> QRectF:
        """What holds a solid, on the screen."""
        middle = self.matrix @ (np.array([solid.at_x, solid.at_y, solid.at_z]) - self.origin)
        half = np.abs(self.matrix @ turned(solid)) @ np.array([solid.size_x, solid.size_y, solid.size_z]) / 2
        a = self.to_screen(float(middle[0] - half[0]), float(middle[1] + half[1]))
        b = self.to_screen(float(middle[0] + half[0]), float(middle[1] - half[1]))
        return QRectF(a, b)


class SolidsHandles:
    """Gestures on the solids of the chosen plate."""

    def __init__(self, ui: Ui) -> None:
        self._ui = ui
        self._start: tuple[str, QPointF, Solid, Eye] | None = None

    @property
    def active(self) -> ActiveSolids:
        return self._ui.solids

    def grip_at(self, place: QPointF, eye: Eye) -> str:
        """A corner of the chosen solid ("size"), "body N" on one, "" beside them all."""
        chosen = self.active.chosen
        if chosen is not None:
            box = eye.box(chosen)
            for corner in (box.topLeft(), box.topRight(), box.bottomLeft(), box.bottomRight()):
                if math.hypot(corner.x() - place.x(), corner.y() - place.y()) <= GRAB:
                    return "size"
        boxes = {n: eye.box(solid) for n, solid in enumerate(self.active.solids)}
        under = [n for n, box in boxes.items() if box.contains(place)]
        if not under:
            return ""
        return f"body {min(under, key=lambda n: (boxes[n].width() * boxes[n].height(), -n))}"

    def start(self, grip: str, place: QPointF, eye: Eye) -> None:
        """A press: chooses the solid there, and begins to move or size it."""
        if grip.startswith("body"):
            self.active.choose(int(grip.split()[1]))
        chosen = self.active.chosen
        if chosen is not None:
            self._start = (grip, place, chosen, eye)

    def moved(self, place: QPointF) -> None:
        """The pointer is elsewhere: the solid follows, or its size does."""
        if self._start is None:
            return
        grip, begin, solid, eye = self._start
        try:
            made = self._sized(solid, place, eye) if grip == "size" else self._dragged(solid, place - begin, eye)
        except ValidationError:  # out of range: the hand goes on, the solid stays
            return
        word = "Size" if grip == "size" else "Move"
        self.active.put(made, f"{word} the {KINDS[solid.kind].lower()}", done=False)

    def _dragged(self, solid: Solid, by: QPointF, eye: Eye) -> Solid:
        way = eye.matrix.T @ np.array([by.x() * eye.units, -by.y() * eye.units, 0.0])
        others = [s for n, s in enumerate(self.active.solids) if n != self.active.place]
        changes = {}
        for axis, name in enumerate(_AXES):
            value = getattr(solid, f"at_{name}") + float(way[axis])
            if abs(way[axis]) > 1e-9:
                held = [0.0, *(getattr(s, f"at_{name}") for s in others), round(value / _ROUND) * _ROUND]
                best = min(held, key=lambda h: abs(h - value))
                value = best if abs(best - value) <= _NEAR * eye.units else value
            changes[f"at_{name}"] = round(value, 4)
        return solid.but(**changes)

    @staticmethod
    def _sized(solid: Solid, place: QPointF, eye: Eye) -> Solid:
        """Its middle stays; along each way of the screen the side that lies most along it grows."""
        box, whole = eye.box(solid), eye.matrix @ turned(solid)
        reach = abs(place.x() - box.center().x()), abs(place.y() - box.center().y())
        grow = reach[0] / max(box.width() / 2, 1e-6), reach[1] / max(box.height() / 2, 1e-6)
        changes: dict[str, float] = {}
        for way in (0, 1):
            name = f"size_{_AXES[int(np.abs(whole[way]).argmax())]}"
            value = getattr(solid, name) * grow[way]
            near = round(value / _ROUND) * _ROUND
            held = near if near > 0 and abs(near - value) <= _NEAR * eye.units else value
            changes[name] = max(1e-3, round(held, 4))
        return solid.but(**changes)

    def finished(self) -> None:
        """The hand lets go."""
        self._start = None

    def paint(self, painter: QPainter, eye: Eye) -> None:
        """The box of the chosen solid and its corners."""
        chosen = self.active.chosen
        if chosen is None:
            return
        box, accent = eye.box(chosen), self._ui.colour("accent")
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(20, 20, 18, 150), 2.6), (accent, 1.3)):
            painter.setPen(QPen(colour, width))
            painter.drawRect(box)
        painter.setBrush(QColor(255, 255, 255))
        for corner in (box.topLeft(), box.topRight(), box.bottomLeft(), box.bottomRight()):
            painter.drawEllipse(corner, 3.6, 3.6)
        painter.setBrush(Qt.BrushStyle.NoBrush)
