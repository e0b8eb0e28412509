"""How heights that are built meet those that are there: one choice for all that builds."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Literal

import numpy as np

from ..raster import Pixels
from . import meeting_kernels
from .split_rows import split_rows

Meets = Literal["add", "take", "higher", "lower", "over", "multiply"]
# In the order in which the compiled loops count them.
MEETS: Mapping[str, str] = MappingProxyType({
    "add": "Add", "take": "Take off", "higher": "Higher wins", "lower": "Lower wins", "over": "Put over",
    "multiply": "Multiply",
})  # fmt: skip
_WAYS = {name: np.int64(n) for n, name in enumerate(MEETS)}
_NONE = np.zeros((0, 0), np.float32)


def lay(below: Pixels, built_on: Pixels, cover: Pixels, height: Pixels | float, meets: Meets) -> None:
    """Lay something on heights, in place.

    Parameters
    ----------
    below, built_on : float32 (H, W)
        Heights, and how much of each pixel is built on, 0..1; both are changed.
    cover : float32 (H, W)
        How much of each pixel what is laid covers, 0..1.
    height : float32 (H, W) or float
        How high it is.
    """
    flat = isinstance(height, float)
    meeting_kernels.lay(
        below, built_on, cover, _NONE if flat else height, np.float32(height if flat else 0), _WAYS[meets]
    )


def meet(pixels: Pixels, built: Pixels, share: Pixels | None, amount: float, meets: Meets, zero: float) -> Pixels:
    """Tones of a plate after heights met those that are there.

    Parameters
    ----------
    pixels, built : float32 (H, W)
        Tones of the plate; heights over its zero, 1 as high as it can raise.
    share : float32 (H, W) or None
        How far it takes effect at every pixel, 0..1; everywhere alike for None.
    amount : float
        Multiplies the share.
    """
    out = np.empty(pixels.shape, np.float32)
    some = _NONE if share is None else share
    split_rows(
        lambda a, b: meeting_kernels.meet(
            pixels, built, some, np.float32(amount), _WAYS[meets], np.float32(zero), a, b, out
        ),
        pixels.shape[0],
    )
    return out
