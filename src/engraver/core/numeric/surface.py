"""Smooth surfaces through a picture: a robust polynomial, and a local high percentile."""

from __future__ import annotations

from contextlib import suppress

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from .ranks import percentile, robust_deviation, row_percentiles
from .split_rows import BAND, split_rows

Coefficients = NDArray[np.float64]
_ROUNDS = 15
# Tukey's biweight keeps 95 % efficiency on normal residuals with this cut (P. J. Huber, "Robust Statistics", 1981).
_CUT = 4.685
# Of normal equations: their smallest pivot, as a share of the largest.
_SOUND = 1e-4
# A higher order has to foretell by so much better.
_AS_GOOD = 1.02
_FEW_ROUNDS = 4
# Rows of windows that are ordered at once.
_WINDOWS = 4
# Light that leaves no more than so much less unexplained when it may bend is even.
_EVEN = 1.15


def _legendre(count: int, order: int) -> NDArray[np.float64]:
    """Legendre polynomials 0..order at ``count`` pixel centres over -1..1, (order + 1, count)."""
    at = (np.arange(count) + 0.5) * (2 / count) - 1
    return np.polynomial.legendre.legvander(at, order).T


def _pairs(order: int) -> list[tuple[int, int]]:
    return [(i, j) for i in range(order + 1) for j in range(order + 1 - i)]


def _base(height: int, width: int, order: int) -> NDArray[np.float64]:
    """Every product of polynomials at every pixel centre, (height * width, coefficients)."""
    x, y = _legendre(width, order), _legendre(height, order)
    return np.stack([np.outer(y[j], x[i]).ravel() for i, j in _pairs(order)], axis=1)


def _solved(base: NDArray[np.float64], target: NDArray[np.float64], share: NDArray[np.float64]) -> Coefficients:
    """Weighted least squares of ``target`` (pixels,) by the columns of ``base`` (pixels, coefficients), by the normal
    equations, which these polynomials bear well; where hardly enough pixels count, or all on one side, by singular
    values (A. Bjorck, "Numerical Methods for Least Squares Problems", 1996)."""
    weighted = base * share[:, None]
    gram = weighted.T @ base
    with suppress(np.linalg.LinAlgError):
        pivots = np.diagonal(np.linalg.cholesky(gram))
        if pivots.min() > _SOUND * pivots.max():
            return np.asarray(np.linalg.solve(gram, weighted.T @ target), np.float64)
    root = np.sqrt(share)
    return np.asarray(np.linalg.lstsq(base * root[:, None], target * root, rcond=None)[0], np.float64)


def _fitted(
    base: NDArray[np.float64], target: NDArray[np.float64], counts: NDArray[np.float64], rounds: int
) -> tuple[Coefficients, NDArray[np.float64]]:
    """Coefficients, and what they leave of ``target`` (pixels,), each of which counts so much; reweighted from the
    second round on. Raises ValueError where fewer pixels count than there are coefficients."""
    considered = counts > 1e-6
    if np.count_nonzero(considered) < base.shape[1]:
        raise ValueError("too few pixels to fit a surface")
    share, every = counts, bool(considered.all())
    for n in range(rounds):
        found = _solved(base, target, share)
        left = target - base @ found
        scale = robust_deviation(left if every else left[considered])
        if scale < 1e-9 or n + 1 == rounds:
            break
        away = np.minimum(np.abs(left) / (_CUT * scale), 1)
        share = counts * (1 - away * away) ** 2
    return found, left


def polynomial(
    height: int, width: int, coefficients: Coefficients, order: int, *, exponential: bool = False
) -> Pixels:
    """The surface of total degree ``order`` at the pixel centres of a picture.

    Parameters
    ----------
    height, width : int
    coefficients : float64 ((order + 1) (order + 2) / 2,)
        Of products of Legendre polynomials over -1..1 on both axes, so the same ones describe the same surface at
        every size.
    order : int
    exponential : bool
        Of a surface through logarithms: its exponential.

    Returns
    -------
    float32 (height, width)
    """
    x, y = _legendre(width, order), _legendre(height, order)
    grid = np.zeros((order + 1, order + 1))
    for value, (i, j) in zip(coefficients, _pairs(order), strict=True):
        grid[i, j] = value
    across = (grid.T @ x).astype(np.float32)
    down = np.ascontiguousarray(y.T, np.float32)
    surface = np.empty((height, width), np.float32)

    def part(first: int, end: int) -> None:
        made = np.matmul(down[first:end], across, out=surface[first:end])
        if exponential:
            np.exp(made, out=made)

    split_rows(part, height, BAND)
    return surface


