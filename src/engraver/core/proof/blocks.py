"""Where blocks of triangles lie, so that only those are drawn that can be seen in a rectangle."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..numeric.split_rows import split_rows
from ..raster import Pixels
from .projection import Projection

# A box that is seen nowhere: left, top, right, bottom.
NOWHERE = (1e9, 1e9, -1e9, -1e9)


def balls_round(points: Pixels, faces: NDArray[np.int32]) -> Pixels:
    """A ball round each block of triangles, float32 (blocks, 4): its middle and its radius, in scene units."""
    from . import trial_kernels as k

    balls = np.empty((-(-len(faces) // k.BLOCK), 4), np.float32)
    every = np.ones(len(balls), np.uint8)
    split_rows(lambda a, b: k.blocks(points, faces, every, a, b, balls), len(balls))
    return balls


def boxes_of(balls: Pixels, seen: Projection) -> Pixels:
    """Where each ball can be seen, float32 (blocks, 4): left, top, right, bottom, in pixels."""
    from . import trial_kernels as k

    found = np.empty((len(balls), 4), np.float32)
    k.boxes(balls, *seen.numbers(), found)
    return found


class Blocks:
    """The blocks of one list of triangles, (m, 3) int32, whose points move; belongs to one thread.

    ``still`` (n, 3) are the points where no mark is.
    """

    def __init__(self, still: Pixels, faces: NDArray[np.int32]) -> None:
        self._faces = faces
        self._still = balls_round(still, faces)
        self._balls = self._still.copy()
        self._stale = np.ones(len(self._balls), np.uint8)

    def all_moved(self) -> None:
        """No ball is known to be right any more."""
        self._stale[:] = 1

    def some_moved(
        self, which: NDArray[np.int32], count: int, starts: NDArray[np.int32], around: NDArray[np.int32]
    ) -> None:
        """Nor are those of the triangles at the first ``count`` points in ``which``; ``starts`` and ``around`` list
        the triangles at each point."""
        from . import trial_kernels as k

        k.blocks_of(which, count, starts, around, self._stale)

    def boxes(self, points: Pixels, seen: Projection, reach: Callable[[], float] | None = None) -> Pixels:
        """Where each block can be seen, with its points where they are now.

        As closely as can be, which is for a part of a picture. With ``reach``, which tells how far points moved at
        most, and after all of them moved, balls without marks will do, larger by so much: looking at every point
        costs more than drawing a few blocks in vain.
        """
        from . import trial_kernels as k

        balls = self._balls
        if reach is not None and self._stale.all():
            balls = self._still + np.array([0, 0, 0, reach()], np.float32)
        elif self._stale.any():
            split_rows(lambda a, b: k.blocks(points, self._faces, self._stale, a, b, balls), len(balls))
            self._stale[:] = 0
        return boxes_of(balls, seen)
