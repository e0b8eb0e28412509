"""A finished plate as a normal map, for programs that take slopes in place of heights."""

from __future__ import annotations

import numpy as np

from ..files.write import encode_picture
from ..numeric import slopes
from ..pressing.tip import heights
from ..raster import Raster


def normal_map_file(raster: Raster, strength: float, *, green_up: bool = True) -> bytes:
    """A 16-bit colour PNG of tangent-space normals; slopes are true for the height that white is given.

    Parameters
    ----------
    raster : Raster
        The finished plate, grey.
    strength : float
        Height of white over zero as a share of the plate's longer side, as the proof's strength is.
    green_up : bool
        Whether green rises upwards in the picture, or downwards.

    Raises
    ------
    FileTrouble
        When the picture could not be made.
    """
    height = heights(raster.flat(), raster.zero) * np.float32(strength * max(raster.width, raster.height))
    colour = slopes.normal_map(height, raster.wrap, green_up=green_up)
    stored = (np.clip(colour, 0, 1) * 65535 + 0.5).astype(np.uint16)
    return encode_picture(stored)
