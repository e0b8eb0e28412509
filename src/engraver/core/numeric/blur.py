"""Blurs: Gaussian at any size, and an edge-keeping smoother."""

from __future__ import annotations

import math

import cv2
import numpy as np

from ..raster import Pixels, Wrap
from . import spline
from .pad import pad
from .resample import within

# A wide blur runs on a picture so reduced that its sigma is this many pixels to twice as many.
DIRECT = 3.0
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


def _direct(values: Pixels, across: float, down: float, wrap: Wrap) -> Pixels:
    kx, ky = kernel(across), kernel(down)
    x, y = len(kx) // 2, len(ky) // 2
    if not any(wrap) and y < values.shape[0] and x < values.shape[1]:
        same: Pixels = cv2.sepFilter2D(values, cv2.CV_32F, kx, ky, borderType=cv2.BORDER_REFLECT)
        return same
    grown = cv2.sepFilter2D(pad(values, x, y, wrap), cv2.CV_32F, kx, ky)
    return np.ascontiguousarray(grown[y:-y, x:-x])


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
    OpenCV's filter slows down with sigma, so a wide blur is made on a picture reduced and drawn
    at full size again by cubic B-splines, whose variances are taken off. Equal to the direct one
    within 1e-4, black and white noise among it, and as smooth: no lattice of the small pixels is left.
    """
    if sigma <= 0.02:
        return values
    if sigma <= 2 * DIRECT:
        return _direct(values, sigma, sigma, wrap)
    factor = 1 << int(math.log2(sigma / DIRECT))
    height, width = values.shape[:2]
    rows, columns = max(1, round(height / factor)), max(1, round(width / factor))
    small = spline.reduced(values, rows, columns, wrap)
    across, down = (_rest(sigma, ratio) for ratio in (width / columns, height / rows))
    return spline.drawn(_direct(small, across, down, wrap), height, width, wrap)


def _rest(sigma: float, ratio: float) -> float:
    """What is left to blur between reducing by ``ratio`` and drawing, in small pixels."""
    return math.sqrt((sigma / ratio) ** 2 - 2 * spline.VARIANCE)


def normalised(values: Pixels, coverage: Pixels | None, sigma: float, wrap: Wrap) -> Pixels:
    """Gaussian blur in which what is not there (coverage 0) does not count.

    Where nothing lies within reach the input is kept. Where all is there, nothing goes beyond it: the band-limited
    weights of a narrow bell have negative lobes.
    """
    if coverage is None:
        soft = gaussian(values, sigma, wrap)
        return within(soft, values) if sigma < 1 else soft
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
