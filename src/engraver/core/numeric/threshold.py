"""Levels that part ink from paper: one for the whole picture, or one for every neighbourhood."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels, Wrap
from . import tone, wide
from .pad import pad

BINS = 256
# A window of at least twice so many pixels is looked at on a reduced picture.
WINDOW = 20.0


def otsu(values: Pixels, mask: NDArray[np.uint8] | None = None) -> float:
    """The level at which two classes of tones lie farthest apart.

    N. Otsu, "A threshold selection method from gray-level histograms" (IEEE Transactions on
    Systems, Man, and Cybernetics 9, 1979), eq. 18, over 256 bins between the lowest and highest
    tone; the middle of the bin is returned. An even picture gives its own tone.

    Parameters
    ----------
    values : float32 (H, W)
    mask : uint8 (H, W), optional
        Where it is not 0 counts.
    """
    some = values if mask is None else values[mask > 0]
    if some.size == 0:
        return 0.5
    lo, hi = float(some.min()), float(some.max())
    if hi - lo < 1e-9:
        return lo
    counts = tone.own_histogram(values, BINS, mask)[0].astype(np.float64)
    middles = lo + (np.arange(BINS) + 0.5) * (hi - lo) / BINS
    below, above = np.cumsum(counts), np.cumsum(counts[::-1])[::-1]
    mean_below = np.cumsum(counts * middles) / np.maximum(below, 1e-12)
    mean_above = (np.cumsum((counts * middles)[::-1]) / np.maximum(above[::-1], 1e-12))[::-1]
    between = below[:-1] * above[1:] * (mean_below[:-1] - mean_above[1:]) ** 2
    return float(middles[int(np.argmax(between))])


def _box(values: NDArray[np.float64], window: float, axis: int) -> NDArray[np.float64]:
    """Mean over ``window`` pixels along an axis; the pixels at its ends may count in part."""
    whole = 2 * int((window - 1) / 2) + 1
    part = (window - whole) / 2

    def mean(side: int) -> NDArray[np.float64]:
        size = (side, 1) if axis == 1 else (1, side)
        found: NDArray[np.float64] = cv2.boxFilter(values, cv2.CV_64F, size, normalize=False)
        return found

    found = mean(whole)
    if part > 1e-3:
        found += part * (mean(whole + 2) - found)
    return found / window


def sauvola(values: Pixels, window: float, k: float, spread: float, wrap: Wrap = (False, False)) -> Pixels:
    """A level for every pixel from the mean m and the spread s of a square window: m (1 + k (s / spread - 1)).

    J. Sauvola and M. Pietikainen, "Adaptive document image binarization" (Pattern Recognition
    33, 2000), eq. 5.

    Parameters
    ----------
    values : float32 (H, W)
    window : float
        Side of the window in pixels, at least 1.
    k : float
        How far below the mean the level lies where nothing varies; 0.2 in the paper.
    spread : float
        The largest spread to expect: half the range of tones.
    """
    # Means over a wide window are found from averages of a few pixels.
    factor = 1 if window < 2 * WINDOW else 1 << int(math.log2(window / WINDOW))
    small, square = wide.averaged(values, factor), wide.averaged(values * values, factor)
    window = max(1.0, window * small.shape[0] / values.shape[0])
    half = int(window / 2) + 2
    inner = slice(half, half + small.shape[0]), slice(half, half + small.shape[1])

    def mean(picture: Pixels) -> NDArray[np.float64]:
        grown = pad(picture, half, half, wrap).astype(np.float64)
        return _box(_box(grown, window, 1), window, 0)[inner]

    m = mean(small)
    s = np.sqrt(np.maximum(mean(square) - m * m, 0))
    level: Pixels = (m * (1 + k * (s / spread - 1))).astype(np.float32)
    return wide.enlarged(level, values.shape[0], values.shape[1], wrap)
