"""Edge: the border cleared to the last bit, and which grey is zero."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..params import Params, choice, flag, integer, length
from ..raster import Facts, Pixels, Raster
from .kind import StepContext, StepKind


class ClearBorder(Params):
    rings: int = integer(1, 1, 64, "Rings", "So many outermost rings of pixels are exactly zero.", unit="px")
    soft: float = length(
        0.01, 0.0, 0.25, "Soft", "How far in the plate comes back to its full height.", soft=(0.0, 0.1)
    )
    left: bool = flag(True, "Left", "Whether this side is cleared.")
    right: bool = flag(True, "Right", "Whether this side is cleared.")
    top: bool = flag(True, "Top", "Whether this side is cleared.")
    bottom: bool = flag(True, "Bottom", "Whether this side is cleared.")


def _clear(raster: Raster, params: ClearBorder, context: StepContext) -> Raster:
    rows = _rise(raster.height, context.facts.height, (params.top, params.bottom), params, context)
    columns = _rise(raster.width, context.facts.width, (params.left, params.right), params, context)
    cover = np.minimum(rows[:, None], columns[None])
    return raster.but(coverage=cover if raster.coverage is None else cover * raster.coverage)


def _rise(count: int, full: int, sides: tuple[bool, bool], params: ClearBorder, context: StepContext) -> Pixels:
    """0 on the rings, then a smooth rise, by full-size pixels from the sides; a preview takes their mean."""
    parts = max(1, -(-full // count))
    here = (np.arange(count * parts) + 0.5) * full / (count * parts) - 0.5
    far = float(full + params.rings)
    first, last = (here if sides[0] else far, full - 1 - here if sides[1] else far)
    away = np.broadcast_to(np.minimum(first, last) - (params.rings - 1), here.shape)
    wide = max(1.0, params.soft * min(context.facts.width, context.facts.height))
    t = np.clip(away / wide, 0, 1)
    risen: Pixels = (t * t * (3 - 2 * t)).reshape(count, parts).mean(axis=1).astype(np.float32)
    return risen


def _clear_extent(params: ClearBorder, facts: Facts) -> Facts:
    keeps = (not (params.left or params.right), not (params.top or params.bottom))
    return facts.but(coverage=True, lattice=None, wrap=(facts.wrap[0] and keeps[0], facts.wrap[1] and keeps[1]))


CLEAR_BORDER = StepKind(
    id="clear-border", name="Clear border", group="edge", help="Sets the outermost rings exactly to zero.",
    params=ClearBorder, apply=_clear, extent=_clear_extent, agreement="tone",
    words=("ring", "edge", "margin"),
)  # fmt: skip


class ZeroLevel(Params):
    zero: Literal["black", "mid"] = choice(
        "black", {"black": "Black", "mid": "Mid-grey"}, "Zero is",
        "Black: the plate only raises. Mid-grey: it raises and cuts.",
    )  # fmt: skip
    tones: Literal["convert", "keep"] = choice(
        "convert", {"convert": "Keep the heights", "keep": "Keep the tones"}, "Tones",
        "Keep the heights moves the tones (0 becomes 0.5); keep the tones only says what they mean.",
    )  # fmt: skip


def _zero(raster: Raster, params: ZeroLevel, context: StepContext) -> Raster:
    if params.zero == raster.zero or params.tones == "keep":
        return raster.but(zero=params.zero)
    if params.zero == "mid":
        return raster.but(pixels=np.float32(0.5) + raster.pixels * np.float32(0.5), zero="mid")
    return raster.but(pixels=(raster.pixels - np.float32(0.5)) * np.float32(2), zero="black")


def _zero_extent(params: ZeroLevel, facts: Facts) -> Facts:
    moved = params.zero != facts.zero and params.tones == "convert"
    units = facts.units
    if moved and units is not None:
        units = units * 2 if params.zero == "mid" else units / 2
    return facts.but(zero=params.zero, units=units, lattice=None if moved else facts.lattice)


ZERO = StepKind(
    id="zero", name="Zero", group="edge", help="Says which grey leaves the surface untouched.",
    params=ZeroLevel, apply=_zero, extent=_zero_extent, takes="any", gives="any", agreement="tone",
    words=("mid-grey", "black", "displacement"),
)  # fmt: skip
