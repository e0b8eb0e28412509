"""Pictures reduced and smooth ones enlarged by cubic B-splines, which give ramps and paraboloids back as they are."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels, Wrap
from . import kernels
from .pad import pad
from .split_rows import split_rows

# What reducing, and drawing samples as if they were coefficients, each add to the variance of a blur, in small pixels
# squared: that of the cubic B-spline itself.
VARIANCE = 1 / 3
_BEYOND = 2


def _places(old: int, new: int) -> tuple[NDArray[np.int64], Pixels]:
    """For each new pixel the first of its four coefficients (in the padded row), and their weights (4, new)."""
    at = (np.arange(new) + 0.5) * old / new - 0.5
    first = np.floor(at)
    return (first + (_BEYOND - 1)).astype(np.int64), weights(at - first).astype(np.float32)


def weights(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """What four neighbouring coefficients of a uniform cubic B-spline count at ``t``, 0..1 from the second to the
    third, of any shape (...): float64 (4, ...). C. de Boor, "A Practical Guide to Splines" (1978)."""
    s = 1 - t
    counts: NDArray[np.float64] = np.stack([s**3, 4 - 6 * t * t + 3 * t**3, 4 - 6 * s * s + 3 * s**3, t**3]) / 6
    return counts


def drawn(coefficients: Pixels, height: int, width: int, wrap: Wrap) -> Pixels:
    """The cubic B-spline of some coefficients, at more pixels.

    Parameters
    ----------
    coefficients : float32 (H, W) or (H, W, 3)
        One for each pixel of the small picture; the picture's corners stay where they are.
    height, width : int
        Of the result; not less than those of the coefficients.
    wrap : (bool, bool)
        Wrapping where it wraps, mirrored elsewhere (the border pixel twice).

    Notes
    -----
    M. Unser, "Splines: A Perfect Fit for Signal and Image Processing" (IEEE Signal Processing
    Magazine 16, 1999). Samples taken for coefficients are blurred by :data:`VARIANCE`; those of
    :func:`coefficients` are met exactly.
    """
    if coefficients.ndim == 3:
        planes = [drawn(np.ascontiguousarray(coefficients[..., c]), height, width, wrap) for c in range(3)]
        return np.stack(planes, axis=-1)
    grown = np.ascontiguousarray(pad(coefficients, _BEYOND, _BEYOND, wrap))
    columns, across = _places(coefficients.shape[1], width)
    rows, down = _places(coefficients.shape[0], height)
    out = np.empty((height, width), np.float32)
    split_rows(lambda a, b: kernels.enlarge(grown, rows, down, columns, across, a, b, out), height)
    return out


def _taps(old: int, new: int) -> tuple[NDArray[np.int64], Pixels]:
    """The first pixel that counts for each new one, which may lie before the picture, and how much it and those
    after it do: (taps, new), their number a multiple of four."""
    ratio = old / new
    middle = (np.arange(new) + 0.5) * ratio - 0.5
    first = np.floor(middle - 2 * ratio).astype(np.int64) + 1
    away = np.abs(first + np.arange(4 * math.ceil(ratio))[:, None] - middle) / ratio
    counts = np.where(away < 1, (4 - 6 * away**2 + 3 * away**3) / 6, np.maximum(2 - away, 0) ** 3 / 6)
    return first, (counts / counts.sum(axis=0)).astype(np.float32)


def _met(places: NDArray[np.int64], length: int, wraps: bool) -> NDArray[np.int32]:
    """Which pixels of ``length`` lie at some places, which may lie beyond its ends."""
    if wraps:
        return (places % length).astype(np.int32)
    places = places % (2 * length)
    return np.where(places < length, places, 2 * length - 1 - places).astype(np.int32)


def reduced(values: Pixels, height: int, width: int, wrap: Wrap) -> Pixels:
    """Means weighted by a cubic B-spline as wide as the new pixels: a blur by :data:`VARIANCE`, then fewer pixels.

    Of what the new pixels cannot hold, nearly nothing folds back: a mean over their squares leaves a lattice where a
    picture is fine and wild.

    Parameters
    ----------
    values : float32 (H, W) or (H, W, 3)
    height, width : int
        Of the result; not more than those of the values.
    wrap : (bool, bool)
        Wrapping where it wraps, mirrored elsewhere (the border pixel twice).
    """
    if values.ndim == 3:
        planes = [reduced(np.ascontiguousarray(values[..., c]), height, width, wrap) for c in range(3)]
        return np.stack(planes, axis=-1)
    whole = np.ascontiguousarray(values, np.float32)
    (top, down), (left, across) = _taps(whole.shape[0], height), _taps(whole.shape[1], width)
    rows = _met(top + np.arange(len(down))[:, None], whole.shape[0], wrap[1])
    before, after = -int(left[0]), int(left[-1]) + len(across)
    beyond = np.concatenate([np.arange(-before, 0), np.arange(whole.shape[1], after)])
    edge, columns = _met(beyond, whole.shape[1], wrap[0]), (left + before).astype(np.int32)
    out = np.empty((height, width), np.float32)
    split_rows(lambda a, b: kernels.reduce(whole, rows, down, edge, before, columns, across, a, b, out), height)
    return out


def coefficients(values: Pixels, wrap: Wrap) -> Pixels:
    """Those whose cubic B-spline goes through the values (H, W); its lines are filtered on every core."""
    for axis, wraps in ((0, wrap[1]), (1, wrap[0])):
        if values.shape[axis] > 1:
            values = _filtered(values, axis, "grid-wrap" if wraps else "reflect")
    return values


def _filtered(values: Pixels, axis: int, mode: str) -> Pixels:
    from scipy import ndimage

    out = np.empty(values.shape, np.float32)

    def lines(first: int, end: int) -> None:
        part = np.s_[first:end] if axis else np.s_[:, first:end]
        ndimage.spline_filter1d(values[part], 3, axis, out[part], mode=mode)

    split_rows(lines, values.shape[1 - axis])
    return out
