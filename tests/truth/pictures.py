"""Open pictures that ship inside packages: what each shows, and its tones."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
import skimage.color
import skimage.data
from numpy.typing import NDArray

# Photographs and scans of scikit-image, in its wheel: see its data/README.txt for who made them.
ALL_OVER = ("brick", "grass", "gravel")
PHOTOS = (
    "astronaut",
    "brick",
    "camera",
    "cat",
    "cell",
    "clock",
    "coffee",
    "coins",
    "grass",
    "gravel",
    "hubble_deep_field",
    "immunohistochemistry",
    "microaneurysms",
    "moon",
    "page",
    "retina",
    "rocket",
    "text",
)


@lru_cache(maxsize=24)
def colour(name: str) -> NDArray[np.uint8]:
    """As it is stored: (H, W) or (H, W, 3)."""
    found = np.asarray(getattr(skimage.data, name)())
    found.flags.writeable = False
    return found


@lru_cache(maxsize=24)
def grey(name: str) -> NDArray[np.float32]:
    """Its tones 0..1."""
    stored = colour(name)
    tones = (skimage.color.rgb2gray(stored) if stored.ndim == 3 else stored / 255).astype(np.float32)
    tones.flags.writeable = False
    return tones


def square(name: str, side: int) -> NDArray[np.float32]:
    """Its middle square, tones 0..1, at (side, side)."""
    tones = grey(name)
    least = min(tones.shape)
    top, left = (n - least >> 1 for n in tones.shape)
    part = np.ascontiguousarray(tones[top : top + least, left : left + least])
    return cv2.resize(part, (side, side), interpolation=cv2.INTER_AREA if side < least else cv2.INTER_CUBIC)
