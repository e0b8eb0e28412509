"""Blurs: Gaussian at any size, and an edge-keeping smoother."""

from __future__ import annotations

import math

import cv2
import numpy as np

from ..raster import Pixels, Wrap

# A wide blur runs on a picture so reduced that its sigma is this many pixels to twice as many.
DIRECT = 12.0
TRUNCATE = 4.0


def kernel(sigma: float) -> Pixels:
    """Weights of a Gaussian of standard deviation ``sigma`` pixels, summing to 1.

    From sigma 1 up these are samples of the bell, cut at 4 sigma as SciPy cuts
    it. A narrower bell is under-sampled by its samples, so there the weights are
    the band-limited bell's, whose blur is right at any size, also a tenth of a pixel.
    """
    radius = max(1, int(TRUNCATE * sigma + 0.5))
    if sigma >= 1:
        x = np.arange(-radius, radius + 1)
        weights = np.exp(-0.5 * (x / sigma) ** 2)
    else:
        n = np.arange(-8, 9)
        w = (np.arange(512) + 0.5) * (math.pi / 512)
        weights = (np.exp(-0.5 * (sigma * w) ** 2) * np.cos(np.outer(n, w))).mean(axis=1)
        weights *= np.sinc(n / 9)  # Lanczos sigma factors: the cut at 8 leaves no ripple
    shares: Pixels = (weights / weights.sum()).astype(np.float32)
    return shares


def pad(values: Pixels, x: int, y: int, wrap: Wrap) -> Pixels:
    """Grow an array by ``x`` and ``y`` on each side: wrapping where it wraps, mirrored elsewhere."""
    if x == 0 and y == 0:
        return values
    across = cv2.BORDER_WRAP if wrap[0] else cv2.BORDER_REFLECT
    down = cv2.BORDER_WRAP if wrap[1] else cv2.BORDER_REFLECT
    grown: Pixels = cv2.copyMakeBorder(values, 0, 0, x, x, across) if x else values
    return cv2.copyMakeBorder(grown, y, y, 0, 0, down) if y else grown


def _direct(values: Pixels, sigma: float, wrap: Wrap) -> Pixels:
    weights = kernel(sigma)
    reach = len(weights) // 2
    if not any(wrap) and reach < min(values.shape[:2]):
        same: Pixels = cv2.sepFilter2D(values, cv2.CV_32F, weights, weights, borderType=cv2.BORDER_REFLECT)
        return same
    grown = cv2.sepFilter2D(pad(values, reach, reach, wrap), cv2.CV_32F, weights, weights)
    return np.ascontiguousarray(grown[reach:-reach, reach:-reach])


