"""Build: heights made from numbers. How they meet what is there is one choice for the whole group."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from ..numeric import meeting, resample, tone
from ..numeric.meeting import MEETS, Meets
from ..params import Params, choice, fraction, plate_reference
from ..pressing.marks import Overlap, Rows, press
from ..raster import ZERO_LEVEL, Facts, Pixels, Raster
from .kind import StepContext, toned_extent

# A preview is made up to so many times as fine.
_FINER = 4
# What is less built on than this holds no height that counts.
_BARE = 1e-4


class Built(Params):
    """What every step of the group has."""

    meets: Meets = choice("over", dict(MEETS), "Meets what is there", "How its heights and those below become one.")
    amount: float = fraction(1.0, 0.0, 1.0, "Amount", "How much of it takes effect.")
    where: str = plate_reference("Where", "Another plate: it takes effect where that is light, and follows it.")


def meet(raster: Raster, built: Pixels, params: Built, context: StepContext, cover: Pixels | None = None) -> Raster:
    """A plate with what was built on it.

    Parameters
    ----------
    raster : Raster
        What enters; its zero and coverage stay.
    built : float32 (H, W)
        Heights: 0 on the surface, 1 as high as the plate can raise, below 0 where it cuts.
    cover : float32 (H, W), optional
        Where there is something built, 0..1; beside it the plate stays as it is. Everywhere without it.
    """
    share = cover
    if params.where:
        other = context.followed(params.where)
        mask = np.clip(resample.resize(tone.luma(other.flat()), raster.height, raster.width), 0, 1)
        share = mask if share is None else share * mask
    return raster.but(
        pixels=meeting.meet(raster.pixels, built, share, params.amount, params.meets, ZERO_LEVEL[raster.zero])
    )


def finely(raster: Raster, context: StepContext, make: Callable[[int, int], Pixels]) -> Pixels:
    """What a function makes for a height and a width; a preview's is made finer and reduced, so that it agrees."""
    factor = finer(context)
    if factor < 2:
        return make(raster.height, raster.width)
    return resample.area(make(raster.height * factor, raster.width * factor), raster.height, raster.width)


def laid(raster: Raster, factor: int, make: Callable[[int, int], tuple[Pixels, Pixels]]) -> tuple[Pixels, Pixels]:
    """Heights where something is built, and how much of each pixel is; made ``factor`` times as fine and reduced.

    Parameters
    ----------
    make : (rows, columns) -> (heights times cover, cover)
    """
    heights, cover = make(raster.height * factor, raster.width * factor)
    if factor > 1:
        heights, cover = (resample.area(part, raster.height, raster.width) for part in (heights, cover))
    np.divide(heights, cover, out=heights, where=cover > _BARE)
    heights[cover <= _BARE] = 0
    return heights, cover


def pressed(
    raster: Raster, context: StepContext, tip: tuple[Pixels, Pixels | None], marks: Callable[[int, int], Rows],
    overlap: Overlap,
) -> tuple[Pixels, Pixels]:  # fmt: skip
    """Heights where marks were laid, and how much of each pixel they cover; as :func:`laid`.

    Parameters
    ----------
    tip : float32 (n, n), float32 (n, n) or None
        As :func:`..pressing.tip.standing` gives it.
    marks : (rows, columns) -> rows of marks in pixels of a raster of that size
    overlap : str
        How marks that overlap become one.
    """

    def make(rows: int, columns: int) -> tuple[Pixels, Pixels]:
        built, cover = np.zeros((rows, columns), np.float32), np.zeros((rows, columns), np.float32)
        press(*tip, marks(rows, columns), built, cover, overlap, context.check)
        return built, cover

    return laid(raster, finer(context), make)


def finer(context: StepContext) -> int:
    """How much finer a preview is made."""
    return int(min(_FINER, math.ceil(1 / context.scale)))


def built_extent(params: Params, facts: Facts) -> Facts:
    """Heights are the plate's own; what repeats is told by the step that makes it repeat."""
    return toned_extent(params, facts)
