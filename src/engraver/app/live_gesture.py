"""The gesture that the hand is making: its points as they come, and how they are packed."""

from __future__ import annotations

import secrets

import numpy as np
from numpy.typing import NDArray

from engraver.core.pressing.gesture import Gesture, GestureKind, packed_points
from engraver.core.recipe import new_id
from engraver.standins.pen import PracticePen

from .proof_state import ProofState

Place = NDArray[np.float64]


class LiveGesture:
    """Grows point by point; ``made`` is the gesture so far.

    Parameters
    ----------
    plate : str
        The id of the plate in the hand; "" for tools without one.
    place, pressure, lean, time
        Of the first point: the scene place (3,), 0..1, radians and seconds.
    """

    def __init__(
        self,
        kind: GestureKind,
        state: ProofState,
        plate: str,
        place: Place,
        pressure: float,
        lean: float,
        time: float,
    ) -> None:
        self._practice = state.practice
        self._points = [(*place, pressure, time, lean)]
        self.made = Gesture(
            uid=new_id("g"), kind=kind.id, plate=plate, settings=state.settings_for(kind), mirror=state.mirror,
            arms=state.arms, corner=state.corner, keeps=state.keeps, seed=secrets.randbits(32), data=self._packed(),
        )  # fmt: skip

    def add(self, place: Place, pressure: float, lean: float, time: float) -> None:
        """A point more; where a gesture is a single press, in place of the one before."""
        point = (*place, pressure, time, lean)
        if self.made.declared.along or self.made.kind == "drag-out":
            self._points.append(point)
        else:
            self._points = [point]
        self.made = self.made.but(data=self._packed())

    def _packed(self) -> bytes:
        points = np.array(self._points, float)
        pressure = points[:, 3]
        if self._practice and len(points) > 1:
            pressure = np.array(PracticePen().pressures([(p[0], p[1]) for p in self._points]))
        return packed_points(points[:, :3], pressure, points[:, 4], points[:, 5])