def gaussian(values: Pixels, sigma: float, wrap: Wrap = (False, False)) -> Pixels:
    """Gaussian blur of an (H, W) or (H, W, 3) array.

    Parameters
    ----------
    values : float32
    sigma : float
        Standard deviation in pixels; 0 returns the input.
    wrap : (bool, bool)
        Along x and y: continue over the border, else mirror it (the border pixel twice).

    Notes
    -----
    OpenCV's filter slows down with sigma, so a wide blur is made on a reduced
    picture: the average over f by f pixels, whose variance (f^2 - 1)/12 is taken
    off, then enlarged by a cubic. Equal to the direct one within 1e-3.
    """
    if sigma <= 0.02:
        return values
    if sigma <= 2 * DIRECT:
        return _direct(values, sigma, wrap)
    factor = 1 << int(math.log2(sigma / DIRECT))
    height, width = values.shape[:2]
    rest = math.sqrt((sigma / factor) ** 2 - (1 - 1 / factor**2) / 12)
    deep = (int(TRUNCATE * rest + 0.5) + 3) * factor
    # The same depth on both sides, then a little more at the right and bottom to fill whole blocks.
    small_size = (-(-(width + 2 * deep) // factor), -(-(height + 2 * deep) // factor))
    grown = pad(values, deep + factor, deep + factor, wrap)
    grown = grown[factor : factor + small_size[1] * factor, factor : factor + small_size[0] * factor]
    small = cv2.resize(grown, small_size, interpolation=cv2.INTER_AREA)
    soft = cv2.sepFilter2D(small, cv2.CV_32F, kernel(rest), kernel(rest))
    big = cv2.resize(soft, (grown.shape[1], grown.shape[0]), interpolation=cv2.INTER_CUBIC)
    return np.ascontiguousarray(big[deep : deep + height, deep : deep + width])


def normalised(values: Pixels, coverage: Pixels | None, sigma: float, wrap: Wrap) -> Pixels:
    """Gaussian blur in which what is not there (coverage 0) does not count.

    Where nothing lies within reach the input is kept.
    """
    if coverage is None:
        return gaussian(values, sigma, wrap)
    weight = gaussian(coverage, sigma, wrap)
    cover, over = (coverage, weight) if values.ndim == 2 else (coverage[..., None], weight[..., None])
    summed = gaussian(np.ascontiguousarray(values * cover), sigma, wrap)
    return np.where(over > 1e-4, summed / np.maximum(over, 1e-4), values).astype(np.float32)


def spread(values: Pixels, coverage: Pixels | None) -> Pixels:
    """What is there, carried smoothly into where nothing is (coverage 0); what is covered stays.

    Push and pull on halved pictures: S. J. Gortler et al., "The Lumigraph" (SIGGRAPH 1996),
    section 3.4. Without coverage anywhere the result is 0.
    """
    if coverage is None:
        return values
    weight = coverage if values.ndim == 2 else coverage[..., None]
    height, width = coverage.shape
    if height == 1 and width == 1:
        return np.where(weight > 0, values, 0).astype(np.float32)
    size = (max(1, -(-width // 2)), max(1, -(-height // 2)))
    share = cv2.resize(coverage, size, interpolation=cv2.INTER_AREA)
    small = cv2.resize(values * weight, size, interpolation=cv2.INTER_AREA)
    over = share if values.ndim == 2 else share[..., None]
    small = np.where(over > 1e-6, small / np.maximum(over, 1e-6), 0).astype(np.float32)
    coarse = spread(small, np.minimum(share * 4, 1))
    big = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_LINEAR)
    result: Pixels = (big + weight * (np.where(weight > 0, values, 0) - big)).astype(np.float32)
    return result


def edge_keeping(
    values: Pixels, sigma: float, grip: float, wrap: Wrap = (False, False), coverage: Pixels | None = None
) -> Pixels:
    """Guided filter with the picture as its own guide, in a Gaussian window.

    Parameters
    ----------
    values : float32 (H, W)
    sigma : float
        Standard deviation of the window in pixels.
    grip : float
        Steps in tone well above this are kept, well below it smoothed away.
    coverage : float32 (H, W), optional
        What is not there does not count.

    Notes
    -----
    K. He, J. Sun and X. Tang, "Guided Image Filtering" (ECCV 2010), eq. 5 and 6
    with I = p and epsilon = grip^2. The box window is replaced by a Gaussian so
    that the result does not change with the plate's scale.
    """
    if sigma <= 0.02:
        return values
    centre = np.float32(values.mean())
    shifted: Pixels = values - centre  # keeps the variance's difference of squares from cancelling
    mean = normalised(shifted, coverage, sigma, wrap)
    spread = normalised(cv2.multiply(shifted, shifted), coverage, sigma, wrap) - mean * mean
    variance: Pixels = np.maximum(spread, 0)
    a: Pixels = variance / (variance + np.float32(grip * grip + 1e-12))
    b: Pixels = mean - a * mean
    a, b = normalised(a, coverage, sigma, wrap), normalised(b, coverage, sigma, wrap)
    result: Pixels = a * shifted + b + centre
    return result
