"""Photos of the props, as a phone would take them: uneven light, a cast, noise, a border to crop.

The truth behind each (heights, light, the part worth keeping) is returned with it for tests.
"""

from __future__ import annotations

import io
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from engraver.core.numeric import noise
from engraver.core.raster import Pixels

from . import props

QUALITY = 93


@dataclass(frozen=True, slots=True)
class Photo:
    """A made-up photo and its truth.

    ``heights`` are those of the kept part; ``light`` the gain over the whole photo;
    ``kept`` is (left, top, width, height) in pixels of the part without the border.
    """

    name: str
    rgb: NDArray[np.uint8]
    heights: Pixels
    light: Pixels
    kept: tuple[int, int, int, int]

    def file(self) -> bytes:
        out = io.BytesIO()
        Image.fromarray(self.rgb).save(out, "JPEG", quality=QUALITY, subsampling=0)
        return out.getvalue()


def daylight(height: int, width: int, corner: float, ramp: float) -> Pixels:
    """Gain that falls off to ``corner`` in the corners and by ``ramp`` from left to right."""
    y = (np.arange(height, dtype=np.float32)[:, None] - height / 2) / (height / 2)
    x = (np.arange(width, dtype=np.float32) - width / 2) / (width / 2)
    away = (x * x + y * y) / 2
    return ((1 - (1 - corner) * away) * (1 - ramp * (x * 0.8 + y * 0.3))).astype(np.float32)


def developed(tone: Pixels, tint: tuple[float, float, float], seed: int, sigma: float) -> NDArray[np.uint8]:
    """Tone (H, W) or colours (H, W, 3) to 8-bit RGB with a colour cast and camera noise."""
    rng = np.random.Generator(np.random.PCG64(seed))
    rgb = (tone[..., None] if tone.ndim == 2 else tone) * np.array(tint, np.float32)
    rgb += rng.standard_normal(rgb.shape, dtype=np.float32) * np.float32(sigma)
    return (np.clip(rgb, 0, 1) * 255 + 0.5).astype(np.uint8)


def barnacle_slab(side: int = 1700) -> Photo:
    """Pale barnacles on a dark slab, lying on a pale board: relief on dark ground."""
    heights = props.barnacles(side)
    left, top, right, bottom = round(side * 0.16), round(side * 0.05), round(side * 0.22), round(side * 0.06)
    height, width = side + top + bottom, side + left + right
    board = 0.58 + 0.1 * noise.lattice(height, width, 0.5, 5) + 0.05 * noise.lattice(height, width, 0.01, 6)
    tone = board.astype(np.float32)
    slope = np.gradient(heights, axis=1) * np.float32(side / 60)
    slab = 0.1 + 0.62 * heights - 0.05 * np.clip(slope, -1, 1)
    tone[top : top + side, left : left + side] = slab
    light = daylight(height, width, 0.52, 0.16)
    rgb = developed(tone * light, (1.06, 0.99, 0.88), 31, 0.012)
    return Photo("barnacle_slab.jpg", rgb, heights, light, (left, top, side, side))


def sand_ripples(height: int = 1600, width: int = 2200) -> Photo:
    """Ripples in mid-grey sand, lit from one side: an all-over surface."""
    heights = props.ripples(height, width)
    slope = np.gradient(heights, axis=0) * np.float32(height / 90)
    tone = (0.34 + 0.26 * heights - 0.07 * np.clip(slope, -1, 1)).astype(np.float32)
    light = daylight(height, width, 0.7, 0.3)
    rgb = developed(tone * light, (1.04, 1.0, 0.9), 37, 0.014)
    return Photo("sand_ripples.jpg", rgb, heights, light, (0, 0, width, height))
