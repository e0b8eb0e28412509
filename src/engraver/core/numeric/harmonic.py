"""Filling holes with the smoothest surface: Laplace's equation inside, what is there around."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels

Mask = NDArray[np.bool_]
# Up to here a sparse direct solve is the quickest; beyond, a coarse solution is refined.
DIRECT = 40_000
_SIDES = ((0, 1), (0, -1), (1, 0), (-1, 0))


def _system(values: NDArray[np.float64], mask: Mask, wrap: tuple[bool, bool]) -> tuple[Any, NDArray[np.float64]]:
    """The sparse matrix of the unknown pixels, and its right side (n, channels)."""
    from scipy import sparse

    height, width = mask.shape
    rows, columns = np.nonzero(mask)
    number = np.full(mask.shape, -1, np.int64)
    number[rows, columns] = np.arange(len(rows))
    count = np.zeros(len(rows))
    right = np.zeros((len(rows), values.shape[2]))
    i, j = [], []
    for down, across in _SIDES:
        r, c = rows + down, columns + across
        inside = np.ones(len(rows), bool)
        if wrap[1]:
            r = r % height
        else:
            inside &= (r >= 0) & (r < height)
        if wrap[0]:
            c = c % width
        else:
            inside &= (c >= 0) & (c < width)
        # Beyond a border that does not wrap there is no neighbour: the surface meets it level.
        here = np.nonzero(inside)[0]
        other = number[r[here], c[here]]
        count[here] += 1
        unknown = other >= 0
        i.append(here[unknown])
        j.append(other[unknown])
        known = here[~unknown]
        right[known] += values[r[known], c[known]]
    a, b = np.concatenate(i), np.concatenate(j)
    matrix = sparse.csc_matrix((-np.ones(len(a)), (a, b)), shape=(len(rows), len(rows)))
    return matrix + sparse.diags(count), right


def fill(values: Pixels, mask: Mask, wrap: tuple[bool, bool] = (False, False)) -> Pixels:
    """Replace the pixels in ``mask`` by the harmonic surface through those around them.

    The membrane of P. Pérez, M. Gangnet and A. Blake, "Poisson Image Editing" (SIGGRAPH
    2003), eq. 2, in float64, by a sparse direct solve where the hole is of a usual size.

    Parameters
    ----------
    values : float32 (H, W) or (H, W, C)
    mask : bool (H, W)
        True where a pixel is to be replaced; all others are kept to the bit.
    wrap : (bool, bool)
        Along x and y: the picture goes on over its border; else the surface meets it level.
    """
    if not mask.any() or mask.all():
        return values
    planes = values.astype(np.float64).reshape(*mask.shape, -1)
    found = _solve(planes, mask, wrap)
    result = values.copy().reshape(*mask.shape, -1)
    result[mask] = found.astype(np.float32)
    return result.reshape(values.shape)


def _solve(planes: NDArray[np.float64], mask: Mask, wrap: tuple[bool, bool]) -> NDArray[np.float64]:
    from scipy.sparse import linalg

    matrix, right = _system(planes, mask, wrap)
    if right.shape[0] <= DIRECT:
        direct: NDArray[np.float64] = linalg.splu(matrix).solve(right)
        return direct
    start = _coarse(planes, mask, wrap)[mask]
    columns = [
        linalg.cg(matrix, right[:, n], x0=start[:, n], rtol=1e-6, maxiter=400)[0] for n in range(right.shape[1])
    ]
    return np.stack(columns, axis=1)


def _coarse(planes: NDArray[np.float64], mask: Mask, wrap: tuple[bool, bool]) -> NDArray[np.float64]:
    """The solution at half the size, enlarged: a good start."""
    height, width = mask.shape
    size = (max(1, -(-width // 2)), max(1, -(-height // 2)))
    known = (~mask).astype(np.float64)
    weight = cv2.resize(known, size, interpolation=cv2.INTER_AREA)
    small = cv2.resize(planes * known[..., None], size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
    holes = weight < 1e-9
    small = small / np.maximum(weight, 1e-9)[..., None]
    if holes.any() and not holes.all():
        small[holes] = _solve(small, holes, wrap)
    big = cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(big, np.float64).reshape(planes.shape)
