"""Build: heights made from numbers. How they meet what is there is one choice for the whole group."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Literal

import numpy as np

from ..numeric import resample, tone
from ..params import Params, choice, fraction, plate_reference
from ..raster import ZERO_LEVEL, Facts, Pixels, Raster
from .kind import StepContext, toned_extent

MEETS = {
    "add": "Add", "take": "Take off", "higher": "Higher wins", "lower": "Lower wins", "over": "Put over",
    "multiply": "Multiply",
}  # fmt: skip


_MET: dict[str, Callable[[Pixels, Pixels], Pixels]] = {
    "add": np.add, "take": np.subtract, "higher": np.maximum, "lower": np.minimum,
    "over": lambda below, built: built, "multiply": np.multiply,
}  # fmt: skip


# A preview is made up to so many times as fine.
_FINER = 4


class Built(Params):
    """What every step of the group has."""

    meets: Literal["add", "take", "higher", "lower", "over", "multiply"] = choice(
        "over", MEETS, "Meets what is there", "How its heights and those below become one."
    )
    amount: float = fraction(1.0, 0.0, 1.0, "Amount", "How much of it takes effect.")
    where: str = plate_reference("Where", "Another plate: it takes effect where that is light, and follows it.")


def meet(raster: Raster, built: Pixels, params: Built, context: StepContext) -> Raster:
    """A plate with what was built on it.

    Parameters
    ----------
    raster : Raster
        What enters; its zero and coverage stay.
    built : float32 (H, W)
        Heights: 0 on the surface, 1 as high as the plate can raise, below 0 where it cuts.
    """
    zero = np.float32(ZERO_LEVEL[raster.zero])
    reach = np.float32(1) - zero
    below = (raster.pixels - zero) / reach
    made = _MET[params.meets](below, built)
    share: Pixels | np.float32 = np.float32(params.amount)
    if params.where:
        other = context.followed(params.where)
        mask = resample.resize(tone.luma(other.flat()), raster.height, raster.width)
        share = share * np.clip(mask, 0, 1)
    height = below + share * (made - below)
    return raster.but(pixels=(zero + reach * height).astype(np.float32, copy=False))


def finely(raster: Raster, context: StepContext, make: Callable[[int, int], Pixels]) -> Pixels:
    """What a function makes for a height and a width; a preview's is made finer and reduced, so that it agrees."""
    factor = int(min(_FINER, math.ceil(1 / context.scale)))
    if factor < 2:
        return make(raster.height, raster.width)
    return resample.area(make(raster.height * factor, raster.width * factor), raster.height, raster.width)


def built_extent(params: Params, facts: Facts) -> Facts:
    """Heights are the plate's own; what repeats is told by the step that makes it repeat."""
    return toned_extent(params, facts)
