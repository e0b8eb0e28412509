"""A patch that is there twice: found by its echo in the spectrum, made sure of by comparing both places."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from ..raster import Pixels
from . import resample
from .blur import gaussian

_SIDE = 512
_PEAKS, _NEAR = 8, 16.0
# Places look the same from this correlation of their fine detail on, in a window so wide.
_SAME, _WINDOW, _FINE = 0.96, 21, 5.0
_LEAST = 0.006


@dataclass(frozen=True, slots=True)
class Copied:
    """``share`` of the picture that is there twice, 0 when nothing is; ``away`` in shares of the longer side."""

    share: float
    away: float


def copied(values: Pixels) -> Copied:
    """Whether a patch of a picture (H, W) lies in it a second time, moved but not turned.

    An echo makes the power spectrum wave (B. P. Bogert, M. J. R. Healy and J. W. Tukey, "The quefrency
    alanysis of time series for echoes", 1963): the spectrum over its own smooth course, turned back, peaks
    at the move. Of the strongest peaks that one counts at which a patch, compared window by window
    (normalised cross-correlation of what is fine), is the same in both places.
    """
    from scipy import fft

    values = resample.at_most(values, _SIDE)
    rows, columns = values.shape
    if min(rows, columns) < 4 * _WINDOW or float(np.ptp(values)) < 1e-6:
        return Copied(0.0, 0.0)
    u = (values - values.mean()).astype(np.float32)
    power = fft.fftshift(np.abs(fft.fft2(u, workers=2)) ** 2).astype(np.float32)
    power[rows // 2, columns // 2] = 0
    course = np.exp(gaussian(np.log(power + power.mean() * np.float32(1e-9)), 4.0))
    echo = fft.ifft2(fft.ifftshift(np.minimum(power / course, 12)), workers=2).real
    y, x = fft.fftfreq(rows, 1 / rows)[:, None], fft.fftfreq(columns, 1 / columns)[None]
    # A move and its opposite are one.
    echo = np.where((np.hypot(y, x) > _NEAR) & ((y > 0) | ((y == 0) & (x > 0))), echo, 0)
    fine = u - gaussian(u, _FINE)
    strong = _mean(fine * fine)
    floor = float(np.percentile(strong, 20)) * 0.25 + 1e-10
    best = Copied(0.0, 0.0)
    for _ in range(_PEAKS):
        at = np.unravel_index(int(np.argmax(echo)), echo.shape)
        down, across = int(y[at[0], 0]), int(x[0, at[1]])
        share = _same(fine, strong, down, across, floor)
        if share > best.share:
            best = Copied(share, float(np.hypot(down, across)) / max(rows, columns))
        echo[max(0, at[0] - 2) : at[0] + 3, max(0, at[1] - 2) : at[1] + 3] = 0
    return best if best.share >= _LEAST else Copied(0.0, 0.0)


def _mean(values: Pixels) -> Pixels:
    mean: Pixels = cv2.blur(values, (_WINDOW, _WINDOW), borderType=cv2.BORDER_REFLECT)
    return mean


def _same(fine: Pixels, one: Pixels, down: int, across: int, floor: float) -> float:
    """The share of windows, of strength ``one``, that are the same in a place and so far from it."""
    other = np.roll(fine, (down, across), axis=(0, 1))
    two, both = _mean(other * other), _mean(fine * other)
    alike = (both > _SAME * np.sqrt(np.maximum(one * two, 0))) & (one > floor) & (two > floor)
    return float(alike.mean())
