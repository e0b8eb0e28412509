"""Wide, smooth pictures worked out on a reduced one and enlarged once."""

from __future__ import annotations

import math

import numpy as np

from ..raster import Pixels, Wrap
from . import blur, resample, spline
from .blur import gaussian
from .split_rows import split_rows

# Standard deviations of the narrowest blur that is still made on the reduced picture, in its pixels.
NARROWEST = 3.0
# The narrowest edge-keeping blur, in full-size pixels, that is found on a reduced picture.
_EDGES = 12.0


def factor_for(sigma: float) -> int:
    """By how much a picture may be reduced for a blur of this standard deviation in pixels; a power of two."""
    return 1 if sigma < 2 * NARROWEST else 1 << int(math.log2(sigma / NARROWEST))


def averaged(values: Pixels, factor: int) -> Pixels:
    """The area average over ``factor`` by ``factor`` pixels (about, where the size is no multiple of it)."""
    if factor == 1:
        return values
    height, width = values.shape
    return resample.area(values, max(2, round(height / factor)), max(2, round(width / factor)))


def reduced(values: Pixels, factor: int, wrap: Wrap) -> Pixels:
    """A picture (H, W) for :func:`soften`, ``factor`` times smaller (about, where its size is no multiple of it)."""
    if factor == 1:
        return values
    height, width = values.shape
    return spline.reduced(values, max(2, round(height / factor)), max(2, round(width / factor)), wrap)


def squared(values: Pixels, factor: int, wrap: Wrap) -> Pixels:
    """:func:`reduced` squares of values (H, W), found on every core."""
    squares = np.empty_like(values)

    def band(first: int, end: int) -> None:
        np.square(values[first:end], out=squares[first:end])

    split_rows(band, len(values))
    return reduced(squares, factor, wrap)


def soften(small: Pixels, sigma: float, factor: int, wrap: Wrap, *, to_draw: bool = False) -> Pixels:
    """A Gaussian of ``sigma`` full-size pixels on a picture that is :func:`reduced`; what that blurred is taken off.

    So is what :func:`drawn` will blur, for a picture that goes ``to_draw`` as it is.
    """
    rest = (sigma / factor) ** 2
    if factor > 1:
        rest -= spline.VARIANCE * (2 if to_draw else 1)
    return gaussian(small, math.sqrt(max(rest, 0.0)), wrap)


def edge_keeping(values: Pixels, sigma: float, grip: float, wrap: Wrap, coverage: Pixels | None = None) -> Pixels:
    """As :func:`.blur.edge_keeping`, with its parameters; smooth parts of a wide one are found on a reduced picture.

    K. He and J. Sun, "Fast Guided Filter" (2015): the edges come from the full-size picture, the rest takes
    a tenth of the time. Within 5e-5 of the direct one, noise and photos alike, where the size is a multiple of the
    reduction, and 6e-4 elsewhere. Colours, and what is not there everywhere, are blurred directly.
    """
    if sigma < _EDGES or coverage is not None or values.ndim != 2:
        return blur.edge_keeping(values, sigma, grip, wrap, coverage)
    factor = factor_for(sigma)
    mean = soften(reduced(values, factor, wrap), sigma, factor, wrap)
    spread = soften(squared(values, factor, wrap), sigma, factor, wrap) - mean * mean
    above: Pixels = np.maximum(spread, np.float32(0)).astype(np.float32)
    gain: Pixels = (above / (above + np.float32(grip * grip))).astype(np.float32)
    rows, columns = values.shape
    by, lift = (enlarged(gaussian(p, sigma / factor, wrap), rows, columns, wrap) for p in (gain, mean * (1 - gain)))
    by *= values
    by += lift
    return by


def enlarged(small: Pixels, height: int, width: int, wrap: Wrap) -> Pixels:
    """A smooth reduced picture (H, W) at full size, by the cubic B-spline through it; its corners stay in place."""
    if small.shape == (height, width):
        return small
    return spline.drawn(spline.coefficients(small, wrap), height, width, wrap)


def drawn(small: Pixels, height: int, width: int, wrap: Wrap) -> Pixels:
    """As :func:`enlarged` in half the time, for sums of what was softened ``to_draw``."""
    return small if small.shape == (height, width) else spline.drawn(small, height, width, wrap)
