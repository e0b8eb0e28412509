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


def _places(matrix: Matrix, rows: int, columns: int) -> tuple[Pixels, Pixels]:
    """Where each output pixel's centre lies in the input, in pixels (x, y)."""
    x = (np.arange(columns) + 0.5)[None]
    y = (np.arange(rows) + 0.5)[:, None]
    m = np.linalg.inv(matrix)
    depth = m[2, 0] * x + m[2, 1] * y + m[2, 2]
    depth = np.where(np.abs(depth) < 1e-9, 1e-9, depth)
    across = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) / depth
    down = (m[1, 0] * x + m[1, 1] * y + m[1, 2]) / depth
    return across.astype(np.float32), down.astype(np.float32)


def mapped(values: Pixels, coverage: Pixels | None, matrix: Matrix, rows: int, columns: int) -> tuple[Pixels, Pixels]:
    """The picture seen through ``matrix`` (input pixels to output pixels), and its coverage.

    Cubic B-splines (M. Unser, 1999); where the map makes smaller the picture is first reduced by area average.
    What falls outside the picture, or was not there, has coverage 0.
    """
    from scipy import ndimage

    height, width = values.shape[:2]
    x, y = width / 2, height / 2
    middle = matrix @ np.array([(x, y, 1.0), (x + 1, y, 1.0), (x, y + 1, 1.0)]).T
    spots = middle[:2] / middle[2]
    scale = float(np.sqrt(abs(np.linalg.det(np.stack([spots[:, 1] - spots[:, 0], spots[:, 2] - spots[:, 0]])))))
    if scale < 0.7:
        small = max(2, round(height * scale)), max(2, round(width * scale))
        values, coverage = resample.with_coverage(values, coverage, *small, (False, False))
        matrix = matrix @ np.diag([width / small[1], height / small[0], 1.0])
        height, width = small
    across, down = _places(matrix, rows, columns)
    column, row = across - np.float32(0.5), down - np.float32(0.5)

    def sampled(plane: Pixels) -> Pixels:
        if plane.ndim == 3:
            return np.stack([sampled(np.ascontiguousarray(plane[..., n])) for n in range(3)], axis=-1)
        smooth = ndimage.spline_filter(plane, order=3, output=np.float32, mode="reflect")
        found: Pixels = ndimage.map_coordinates(
            smooth, (row, column), np.float32, order=3, mode="reflect", prefilter=False
        )
        return found

    pixels, cover = resample.through(values, coverage, sampled)
    inside = np.minimum(np.minimum(across, width - across), np.minimum(down, height - down))
    edge = np.clip(inside * np.float32(max(scale, 1e-3)) + np.float32(0.5), 0, 1)
    return pixels, edge if cover is None else cover * edge
