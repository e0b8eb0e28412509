"""The colours of plaster."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from ..raster import Pixels

# From its darkest hollow to its brightest flank, slightly warm; a neutral ground behind.
PLASTER_DARK = np.array([38, 36, 34], np.float32)
PLASTER_LIGHT = np.array([226, 222, 214], np.float32)


@lru_cache(maxsize=1)
def plaster_ramp() -> Pixels:
    """Colours of plaster by brightness 0..1 in 1,024 steps, a little contrast in the middle."""
    tone = np.clip(np.linspace(0, 1, 1024, dtype=np.float32) / np.float32(1.12), 0, 1)[:, None]
    tone = tone * tone * (3 - 2 * tone) * np.float32(0.35) + tone * np.float32(0.65)
    ramp: Pixels = PLASTER_DARK + tone * (PLASTER_LIGHT - PLASTER_DARK)
    return ramp
