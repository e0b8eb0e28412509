"""A plate as what marks are made with: its heights over the surface, in a square."""

from __future__ import annotations

import numpy as np

from ..numeric import resample
from ..numeric.tone import luma
from ..raster import Pixels, Raster, Zero

# The side at which a plate's heights are laid along a stroke of the hand.
TIP_SIDE = 256


def heights(values: Pixels, zero: Zero) -> Pixels:
    """Heights of a picture in which white raises: 0 on the surface, 1 for white."""
    if zero == "mid":
        result: Pixels = values * np.float32(2) - np.float32(1)
        return result
    return values


def heights_of(raster: Raster) -> Pixels:
    """Heights of a finished plate, float32 (H, W): 0 on the surface, 1 for white, below 0 where it cuts; colours by
    the tone as it is seen."""
    return heights(luma(raster.flat()), raster.zero)


def squared(height: Pixels) -> Pixels:
    """A plate in the middle of the square mark it leaves: what is added lies on the surface."""
    rows, columns = height.shape
    across, down = max(0, rows - columns), max(0, columns - rows)
    if not across and not down:
        return height
    return np.pad(height, ((down // 2, down - down // 2), (across // 2, across - across // 2)))


def standing(raster: Raster) -> tuple[Pixels, Pixels | None]:
    """A finished plate as marks are made with it: float32 (n, n) of heights over its zero times its coverage, and of
    its coverage 0..1; None where all of the square is there."""
    tall = squared(heights_of(raster))
    if raster.coverage is None and raster.height == raster.width:
        return tall, None
    cover = np.ones((raster.height, raster.width), np.float32) if raster.coverage is None else raster.coverage
    return tall, squared(cover)


def tip_of(raster: Raster) -> Pixels:
    """A finished plate as the tip of a stroke: how far it stands off the surface, 0..1 (TIP_SIDE, TIP_SIDE)."""
    off = np.abs(heights_of(raster))
    tones = squared(np.clip(off, 0, 1).astype(np.float32))
    if tones.shape != (TIP_SIDE, TIP_SIDE):
        tones = np.clip(resample.resize(tones, TIP_SIDE, TIP_SIDE), 0, 1)
    return tones


def packed_tip(raster: Raster) -> bytes:
    """A finished plate's tip as it is kept in a stroke: little-endian 16-bit tones, row by row."""
    return (tip_of(raster) * 65535 + 0.5).astype("<u2").tobytes()
