"""What of a surface no mark has reached: it is drawn from few triangles, and its normals are known.

Levels of detail (J. H. Clark, "Hierarchical geometric models for visible surface algorithms", 1976), chosen by their
error on the screen.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..pressing.relief import Relief
from ..raster import Pixels
from ..surfaces.ground import Faces, Ground
from ..surfaces.tiles import SIDE, Mask, Tiles
from ..surfaces.view import CAMERA
from .projection import Projection

# A tile is shown by few triangles where its points lie beside them by less than this, in pixels as they are drawn.
_MOST_ERROR = 0.25
# How near to the eye surfaces come, in scene units: they reach about so far from the middle.
_NEAREST = CAMERA - 1
# Of more points the normals are as quickly found for all.
_MOST = 0.5


class Untouched:
    """Follows the heights of one surface that is made of grids; belongs to one thread."""

    def __init__(self, ground: Ground, tiles: Tiles) -> None:
        from . import trial_kernels as k

        self._ground, self._tiles = ground, tiles
        ends = np.append(np.arange(0, len(ground.faces), k.BLOCK), len(ground.faces))
        # The tiles, and after them what lies in none, that each block of triangles is in.
        self._first = np.searchsorted(tiles.starts, ends[:-1], "right") - 1
        self._last = np.searchsorted(tiles.starts, ends[1:] - 1, "right") - 1
        self._touched: Mask | None = None
        self._marked = self._near = np.empty(0, np.uint8)
        self._still: Pixels | None = None

    def changed(self) -> None:
        """Heights are not what they were."""
        self._touched = None

    def _look(self, relief: Relief) -> Mask:
        """Which tiles marks reach; the points of these, and the tiles that have any of them, are found with it."""
        if self._touched is None:
            marked = relief.height != 0
            if relief.moves is not None:
                marked |= relief.moves.any(axis=1)
            self._touched = self._tiles.with_any(marked.view(np.uint8))
            self._marked = self._tiles.points_of(self._touched, self._ground.count)
            self._near = self._tiles.with_any(self._marked)
        return self._touched

    def normals(self, relief: Relief, points: Pixels) -> Pixels:
        """Normals of all points where they stand now, float32 (n, 3)."""
        ground = self._ground
        if ground.even is not None:  # found row by row, that is quick enough
            return ground.normals_of(points)
        self._look(relief)
        which, near = (np.flatnonzero(mask.view(np.bool_)).astype(np.int32) for mask in (self._marked, self._near))
        if len(which) > _MOST * ground.count:
            return ground.normals_of(points)
        if self._still is None:
            self._still = ground.normals_of(ground.points)
        out = self._still.copy()
        ground.renew_normals_in(near, points, which, out)
        return out

    def left_out(self, relief: Relief, seen: Projection) -> tuple[NDArray[np.bool_], Faces]:
        """Which blocks of triangles need not be drawn, bool (blocks,), and the triangles (m, 3) that show what they
        do. Beside what is drawn of all triangles there are both: between few and many there would be gaps."""
        touched, tiles = self._look(relief), self._tiles
        fit = [level.error * (seen.scale / _NEAREST) < _MOST_ERROR for level in tiles.levels]
        # Larger squares for all of the picture or smaller ones: between these, too, there would be gaps.
        spared = [int(fits.sum()) * (2 * SIDE**2 - level.faces.shape[1])
                  for fits, level in zip(fit, tiles.levels, strict=True)]  # fmt: skip
        chosen = int(np.argmax(spared))
        fits, near = fit[chosen], self._near
        if not fits.all():
            near = tiles.with_any(tiles.points_of(touched | ~fits, self._ground.count))
        before = np.append(0, np.cumsum(np.append(near, 1)))
        few: Faces = tiles.levels[chosen].faces.take(np.flatnonzero(fits & (touched == 0)), axis=0).reshape(-1, 3)
        return before[self._last + 1] == before[self._first], few
