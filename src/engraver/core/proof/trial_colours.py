"""The colours of what a trial is seen in: ink on a page, dry ground by daylight, the sky behind it."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from ..surfaces.view import Colour
from .trial_kernels import FRACTION, PLACES

_SKY = (np.array([168, 186, 206], np.float32), np.array([222, 222, 214], np.float32))
_PLAIN = np.array([168, 160, 144], np.float32)
_EARTH = ((52, 55, 62), (236, 226, 204))


def sky(rows: int, horizon: float) -> Pixels:
    """What lies behind each row, float32 (rows, 3): sky down to the row of the horizon, below it the plain."""
    away = np.arange(rows, dtype=np.float32) - np.float32(horizon)
    share = np.clip(1 + away / (0.9 * rows), 0, 1)[:, None]
    above = _SKY[0] + share * (_SKY[1] - _SKY[0])
    near = np.clip(away / (0.9 * rows), 0, 1)[:, None] ** np.float32(0.5)
    plain = _SKY[1] + near * (_PLAIN - _SKY[1])
    drawn: Pixels = np.where(away[:, None] < 0, above, plain).astype(np.float32)
    return drawn


def joined(colours: Pixels) -> NDArray[np.int64]:
    """Colours (n, 3), 0..255, each as one number, int64 (n,): red, green and blue in 1,024ths, 20 bits for each."""
    parts = np.round(colours.astype(np.float64) * (1 << FRACTION)).astype(np.int64)
    whole: NDArray[np.int64] = (parts[:, 0] << (2 * PLACES)) | (parts[:, 1] << PLACES) | parts[:, 2]
    return whole


@lru_cache(maxsize=1)
def earth_ramp() -> Pixels:
    """Plain dry ground by brightness: cool in the shade, warm in the sun."""
    tone = np.clip(np.linspace(0, 1, 1024, dtype=np.float32) / np.float32(1.05), 0, 1)[:, None]
    dark, bright = (np.array(c, np.float32) for c in _EARTH)
    ramp: Pixels = dark + tone * (bright - dark)
    return ramp


@lru_cache(maxsize=8)
def ink_ramp(ground: Colour, ink: Colour) -> Pixels:
    tone = np.linspace(0, 1, 1024, dtype=np.float32)[:, None]
    ramp: Pixels = np.array(ground, np.float32) + tone * (np.array(ink, np.float32) - np.array(ground, np.float32))
    return ramp
