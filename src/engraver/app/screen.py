"""Rasters as the screen shows them, in 8 bits."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from engraver.core.raster import Raster

# How much of what is not covered is still seen while it is marked.
GROUND_SHOWN = 0.28


def to_screen(raster: Raster, raises: str = "white") -> NDArray[np.uint8]:
    """A raster's flat picture in 8 bits: (H, W) grey or (H, W, 3) RGB."""
    values = np.clip(raster.flat(), 0, 1)
    if raises == "black":
        values = np.float32(1) - values
    values *= np.float32(255)
    values += np.float32(0.5)
    return np.ascontiguousarray(values.astype(np.uint8))


def with_ground(raster: Raster) -> NDArray[np.uint8]:
    """A picture whose ground is dimmed but still seen, so that it can be marked."""
    assert raster.coverage is not None
    cover = raster.coverage if raster.channels == 1 else raster.coverage[..., None]
    values = np.clip(raster.pixels, 0, 1) * (GROUND_SHOWN + (1 - GROUND_SHOWN) * cover)
    return np.ascontiguousarray((values * 255 + 0.5).astype(np.uint8))
