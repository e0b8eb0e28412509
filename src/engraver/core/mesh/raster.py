"""Heights of a posed mesh at pixel centres."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..numeric.split_rows import BAND, split_rows
from ..raster import Pixels
from .model import Faces, Points, Vector

# Given rows of heights and of their coverage.
Finish = Callable[[Pixels, Pixels], None]
# Below so many points, triangles and pixels handing the work to threads costs more than it saves.
_ALONE = 300_000
# No room for numbers of faces that are put off.
_NONE = np.empty(0, np.int32)
# Samples drawn at once: a band of a very fine picture stays near a hundred megabytes.
_BAND = 24_000_000


@dataclass(frozen=True, slots=True)
class Frame:
    """What the picture shows of the eye's plane: its middle and its width, in units."""

    x: float
    y: float
    width: float


def placed(points: Points, matrix: NDArray[np.float64], shift: Vector) -> NDArray[np.float64]:
    """``matrix @ point + shift`` for every point, (N, 3) in double precision."""
    from . import kernels

    out = np.empty((len(points), 3))
    if len(points) < _ALONE:
        kernels.place(points, matrix, shift, out)
        return out
    split_rows(lambda a, b: kernels.place(points[a:b], matrix, shift, out[a:b]), len(points))
    return out


def on_screen(frame: Frame, width: int, height: int) -> tuple[NDArray[np.float64], Vector]:
    """The matrix and shift from the eye's plane to pixels: x right, y down, z as it is."""
    scale = width / frame.width
    matrix = np.diag([scale, -scale, 1.0])
    return matrix, np.array([width / 2 - frame.x * scale, height / 2 + frame.y * scale, 0.0])


def nearest(
    points: Points, faces: Faces, matrix: NDArray[np.float64], shift: Vector, width: int, height: int, *,
    samples: int = 1, skip_back: bool = False, finish: Finish | None = None, check: Watch = unwatched,
) -> tuple[Pixels, Pixels]:  # fmt: skip
    """Height of the nearest surface, and how much of each pixel it covers.

    Parameters
    ----------
    points : float32 or float64 (N, 3)
    faces : int32 (M, 3)
    matrix, shift : (3, 3), (3,)
        From points to pixels (x, y) and height towards the eye (z), in units.
    width, height : int
        Of the picture in pixels.
    samples : {1, 4, 16, ...}
        Square number of evenly spaced samples in a pixel; their heights are averaged.
    skip_back : bool
        Faces whose corners run clockwise to the eye are not drawn.
    finish : callable, optional
        Called with some rows of both results after the other, on any thread, to change them while they are at hand.

    Returns
    -------
    heights : float32 (H, W)
        In units, relative to the mesh's origin; 0 where nothing is.
    coverage : float32 (H, W)
        0..1 in steps of 1 / samples.

    Notes
    -----
    A scanline fill with a buffer of depths (E. Catmull, 1974), exact at the centres
    of samples: a plane is taken through each triangle's corners in double precision.
    """
    from . import kernels

    factor = math.isqrt(samples)
    grow = np.diag([float(factor), float(factor), 1.0])
    screen = placed(points, grow @ matrix, grow @ shift)
    out, cover = np.empty((height, width), np.float32), np.empty((height, width), np.float32)
    small = len(faces) < _ALONE and width * height < _ALONE

    def band(heights: Pixels, covers: Pixels, top: int) -> None:
        # One sample a pixel is drawn where it stays.
        fine = heights if factor == 1 else np.empty((len(heights) * factor, width * factor), np.float32)

        def part(a: int, b: int) -> None:
            drawn = fine[a * factor : b * factor]
            drawn.fill(-np.inf)
            _draw(screen, faces, (top + a) * factor, drawn, skip_back=skip_back)
            for first in range(a, b, BAND):
                some = slice(first, min(first + BAND, b))
                if factor == 1:
                    kernels.single(heights[some], covers[some])
                else:
                    kernels.average(fine[first * factor : some.stop * factor], factor, heights[some], covers[some])
                if finish is not None:
                    finish(heights[some], covers[some])

        part(0, len(heights)) if small else split_rows(part, len(heights))

    rows = max(1, min(height, 2 * _BAND // (width * factor * factor)))
    for top in range(0, height, rows):
        check()
        band(out[top : top + rows], cover[top : top + rows], top)
    return out, cover


def _draw(screen: Points, faces: Faces, top: int, fine: Pixels, *, skip_back: bool) -> None:
    """Draw the nearest surface into a part of the picture whose first row is ``top``.

    Of a closed body half of the faces look away and nearly all of these lie behind the others. They are put off, and
    drawn only where a tile of the picture has a sample that lies farther away than their nearest corner (the test of
    N. Greene, M. Kass and G. Miller, "Hierarchical Z-buffer visibility", 1993): all that can be seen is drawn.
    """
    from . import kernels

    rows, columns = fine.shape
    if skip_back or len(faces) < _ALONE:
        kernels.heights(screen, faces, kernels.LEFT_OUT if skip_back else kernels.DRAWN, top, top + rows, fine, _NONE)
        return
    later = np.empty(len(faces), np.int32)
    count = kernels.heights(screen, faces, kernels.PUT_OFF, top, top + rows, fine, later)
    if count:
        tiles = np.empty((-(-rows // kernels.TILE), -(-columns // kernels.TILE)), np.float32)
        kernels.farthest(fine, tiles)
        count = kernels.not_hidden(screen, faces, later, count, top, top + rows, columns, tiles)
        kernels.heights(screen, faces.take(later[:count], axis=0), kernels.DRAWN, top, top + rows, fine, _NONE)
