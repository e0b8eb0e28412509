"""The strength at which a proof begins."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from ..numeric import resample, tone
from ..raster import Pixels

STEEP_ANGLE = 60.0
STEEP_SHARE = 95.0
FIRST_STRENGTH = 0.03
# Slopes are taken with the mark so many points wide.
MARK_POINTS = 1024
# Half a 16-bit level: what is closer to zero is ground.
_GROUND = 0.5 / 65535
# What rises by less than a fifth of the range over the whole width is level.
_RISES = 0.2


def steepness(height: Pixels) -> float:
    """Strength, as a share of the mark's width, at which 95 % of the relief is under 60 degrees.

    Heights are 0..1 over a square mark; slopes are taken with the mark 1,024 points
    wide, by Sobel's 3 by 3 differences, where the plate is not ground.

    Parameters
    ----------
    height : float32 (H, W)
        0 on the surface, 1 for white; -1..1 where the plate cuts.

    Returns
    -------
    float
        0..1; 1 for a plate without relief.
    """
    return steepnesses(height)[0]


def steepnesses(height: Pixels, wanted: bool = False) -> tuple[float, float]:
    """:func:`steepness`, and where ``wanted`` that of the slopes alone, in which level tops do not count."""
    small = np.clip(resample.at_most(height, MARK_POINTS), -1, 1)
    # An eighth of the 3x3 sums is the slope per point.
    dx = cv2.Sobel(small, cv2.CV_32F, 1, 0, scale=1 / 8, borderType=cv2.BORDER_REPLICATE)
    dy = cv2.Sobel(small, cv2.CV_32F, 0, 1, scale=1 / 8, borderType=cv2.BORDER_REPLICATE)
    slope = cv2.magnitude(dx, dy) * np.float32(max(small.shape))
    relief = (np.abs(small) > _GROUND) | (slope > 1e-4)
    return _strength(slope, relief), _strength(slope, slope > _RISES) if wanted else 1.0


def _strength(slope: Pixels, where: NDArray[np.bool_]) -> float:
    if not where.any():
        return 1.0
    (steep,) = tone.percentiles(slope, (STEEP_SHARE,), where.astype(np.uint8))
    return float(min(1.0, math.tan(math.radians(STEEP_ANGLE)) / max(steep, 1e-6)))


def first_strength(height: Pixels) -> float:
    """The proof's automatic strength: 3 % of the mark's width, or less where that is too steep."""
    return min(FIRST_STRENGTH, steepness(height))
