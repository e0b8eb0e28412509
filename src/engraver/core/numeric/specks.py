"""Finding specks and hairs: what is narrower than a given size and stands out."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from .ranks import robust_deviation

Which = Literal["bright", "dark", "both"]
# A speck's rim reaches down to this share of what it takes to be one.
RIM = 0.4
_ROBUST, _RIM_ROBUST = 6.0, 4.0
# Specks are strewn: within so many times their size less than this share of the picture stands out as they do.
_AROUND, _CROWD = 9.0, 0.06
# The ground is found on a picture so reduced that the largest speck is this many pixels wide.
_SPAN = 2.5


def _ground(values: Pixels, size: float) -> Pixels:
    """The picture without what is narrower than ``size``: a median on a reduced picture, enlarged."""
    height, width = values.shape
    ratio = 1 / max(1.0, size / _SPAN)
    small_size = (max(1, round(width * ratio)), max(1, round(height * ratio)))
    small = cv2.resize(values, small_size, interpolation=cv2.INTER_AREA)
    ground = cv2.medianBlur(cv2.medianBlur(small, 5), 5)
    big: Pixels = cv2.resize(ground, (width, height), interpolation=cv2.INTER_LINEAR)
    return big


def _crowded(apart: Pixels, limit: float, size: float) -> NDArray[np.bool_]:
    """Where more stands out round about than specks would: in writing, in texture."""
    wide = max(9, int(_AROUND * size)) | 1
    there = (apart > RIM * limit).astype(np.float32)
    crowded: NDArray[np.bool_] = cv2.blur(there, (wide, wide), borderType=cv2.BORDER_REFLECT) > _CROWD
    return crowded


def _components(
    standing: Pixels,
    spread: float,
    contrast: float,
    longest: float,
    crowd: NDArray[np.bool_],
    *,
    hairs: bool,
    widest: float,
) -> NDArray[np.bool_]:
    limit = max(contrast, _ROBUST * spread)
    rim = (standing > max(RIM * limit, _RIM_ROBUST * spread)).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(rim, connectivity=8)
    if count == 1:
        return np.zeros(standing.shape, bool)
    peaks = np.zeros(count, bool)
    peaks[np.unique(labels[standing > limit])] = True
    extent = np.maximum(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT])
    keep = peaks & (extent <= longest)
    if hairs:
        # A hair is long and thin: its area is that of a band narrower than the largest speck.
        keep |= peaks & (extent > longest) & (stats[:, cv2.CC_STAT_AREA] <= widest * extent * 1.5)
    # What stands among much that is like it is writing or texture.
    among = np.bincount(labels.ravel(), crowd.ravel(), minlength=count)
    keep &= among <= 0.5 * stats[:, cv2.CC_STAT_AREA]
    keep[0] = False
    found: NDArray[np.bool_] = keep[labels]
    return found


def find(values: Pixels, size: float, contrast: float, *, which: Which, hairs: bool) -> NDArray[np.bool_]:
    """Where specks lie, with a ring of one pixel around them.

    Parameters
    ----------
    values : float32 (H, W)
    size : float
        The largest speck's diameter, and a hair's width, in pixels.
    contrast : float
        How far a speck stands out in tone; never less than six robust spreads of the texture itself
        (median and median absolute deviation: F. R. Hampel, "The influence curve", 1974).
    which : {"bright", "dark", "both"}
    hairs : bool
        Also what is longer than ``size`` but thin.
    """
    apart = values - _ground(values, size)
    spread = robust_deviation(apart)
    found = np.zeros(values.shape, bool)
    crowd = _crowded(np.abs(apart), max(contrast, _ROBUST * spread), size)
    for word, standing in (("bright", apart), ("dark", -apart)):
        if which in (word, "both"):
            widest = max(3.0, size / 2)
            found |= _components(standing, spread, contrast, size * 1.5 + 1, crowd, hairs=hairs, widest=widest)
    grown: NDArray[np.bool_] = cv2.dilate(found.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
    return grown
