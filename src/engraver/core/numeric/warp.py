"""Pictures through a projective map: what lies outside is not there."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import resample

Matrix = NDArray[np.float64]


def homography(corners: NDArray[np.float64], targets: NDArray[np.float64]) -> Matrix:
    """The projective map (3, 3) that takes four points to four others, both (4, 2).

    Eight linear equations with the last entry 1 (R. Hartley and A. Zisserman, "Multiple
    View Geometry", 2nd ed., section 4.1).

    Raises
    ------
    ValueError
        When three of the points lie on one line.
    """
    rows, right = [], []
    for (x, y), (u, v) in zip(corners, targets, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        right += [u, v]
    try:
        found = np.linalg.solve(np.array(rows, float), np.array(right, float))
    except np.linalg.LinAlgError as error:
        raise ValueError("three of the points lie on one line") from error
    return np.append(found, 1.0).reshape(3, 3)


def through(matrix: Matrix, places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places (n, 2) through a homography (3, 3), float64 (n, 2)."""
    homogeneous = np.column_stack([places, np.ones(len(places))]) @ matrix.T
    found: NDArray[np.float64] = homogeneous[:, :2] / homogeneous[:, 2:]
    return found


def _places(m: Matrix, rows: int, columns: int) -> tuple[Pixels, Pixels]:
    """Where ``m`` takes each output pixel's centre, in pixels of the input (x, y)."""
    x = (np.arange(columns, dtype=np.float32) + np.float32(0.5))[None]
    y = (np.arange(rows, dtype=np.float32) + np.float32(0.5))[:, None]
    m = m.astype(np.float32)
    depth = m[2, 0] * x + m[2, 1] * y + m[2, 2]
    depth = np.where(np.abs(depth) < 1e-9, np.float32(1e-9), depth)
    across = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) / depth
    down = (m[1, 0] * x + m[1, 1] * y + m[1, 2]) / depth
    return across, down


def _sampled(values: Pixels, back: Matrix, rows: int, columns: int) -> Pixels:
    """Cubic B-splines through the pixels, sampled at (rows, columns) places that ``back`` gives, and within them."""
    from scipy import ndimage

    from . import kernels

    if values.ndim == 3:
        planes = [_sampled(np.ascontiguousarray(values[..., n]), back, rows, columns) for n in range(3)]
        return np.stack(planes, axis=-1)
    smooth = ndimage.spline_filter(values, order=3, output=np.float32, mode="reflect")
    out = np.empty((rows, columns), np.float32)
    kernels.spline(smooth, back, 0, rows, out)
    return resample.within(out, values)


def mapped(values: Pixels, coverage: Pixels | None, matrix: Matrix, rows: int, columns: int) -> tuple[Pixels, Pixels]:
    """The picture seen through ``matrix`` (input pixels to output pixels), and its coverage.

    Cubic B-splines (M. Unser, 1999); where the map makes smaller the picture is first reduced by area average.
    What falls outside the picture, or was not there, has coverage 0.
    """
    height, width = values.shape[:2]
    x, y = width / 2, height / 2
    middle = matrix @ np.array([(x, y, 1.0), (x + 1, y, 1.0), (x, y + 1, 1.0)]).T
    spots = middle[:2] / middle[2]
    scale = float(np.sqrt(abs(np.linalg.det(np.stack([spots[:, 1] - spots[:, 0], spots[:, 2] - spots[:, 0]])))))
    if scale < 0.7:
        small = max(2, round(height * scale)), max(2, round(width * scale))
        values, coverage = resample.with_coverage(values, coverage, *small, (False, False))
        matrix = matrix @ np.diag([width / small[1], height / small[0], 1.0])
        scale *= height / small[0]
        height, width = small
    back = np.asarray(np.linalg.inv(matrix), np.float64)
    across, down = _places(back, rows, columns)
    inside = np.minimum(np.minimum(across, width - across), np.minimum(down, height - down))
    edge = np.clip(inside * np.float32(max(scale, 1e-3)) + np.float32(0.5), 0, 1)
    if coverage is None:
        return _sampled(values, back, rows, columns), edge
    # What is not there does not bleed: multiply, sample, divide.
    cover = np.clip(_sampled(coverage, back, rows, columns), 0, 1)
    weight, over = (coverage, cover) if values.ndim == 2 else (coverage[..., None], cover[..., None])
    summed = _sampled(values * weight, back, rows, columns)
    pixels = np.where(over > 1e-3, summed / np.maximum(over, 1e-3), 0).astype(np.float32)
    return pixels, cover * edge
