"""Heights of a posed mesh at pixel centres."""

from __future__ import annotations

import math
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..numeric.split_rows import split_rows
from ..raster import Pixels
from .model import Faces, Points, Vector

# Below so many points, triangles and pixels handing the work to threads costs more than it saves.
_ALONE = 300_000
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
    samples: int = 1, skip_back: bool = False, check: Watch = unwatched,
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
    rows = max(1, min(height, 2 * _BAND // (width * factor * factor)))

    def draw(first: int, last: int, top: int, bottom: int, fine: Pixels) -> None:
        kernels.heights(screen, faces[first:last], skip_back, top * factor, bottom * factor, fine)

    def both(work: Callable[..., None], one: tuple[Any, ...], two: tuple[Any, ...]) -> None:
        waiting = pool.submit(work, *two)
        work(*one)
        waiting.result()

    half = len(faces) // 2
    with ThreadPoolExecutor(1) as pool:
        for top in range(0, height, rows):
            check()
            bottom = min(top + rows, height)
            middle = (top + bottom) // 2
            cut = (middle - top) * factor
            size = (bottom - top) * factor, width * factor
            if factor == 1:
                fine = out[top:bottom]
                fine.fill(-np.inf)
            else:
                fine = np.full(size, -np.inf, np.float32)
            other = fine
            if len(faces) < _ALONE and width * height < _ALONE:
                draw(0, len(faces), top, bottom, fine)
                kernels.average(fine, fine, factor, out[top:bottom], cover[top:bottom])
                continue
            if len(faces) > fine.size // 8:  # many small triangles: a thread for each half of them
                other = np.full(size, -np.inf, np.float32)
                both(draw, (0, half, top, bottom, fine), (half, len(faces), top, bottom, other))
            else:  # few large ones: a thread for each half of the rows
                both(draw, (0, len(faces), top, middle, fine[:cut]), (0, len(faces), middle, bottom, fine[cut:]))
            upper = (fine[:cut], other[:cut], factor, out[top:middle], cover[top:middle])
            lower = (fine[cut:], other[cut:], factor, out[middle:bottom], cover[middle:bottom])
            both(kernels.average, upper, lower)
    return out, cover
