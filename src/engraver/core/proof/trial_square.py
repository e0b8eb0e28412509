"""The square of a trial that becomes a plate, as it lies in what is seen, and as a hand moves it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..params import specs
from ..sources.trial import TrialFrame
from ..surfaces.ground import SCENE
from .projection import Projection

Place = NDArray[np.float64]


def _within(name: str, value: float) -> float:
    """A value of the frame, rounded, within what its declaration allows."""
    spec = specs(TrialFrame)[name]
    assert spec.lo is not None and spec.hi is not None
    return round(min(spec.hi, max(spec.lo, value)), 4)


@dataclass(frozen=True, eq=False)
class TrialSquare:
    """A frame in the plane that it is taken from: the surface itself, or the plane that faces the eye.

    Attributes
    ----------
    reading : TrialFrame
    seen : Projection
        How the trial is looked at, in any pixels.
    """

    reading: TrialFrame
    seen: Projection

    def _axes(self) -> tuple[Place, Place]:
        """To the right and up in the plane, unit vectors (3,)."""
        to = np.eye(3) if self.reading.seen == "plane" else self.seen.rotation.astype(np.float64)
        return to[0], to[1]

    def corners(self) -> Place:
        """Its corners as they are seen, float64 (4, 2) in pixels, clockwise from the upper left."""
        right, up = self._axes()
        r, half = self.reading, self.reading.width / 2
        places = []
        for x, y in ((-half, -half), (half, -half), (half, half), (-half, half)):
            across, down = SCENE * (r.x + x) - 1, 1 - SCENE * (r.y + y)
            places.append(self.seen.pixel(across * right + down * up))
        return np.array(places)

    def place(self, x: float, y: float) -> tuple[float, float] | None:
        """Where a pixel lies in the plane, in shares of the surface; None where the plane is seen on its edge or
        lies behind."""
        right, up = self._axes()
        near, far = self.seen.scene(x, y, -1.0), self.seen.scene(x, y, -2.0)
        towards = np.cross(right, up)
        fall = float(towards @ (near - far))
        if abs(fall) < 1e-4:
            return None
        share = float(towards @ near) / fall
        if share <= -1:
            return None
        at = near + (far - near) * share
        return float(right @ at + 1) / SCENE, float(1 - up @ at) / SCENE

    def moved(self, x: float, y: float) -> TrialFrame:
        """Its middle carried so far, in shares of the surface."""
        return self.reading.but(x=_within("x", self.reading.x + x), y=_within("y", self.reading.y + y))

    def pulled(self, corner: int, x: float, y: float) -> TrialFrame:
        """A corner, counted as in :meth:`corners`, pulled to a place; the one across from it stays, the sides stay
        as long as each other."""
        sx, sy = ((-1, -1), (1, -1), (1, 1), (-1, 1))[corner]
        r = self.reading
        fixed = r.x - sx * r.width / 2, r.y - sy * r.width / 2
        wide = _within("width", max(sx * (x - fixed[0]), sy * (y - fixed[1])))
        return r.but(x=_within("x", fixed[0] + sx * wide / 2), y=_within("y", fixed[1] + sy * wide / 2), width=wide)
