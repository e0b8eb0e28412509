"""Noise: measuring it, and non-local means in float."""

from __future__ import annotations

import cv2
import numpy as np

from ..errors import Watch, unwatched
from ..raster import Pixels, Wrap
from .pad import pad
from .ranks import robust_deviation

# A band of this many pixels and what is made of it stay in the cache.
BAND = 160_000


def sigma(values: Pixels) -> float:
    """Standard deviation of the noise of an (H, W) picture.

    The median absolute deviation of the finest diagonal wavelet coefficients (here
    Haar's) over 0.6745: D. L. Donoho and I. M. Johnstone, Biometrika 81 (1994).
    """
    height, width = values.shape[0] // 2 * 2, values.shape[1] // 2 * 2
    if height < 4 or width < 4:
        return 0.0
    v = values[:height, :width]
    diagonal = (v[0::2, 0::2] - v[0::2, 1::2] - v[1::2, 0::2] + v[1::2, 1::2]) / 2
    return robust_deviation(diagonal, 0.0)


def non_local_means(
    values: Pixels, noise: float, strength: float, wrap: Wrap = (False, False), *,
    patch: int = 2, reach: int = 5, check: Watch = unwatched,
) -> Pixels:  # fmt: skip
    """Every pixel becomes the mean of those whose surroundings look alike.

    A. Buades, B. Coll and J.-M. Morel, "A non-local algorithm for image denoising" (CVPR
    2005), with the weights exp(-max(d^2 - 2 noise^2, 0) / h^2), h = strength * noise, of
    their 2011 article in IPOL; patches by box sums over shifted pictures (J. Darbon et al.,
    ISBI 2008), in bands of rows that stay in the processor's cache.

    Parameters
    ----------
    values : float32 (H, W)
    noise : float
        Standard deviation of the noise.
    strength : float
        h in units of the noise.
    patch, reach : int
        Half sides of the compared patch and of the search window, in pixels.
    """
    if noise <= 0 or strength <= 0:
        return values
    height, width = values.shape
    margin = reach + patch
    grown = pad(values, margin, margin, wrap)
    result = np.empty_like(values)
    rows = max(16, BAND // max(1, width))
    for top in range(0, height, rows):
        check()
        count = min(rows, height - top)
        part = np.ascontiguousarray(grown[top : top + count + 2 * margin])
        result[top : top + count] = _band(part, count, width, noise, strength, patch, reach)
    return result


def _band(part: Pixels, rows: int, columns: int, noise: float, strength: float, patch: int, reach: int) -> Pixels:
    """The means of ``rows`` rows; ``part`` holds them with a margin of reach and patch all round."""
    margin = reach + patch
    # Distances need patches: what is compared has a margin of ``patch`` round the rows.
    own = part[reach : reach + rows + 2 * patch, reach : reach + columns + 2 * patch]
    middle = np.s_[margin : margin + rows, margin : margin + columns]
    total, weights = part[middle].copy(), np.ones((rows, columns), np.float32)
    per = np.float32(-1 / (strength * noise) ** 2)
    floor = np.float32(2 * noise * noise)
    side = (2 * patch + 1, 2 * patch + 1)
    inner = np.s_[patch : patch + rows, patch : patch + columns]
    for down in range(-reach, reach + 1):
        for across in range(-reach, reach + 1):
            if down == 0 and across == 0:
                continue
            y, x = reach + down, reach + across
            other = part[y : y + rows + 2 * patch, x : x + columns + 2 * patch]
            apart = cv2.subtract(own, other)
            apart = cv2.blur(cv2.multiply(apart, apart), side)[inner]
            share = cv2.exp(np.maximum(apart - floor, 0) * per)
            weights += share
            total += share * other[inner]
    total /= weights
    return total
