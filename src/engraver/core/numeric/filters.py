"""Resampling by a named filter, axis by axis, wrapping where the picture wraps."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels, Wrap
from .resample import within

Filter = Literal["auto", "area", "lanczos", "mitchell", "nearest"]
_Kernel = Callable[[NDArray[np.float64]], NDArray[np.float64]]
_LOBES = 4


def lanczos4(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Windowed sinc of four lobes (C. E. Duchon, "Lanczos Filtering in One and Two Dimensions", 1979)."""
    return np.where(np.abs(x) < _LOBES, np.sinc(x) * np.sinc(x / _LOBES), 0.0)


def mitchell(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """D. P. Mitchell and A. N. Netravali, "Reconstruction Filters in Computer Graphics" (1988): B = C = 1/3."""
    a = np.abs(x)
    near = (7 * a**3 - 12 * a**2 + 16 / 3) / 6
    far = (-7 / 3 * a**3 + 12 * a**2 - 20 * a + 32 / 3) / 6
    return np.where(a < 1, near, np.where(a < 2, far, 0.0))


def tent(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear between two samples; where it widens, a mean whose weights fall off evenly."""
    made: NDArray[np.float64] = np.maximum(1 - np.abs(x), 0.0)
    return made


_KERNELS: dict[str, tuple[_Kernel, int]] = {
    "lanczos": (lanczos4, _LOBES), "mitchell": (mitchell, 2), "tent": (tent, 1),
}  # fmt: skip


def _post_matrix(old: int, new: int, name: str) -> Any:
    """As :func:`_matrix` for posts: the first and the last are those of the old ones, and they alone."""
    made = _weights(np.arange(new) * (old - 1) / (new - 1), max(1.0, (old - 1) / (new - 1)), old, name, False)
    made = made.tolil()
    for row, column in ((0, 0), (new - 1, old - 1)):
        made[row] = 0
        made[row, column] = 1
    return made.tocsr()


@lru_cache(maxsize=4)
def _matrix(old: int, new: int, name: str, wraps: bool, grid: bool = False) -> Any:
    """Sparse (new, old): the weights of old pixels in each new one; the kernel widens when it gets smaller."""
    if grid:
        return _post_matrix(old, new, name)
    return _weights((np.arange(new) + 0.5) * old / new - 0.5, max(1.0, old / new), old, name, wraps)


def _weights(centre: NDArray[np.float64], scale: float, old: int, name: str, wraps: bool) -> Any:
    from scipy import sparse

    kernel, reach = _KERNELS[name]
    new = len(centre)
    first = np.floor(centre - reach * scale).astype(int)
    taps = int(np.ceil(2 * reach * scale)) + 2
    at = first[:, None] + np.arange(taps)[None]
    weights = kernel((at - centre[:, None]) / scale)
    weights /= weights.sum(axis=1, keepdims=True)
    if wraps:
        at %= old
    else:  # mirrored, the border pixel twice
        at %= 2 * old
        at = np.where(at >= old, 2 * old - 1 - at, at)
    rows = np.repeat(np.arange(new), taps)
    made = sparse.coo_matrix((weights.ravel().astype(np.float32), (rows, at.ravel())), shape=(new, old))
    return made.tocsr()


def _along(values: Pixels, new: int, axis: int, name: str, wraps: bool, grid: bool = False) -> Pixels:
    old = values.shape[axis]
    if new == old:
        return values
    weights = _matrix(old, new, name, wraps, grid)
    moved = np.ascontiguousarray(np.moveaxis(values, axis, 0))
    made = (weights @ moved.reshape(old, -1)).reshape(new, *moved.shape[1:])
    return np.ascontiguousarray(np.moveaxis(made, 0, axis), dtype=np.float32)


def _enlarged(values: Pixels, rows: int, columns: int, wrap: Wrap) -> Pixels:
    """Lanczos by OpenCV, and by our own weights near the borders: only there does it matter what lies beyond."""
    made: Pixels = cv2.resize(values, (columns, rows), interpolation=cv2.INTER_LANCZOS4)
    old_rows, old_columns = values.shape[:2]
    for axis, old, new, wraps in ((0, old_rows, rows, wrap[1]), (1, old_columns, columns, wrap[0])):
        if new == old:
            continue
        deep = min(new, int(np.ceil((_LOBES + 1) * new / old)) + 1)
        weights = _matrix(old, new, "lanczos", wraps)
        out = np.moveaxis(made, axis, 0)
        for ends in (slice(0, deep), slice(new - deep, new)):
            few = weights[ends]
            used = np.unique(few.indices)
            part = np.ascontiguousarray(np.moveaxis(np.take(values, used, axis), axis, 0))
            strip = (few[:, used] @ part.reshape(len(used), -1)).reshape(-1, *part.shape[1:]).astype(np.float32)
            other = columns if axis == 0 else rows
            out[ends] = _along(strip, other, 1, "lanczos", wrap[0] if axis == 0 else wrap[1])
    return made


def _posts(values: Pixels, rows: int, columns: int, name: Filter) -> Pixels:
    """Posts at other distances; where old ones lie at all the new places, they are taken as they are."""
    for axis, new in ((0, rows), (1, columns)):
        old = values.shape[axis]
        if new == old:
            continue
        every, rest = divmod(old - 1, new - 1)
        if name == "nearest" or (name == "auto" and every and not rest):
            at = np.rint(np.arange(new) * (old - 1) / (new - 1)).astype(np.intp)
            values = np.ascontiguousarray(np.take(values, at, axis))
            continue
        way = {"auto": "lanczos" if new > old else "tent", "area": "tent"}.get(name, name)
        values = _along(values, new, axis, way, False, grid=True)
    return values


def by_filter(
    values: Pixels, rows: int, columns: int, name: Filter, wrap: Wrap = (False, False), *, grid: bool = False
) -> Pixels:
    """Another number of pixels for an (H, W) or (H, W, 3) array, none beyond the lowest and highest of the old ones.

    Parameters
    ----------
    name : {"auto", "area", "lanczos", "mitchell", "nearest"}
        "auto" averages areas down and takes Lanczos up. Lanczos and Mitchell widen with the
        reduction, so that nothing aliases; area joins linearly where it enlarges.
    grid : bool
        The pixels are posts: the outermost stay where they are and as they are. "auto" takes every
        n-th post where that fits, and area is a tent.
    """
    old_rows, old_columns = values.shape[:2]
    if grid and min(rows, columns, old_rows, old_columns) > 1:
        return within(_posts(values, rows, columns, name), values)
    if (old_rows, old_columns) == (rows, columns):
        return values
    if name == "nearest":
        near: Pixels = cv2.resize(values, (columns, rows), interpolation=cv2.INTER_NEAREST_EXACT)
        return near
    if name in ("auto", "area"):
        low = min(rows, old_rows), min(columns, old_columns)
        if low != (old_rows, old_columns):
            values = cv2.resize(values, (low[1], low[0]), interpolation=cv2.INTER_AREA)
        if low == (rows, columns):
            return values
        if name == "area":
            joined: Pixels = cv2.resize(values, (columns, rows), interpolation=cv2.INTER_LINEAR)
            return joined
        return by_filter(values, rows, columns, "lanczos", wrap)
    if name == "lanczos" and rows >= values.shape[0] and columns >= values.shape[1]:
        return within(_enlarged(values, rows, columns, wrap), values)
    return within(_along(_along(values, rows, 0, name, wrap[1]), columns, 1, name, wrap[0]), values)
