"""Plateaus: where a relief was cut flat, at whatever level that lies by now."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import tone

# Pixels whose neighbours lie within half a level of 16 bits lie on a plateau.
_SAME = 0.6 / 65535
_BINS = 256
# Of a plate of eight such bands and more every other band of so many rows is looked at.
_BAND = 128
# A level at which the relief piles up holds so many times more plateau than the levels round about, and at
# least this share of the relief.
_PILED, _LEAST = 8.0, 0.002
# From so much of the relief on a plateau is the form itself, and from so many piles on it is a stair.
MEANT, _STAIR = 0.4, 4
# So little may lie beyond a level at which a relief was cut.
_BEYOND = 0.02
# Where the slope beside a plateau is less than this share of the relief's, it was not cut.
_ARRIVES = 0.35
# What lies this near to a plateau belongs to the same flat top.
_ROUND_ABOUT = 0.04


def unevenness(values: Pixels) -> Pixels:
    """How far each pixel and its eight neighbours lie apart, float32 (H, W), 0 where they are level."""
    kernel = np.ones((3, 3), np.uint8)
    apart: Pixels = cv2.dilate(values, kernel) - cv2.erode(values, kernel)
    return apart


def _piles_up(height: Pixels, relief: NDArray[np.bool_], count: int) -> bool:
    """Whether any tone holds more pixels than those round it do: else there is no plateau to look for."""
    counts, _, _ = tone.own_histogram(height, _BINS, relief.view(np.uint8))
    around = np.sort(np.lib.stride_tricks.sliding_window_view(np.pad(counts, 4, mode="reflect"), 9), axis=1)[:, 4]
    return bool((counts - around).max() > 0.5 * _LEAST * count)


def _level_rim(height: Pixels, top: NDArray[np.bool_], relief: NDArray[np.bool_]) -> float:
    """The slope just beside a plateau over that of the relief: near 0 where a form arrives level, as a cushion."""
    near, far = (cv2.dilate(top.astype(np.uint8), np.ones((n, n), np.uint8)) > 0 for n in (3, 7))
    beside, slopes = far & ~near & relief, relief & ~near
    if not beside.any():
        return 1.0
    across, down = (cv2.Sobel(height, cv2.CV_32F, *way, ksize=3, scale=0.125) for way in ((1, 0), (0, 1)))
    steep = cv2.magnitude(across, down)
    return float(steep[beside].mean() / max(float(steep[slopes].mean()), 1e-9))


def cut_flat(height: Pixels, ground: float) -> tuple[float, float]:
    """Shares 0..1 of the relief that lie on plateaus at its lower and at its upper end.

    A plateau counts where nothing much lies beyond it and few others are like it: one that makes up
    much of the relief, or that the form reaches with hardly a slope, is a flat top that is meant, and
    several are a stair.

    Parameters
    ----------
    height : float32 (H, W)
        0 on the surface.
    ground : float
        What is closer to 0 than this is no relief.
    """
    if height.shape[0] >= 8 * _BAND:  # every other band of a large plate tells as much
        height = np.concatenate([height[row : row + _BAND] for row in range(0, len(height), 2 * _BAND)])
    relief = cv2.absdiff(height, np.zeros(1)) > ground
    count = int(np.count_nonzero(relief))
    if count == 0 or min(height.shape) < 3:
        return 0.0, 0.0
    low, high, _, _ = cv2.minMaxLoc(height, relief.view(np.uint8))
    if high - low < 1e-5 or not _piles_up(height, relief, count):
        return 0.0, 0.0
    flat = (unevenness(height) <= _SAME) & relief
    # The rim of a plateau belongs to it.
    levels = height[flat]
    if levels.size < _LEAST * count:
        return 0.0, 0.0
    counts, edges = np.histogram(levels.astype(np.float64), _BINS, (low, high))
    usual = float(np.median(counts[counts > 0])) if (counts > 0).sum() > 8 else 0.0
    piles = np.flatnonzero((counts > _PILED * usual) & (counts > _LEAST * count))
    if not len(piles) or len(piles) >= _STAIR:
        return 0.0, 0.0
    found = []
    for pile in (piles[0], piles[-1]):
        share = counts[max(0, pile - 1) : pile + 2].sum() / count
        upper, lower = edges[min(_BINS, pile + 1)], edges[pile]
        beyond = (height[relief] > upper + _SAME).mean(), (height[relief] < lower - _SAME).mean()
        top = (np.abs(height - (lower + upper) / 2) <= (upper - lower) / 2 + _SAME) & flat
        if _level_rim(height, top, relief) < _ARRIVES:
            found.append((1.0, float(beyond[0]), float(beyond[1])))
            continue
        around = (np.abs(height[relief] - (lower + upper) / 2) < _ROUND_ABOUT * (high - low)).mean()
        found.append((float(share) if around < MEANT else 1.0, float(beyond[0]), float(beyond[1])))
    (first, _, below), (last, above, _) = found
    return (
        first if below <= _BEYOND and first < MEANT and piles[0] < _BINS // 2 else 0.0,
        last if above <= _BEYOND and last < MEANT and piles[-1] >= _BINS // 2 else 0.0,
    )
