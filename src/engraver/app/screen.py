"""Rasters as the screen shows them, in 8 bits."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from engraver.core.numeric.tone import histogram, luma
from engraver.core.raster import ZERO_LEVEL, Raster

# How much of what is not covered is still seen while it is marked.
GROUND_SHOWN = 0.28
HISTOGRAM = 512
# How strongly the source shines through while it is traced.
TRACE = 0.35


def to_screen(raster: Raster, raises: str = "white") -> NDArray[np.uint8]:
    """A raster's flat picture in 8 bits: (H, W) grey or (H, W, 3) RGB."""
    values = np.clip(raster.flat(), 0, 1)
    if raises == "black":
        values = np.float32(1) - values
    values *= np.float32(255)
    values += np.float32(0.5)
    return np.ascontiguousarray(values.astype(np.uint8))


def traced(screen: NDArray[np.uint8], under: Raster) -> NDArray[np.uint8]:
    """A grey picture with another shining through faintly."""
    if screen.ndim != 2:
        return screen
    below = cv2.resize(luma(under.flat()), (screen.shape[1], screen.shape[0]), interpolation=cv2.INTER_AREA)
    mixed = screen * (1 - TRACE) + np.clip(below, 0, 1) * (255 * TRACE)
    mixed8: NDArray[np.uint8] = (mixed + 0.5).astype(np.uint8)
    return mixed8


def tone_counts(raster: Raster) -> NDArray[np.float32]:
    """How often each tone from black to white occurs."""
    return histogram(raster.pixels, HISTOGRAM, 0.0, 1.0 + 1e-6)


def with_ground(raster: Raster) -> NDArray[np.uint8]:
    """A picture whose ground is dimmed but still seen, so that it can be marked."""
    assert raster.coverage is not None
    cover = raster.coverage if raster.channels == 1 else raster.coverage[..., None]
    values = np.clip(raster.pixels, 0, 1) * (GROUND_SHOWN + (1 - GROUND_SHOWN) * cover)
    return np.ascontiguousarray((values * 255 + 0.5).astype(np.uint8))


# What a mark over the plate says; bands of stripes lie between, so that the plate is still seen.
OVER, UNDER, BELOW = 1, 2, 3


def marks_of(raster: Raster) -> NDArray[np.uint8]:
    """Which pixels (H, W) are above white, below black, or below zero, in stripes; 0 elsewhere."""
    values = raster.flat()
    rows, columns = values.shape
    stripes = (np.add.outer(np.arange(rows, dtype=np.int32), np.arange(columns, dtype=np.int32)) // 3) % 2 == 0
    marks = np.zeros((rows, columns), np.uint8)
    marks[(values < ZERO_LEVEL[raster.zero] - 1e-4) & ~stripes] = BELOW
    marks[(values < 0.0) & stripes] = UNDER
    marks[(values > 1.0) & stripes] = OVER
    return marks
