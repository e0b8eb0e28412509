"""How scene places are seen in a view of the trial, and which places a spot of it shows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF

from engraver.core.proof.look import Seen
from engraver.core.surfaces.view import CAMERA

Place = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Sight:
    """How scene places are seen in a view: a picture, and its pixels to one of the view."""

    seen: Seen
    ratio: float

    @property
    def _by(self) -> float:
        return self.seen.factor * self.ratio

    def spot(self, place: Place) -> QPointF:
        """Where a scene place (3,) is seen."""
        x, y = self.seen.projection.pixel(place)
        return QPointF(x / self._by, y / self._by)

    def spots(self, places: Place) -> Place:
        """Of many places (n, 3): float64 (n, 2)."""
        p = self.seen.projection
        eye = places @ p.rotation.T.astype(np.float64)
        away = np.maximum(CAMERA - eye[:, 2], 0.05)
        spots = np.column_stack([p.x + eye[:, 0] * p.scale / away, p.y - eye[:, 1] * p.scale / away])
        found: Place = spots / self._by
        return found

    def on_plane(self, at: QPointF, place: Place, normal: Place) -> Place:
        """The scene place seen at a spot in the plane through another place, square to a normal; where that is seen
        from the side, as near to the eye as the other place."""
        p, eye = self.seen.projection, self.eye()
        nearness = float(p.rotation[2].astype(np.float64) @ place) - CAMERA
        found = p.scene(at.x() * self._by, at.y() * self._by, nearness)
        ahead = found - eye
        steep = float(ahead @ normal)
        if abs(steep) < 0.15 * float(np.linalg.norm(ahead)):
            return found
        along: Place = eye + ahead * (float((place - eye) @ normal) / steep)
        return along

    def spread(self) -> list[Place]:
        """Three places of the surface across the middle of the view, as far as it is seen there."""
        rows, columns = self.seen.nearness.shape
        found = (self.seen.place(columns * share, rows / 2) for share in (0.3, 0.5, 0.7))
        return [place for place in found if place is not None]

    def pixel(self, place: Place) -> float:
        """The size of a pixel of the view at a scene place, in scene units."""
        p = self.seen.projection
        away = CAMERA - float(p.rotation[2].astype(np.float64) @ place)
        return away / p.scale * self._by

    def eye(self) -> Place:
        """Where the eye stands, in the scene."""
        found: Place = self.seen.projection.rotation.T.astype(np.float64) @ np.array([0.0, 0.0, CAMERA])
        return found