def fit_polynomial(
    values: Pixels, order: int, weight: Pixels | None = None, *, robust: bool = True, rounds: int = _ROUNDS
) -> tuple[Coefficients, Pixels]:
    """Least-squares polynomial surface of total degree ``order``, and what it leaves (residual, H x W).

    Parameters
    ----------
    values : float32 (H, W)
        Small: a few thousand pixels are enough for a smooth surface.
    weight : float32 (H, W), optional
        How much each pixel counts, 0 for not at all.
    robust : bool
        Iteratively reweighted by Tukey's biweight, the scale from the median absolute
        deviation: what stands out (a subject, dust) does not bend the surface.
    rounds : int
        Of reweighting, at most.

    Raises
    ------
    ValueError
        When fewer pixels count than there are coefficients.
    """
    target = values.ravel().astype(np.float64)
    counts = np.ones(target.size) if weight is None else weight.ravel().astype(np.float64)
    height, width = values.shape
    found, left = _fitted(_base(height, width, order), target, counts, rounds if robust else 1)
    residual: Pixels = left.reshape(values.shape).astype(np.float32)
    return found, residual


def best_order(values: Pixels, weight: Pixels | None, most: int) -> int:
    """How much a surface has to bend: the order 0..most that foretells best what it was not fitted to.

    Cross-validation by blocks (D. R. Roberts et al., "Cross-validation strategies for data with temporal,
    spatial, hierarchical, or phylogenetic structure", 2017): the picture is cut into 8 by 8 blocks, every
    fourth of them is left out in turn. Of orders that do about as well the lowest is taken; 0 is even light.

    Parameters
    ----------
    values : float32 (H, W)
    weight : float32 (H, W), optional
    most : int
    """
    height, width = values.shape
    rows, columns = np.arange(height) * 8 // height, np.arange(width) * 8 // width
    fold = ((rows[:, None] + 2 * columns[None]) % 4).ravel()
    target = values.ravel().astype(np.float64)
    count = np.ones(target.size) if weight is None else weight.ravel().astype(np.float64)
    whole = _base(height, width, most)
    total = np.zeros(most + 1)
    scale = robust_deviation(target) + 1e-9
    for order in range(most + 1):
        base = whole[:, [i + j <= order for i, j in _pairs(most)]]
        for one in range(4):
            try:
                _, left = _fitted(base, target, count * (fold != one), _FEW_ROUNDS)
            except ValueError:
                return max(0, order - 1)
            away = np.minimum(np.abs(left) / (_CUT * scale), 1)
            loss = 1 - (1 - away * away) ** 3  # Tukey's: what stands out counts no more than so much
            total[order] += float((loss * count)[fold == one].sum())
    if total[0] <= total.min() * _EVEN + 1e-9:
        return 0
    return int(np.flatnonzero(total <= total.min() * _AS_GOOD + 1e-9)[0])


def local_percentile(values: Pixels, window: int, percent: float, weight: Pixels | None = None) -> Pixels:
    """The percentile of the pixels in a square window, at every pixel of a small picture.

    Windows step by a sixth of their side and are joined by straight lines; borders are mirrored.

    Parameters
    ----------
    values : float32 (H, W)
    window : int
        Side of the window in pixels, at least 3.
    percent : float
        0..100.
    weight : float32 (H, W), optional
        Only pixels above 0.5 count; a window without one takes the whole picture's percentile.
    """
    height, width = values.shape
    window = max(3, min(window | 1, 2 * min(height, width) - 1))
    half, stride = window // 2, max(1, window // 6)
    counted = values if weight is None else np.where(weight > 0.5, values, np.nan)
    grown = np.pad(counted, half, mode="symmetric")
    rows, columns = range(0, height, stride), range(0, width, stride)
    windows = np.lib.stride_tricks.sliding_window_view(grown, (window, window))[::stride, ::stride]
    if weight is None:
        found = np.empty((len(rows), len(columns)), np.float32)

        def part(a: int, b: int) -> None:
            found[a:b] = row_percentiles(windows[a:b].reshape(b - a, len(columns), -1), percent)

        split_rows(part, len(rows), _WINDOWS)
    else:
        flat = windows.reshape(len(rows), len(columns), -1)
        there = counted[np.isfinite(counted)]
        whole = percentile(there, percent) if there.size else 0.0
        # Sorted, what does not count comes last; NumPy's own way for this takes a hundred times as long.
        ordered = np.sort(flat, axis=2)
        count = np.isfinite(ordered).sum(axis=2)
        rank = np.maximum(count - 1, 0) * (percent / 100)
        first = np.floor(rank).astype(np.int64)
        second = np.minimum(first + 1, np.maximum(count - 1, 0))
        a, b = (np.take_along_axis(ordered, n[..., None], axis=2)[..., 0] for n in (first, second))
        found = np.where(count > 0, a + (rank - first) * (b - a), whole)
    # Window n is centred on pixel n * stride: sample between them at pixel centres.
    x = np.broadcast_to(np.arange(width, dtype=np.float32) / stride, (height, width))
    y = np.broadcast_to((np.arange(height, dtype=np.float32) / stride)[:, None], (height, width))
    result: Pixels = cv2.remap(
        found.astype(np.float32), np.ascontiguousarray(x), np.ascontiguousarray(y), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return result
