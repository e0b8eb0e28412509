"""Plates as small plaster casts: slopes made once, light laid over them as often as it wanders.

A cast is a picture of its surface's normals, 8 bits each way, and of how hollow each place is. Light from anywhere
is then a table by the two numbers of the normal (a reflectance map: B. K. P. Horn, "Understanding image
intensities", Artificial Intelligence 8, 1977), so that a wall of casts is lit anew in a few milliseconds.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from ..numeric import resample
from ..numeric.slopes import of_height
from ..raster import Pixels
from . import light_kernels
from .plaster import plaster_ramp
from .strength import first_strength

# Beside the proof's own strength: a cast is small and is seen from straight on.
_STRONGER = 1.5
# How wide a hollow is, as a share of the side, how deep it is shaded, and how much height itself tells.
_HOLLOW, _DEEP, _TALL = 0.03, 0.7, 0.12
# Light that comes from everywhere, and light from the lamp.
_AROUND, _LAMP = 0.3, 0.62
# The light of level ground; above _SOFT it runs into white slowly, so that bright flanks keep their form.
_LEVEL, _SOFT = 0.7, 0.62
# How high the lamp stands, in degrees, at the middle of what it lights and at its rim.
HIGH, LOW = 62.0, 30.0


def cast(height: Pixels, side: int) -> NDArray[np.uint8]:
    """A plate's cast, uint8 (H, W, 3), its longer side at most ``side``: the normal to the right and downwards, each
    128 for level, and how light it is without a lamp, 128 for level ground.

    ``height`` is float32 (H, W), 0 on the surface, 1 for white, below 0 where it cuts.
    """
    small = np.clip(resample.at_most(height, side), -1, 1)
    wide = max(small.shape)
    strength = np.float32(_STRONGER * first_strength(height) * wide)
    across, down = of_height(small, (False, False))
    x, y = -across * strength, -down * strength
    long = np.sqrt(1 + x * x + y * y)
    around = small - cv2.GaussianBlur(small, (0, 0), max(0.8, _HOLLOW * wide), borderType=cv2.BORDER_REFLECT)
    light = 0.5 + np.clip(_DEEP * around, -0.35, 0.3) + _TALL * (np.abs(small) - 0.35) * 0.5
    made = np.dstack([x / long * 127 + 128, y / long * 127 + 128, light * 255])
    return np.ascontiguousarray(np.clip(np.round(made), 1, 255).astype(np.uint8))


def lamp_table(turn: float, height: float) -> NDArray[np.uint8]:
    """Light by normal, uint8 (65536,), at the place across + 256 * down of a cast's first two numbers.

    ``turn`` is where the lamp stands round the casts, in degrees, 0 to the right and 90 below; ``height`` how high.
    """
    n = (np.arange(256, dtype=np.float32) - 128) / 127
    x, y = n[None, :], n[:, None]
    z = np.sqrt(np.maximum(0, 1 - x * x - y * y))
    a, h = math.radians(turn), math.radians(height)
    towards = (math.cos(a) * math.cos(h), math.sin(a) * math.cos(h), math.sin(h))
    faces = np.maximum(0, x * towards[0] + y * towards[1] + z * towards[2])
    level = _AROUND + _LAMP * towards[2]
    # Level ground keeps one tone, wherever the lamp stands.
    light = (_AROUND + _LAMP * faces) * (_LEVEL / level)
    tones: NDArray[np.uint8] = np.clip(np.round(light.ravel() * 255), 0, 255).astype(np.uint8)
    return tones


def plaster_colours() -> NDArray[np.uint32]:
    """Plaster by light 0..2 in steps of 1/255, as 0xFFRRGGBB, uint32 (511,)."""
    ramp = plaster_ramp()
    light = np.arange(511) / 255
    over = np.maximum(0, light - _SOFT) / (1 - _SOFT)
    light = np.where(over > 0, _SOFT + (1 - _SOFT) * (1 - np.exp(-over)), light)
    rgb = np.round(ramp[np.round(light * (len(ramp) - 1)).astype(int)]).astype(np.uint32)
    found: NDArray[np.uint32] = np.uint32(0xFF000000) | rgb[:, 0] << 16 | rgb[:, 1] << 8 | rgb[:, 2]
    return found


def lit(
    cast: NDArray[np.uint8], table: NDArray[np.uint8], colours: NDArray[np.uint32], out: NDArray[np.uint32]
) -> None:
    """Light a cast (H, W, 3) by a :func:`lamp_table` into colours 0xFFRRGGBB, uint32 (H, W)."""
    light_kernels.lit(cast, table, colours, out)
