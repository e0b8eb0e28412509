"""Noise: measuring it, and non-local means in float."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from ..raster import Pixels, Wrap
from .blur import pad


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
    return float(np.median(np.abs(diagonal)) / 0.6745)


def non_local_means(
    values: Pixels, noise: float, strength: float, wrap: Wrap = (False, False), *,
    patch: int = 2, reach: int = 5, check: Callable[[], None] = lambda: None,
) -> Pixels:  # fmt: skip
    """Every pixel becomes the mean of those whose surroundings look alike.

    A. Buades, B. Coll and J.-M. Morel, "A non-local algorithm for image denoising" (CVPR
    2005), with the weights exp(-max(d^2 - 2 noise^2, 0) / h^2), h = strength * noise, of
    their 2011 article in IPOL; patches by box sums over shifted pictures (J. Darbon et al.,
    ISBI 2008).

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
    grown = pad(values, reach, reach, wrap)
    total, weights = values.copy(), np.ones_like(values)
    per = np.float32(-1 / (strength * noise) ** 2)
    floor = np.float32(2 * noise * noise)
    side = (2 * patch + 1, 2 * patch + 1)
    for down in range(-reach, reach + 1):
        for across in range(-reach, reach + 1):
            if down == 0 and across == 0:
                continue
            check()
            other = grown[reach + down : reach + down + height, reach + across : reach + across + width]
            apart = values - other
            apart *= apart
            apart = cv2.blur(apart, side, borderType=cv2.BORDER_REFLECT)
            apart -= floor
            np.maximum(apart, 0, out=apart)
            apart *= per
            share = cv2.exp(apart)
            weights += share
            total += cv2.multiply(share, np.ascontiguousarray(other))
    total /= weights
    return total
