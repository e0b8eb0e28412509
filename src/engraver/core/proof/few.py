"""The few points of a surface that are drawn while it turns, kept together so that a core's cache holds them."""

from __future__ import annotations

import numpy as np

from ..raster import Pixels
from ..surfaces.ground import Faces, Ground
from .blocks import Blocks


class Few:
    """Belongs to one thread.

    Attributes
    ----------
    points, normals : float32 (k, 3)
        As they were when :meth:`follow` was last called.
    screen, carried : float32 (k, 3)
        Room for where they are seen, and for their normals in the eye's axes.
    faces : int32 (m, 3)
        The triangles between them, by their numbers among the few.
    blocks : Blocks
        Of these triangles.
    """

    def __init__(self, ground: Ground) -> None:
        found, number = np.zeros(ground.count, np.bool_), np.empty(ground.count, np.int32)
        found[ground.coarse] = True
        self._which = np.flatnonzero(found)
        number[self._which] = np.arange(len(self._which), dtype=np.int32)
        self.faces: Faces = number.take(ground.coarse)
        self.points: Pixels = ground.points.take(self._which, axis=0)
        self.normals: Pixels = np.empty_like(self.points)
        self.screen, self.carried = np.empty_like(self.points), np.empty_like(self.points)
        self.blocks = Blocks(self.points, self.faces)
        self._stale = True

    def moved(self) -> None:
        """Points are not where they were."""
        self._stale = True

    def follow(self, points: Pixels, normals: Pixels) -> None:
        """Take over where the surface's points are now, float32 (n, 3), and their normals."""
        if self._stale:
            self.points, self.normals = points.take(self._which, axis=0), normals.take(self._which, axis=0)
            self.blocks.all_moved()
            self._stale = False
