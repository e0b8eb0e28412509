"""Size: how many pixels the finished plate has."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

import cv2
import numpy as np

from ..numeric import blur, detail, filters, resample, sizing
from ..numeric.pad import pad
from ..params import Params, choice, fraction, integer
from ..raster import Facts, Pixels, Raster
from ..words import per_cent
from .kind import NOTHING, Matrix, StepContext, StepKind

Rule = Literal["any", "power-of-two", "power-of-two-plus-one"]
MOST = 16384
# The mask that gives back what averaging took: its reach in new pixels, and how far it goes beyond.
_REACH, _MOST_HELD = 0.7, 1.5


class Size(Params):
    side: int = integer(
        1024, 1, MOST, "Side", "Pixels along the longer side of the finished plate.", unit="px", soft=(64, 4096)
    )
    rule: Rule = choice(
        "any",
        {"any": "Any number", "power-of-two": "Power of two", "power-of-two-plus-one": "Power of two + 1"},
        "Rule", "The side goes to the nearest number of this kind; terrain grids have one more than a power of two.",
    )  # fmt: skip
    filter: Literal["auto", "area", "lanczos", "mitchell", "nearest"] = choice(
        "auto",
        {"auto": "As it suits", "area": "Area", "lanczos": "Lanczos", "mitchell": "Mitchell",
         "nearest": "Nearest"},
        "Filter", "How new pixels come from old: area averages, Lanczos is sharp, Mitchell soft, nearest takes one. "
        "As it suits is area to make smaller and Lanczos to make larger.",
    )  # fmt: skip
    hold: float = fraction(
        0.0, 0.0, 1.0, "Hold detail", "Gives back the fine contrast that making it smaller takes, as was measured."
    )


def ruled(side: int, rule: Rule) -> int:
    """The side nearest to this one that follows the rule."""
    if rule == "any":
        return side
    more = 1 if rule == "power-of-two-plus-one" else 0
    return min((int(2**n) + more for n in range(15) if 2**n + more <= MOST), key=lambda n: abs(n - side))


def _target(params: Size, facts: Facts) -> tuple[int, int]:
    ratio = ruled(params.side, params.rule) / max(facts.width, facts.height)
    return max(1, round(facts.width * ratio)), max(1, round(facts.height * ratio))


def _extent(params: Size, facts: Facts) -> Facts:
    width, height = _target(params, facts)
    if (width, height) == (facts.width, facts.height):
        return facts
    spread = facts.source_per_pixel * facts.width / width
    return facts.but(width=width, height=height, source_per_pixel=spread, lattice=None)


def _matrix(params: Size, facts: Facts, autos: Mapping[str, float] = NOTHING) -> Matrix:
    width, height = _target(params, facts)
    if not _grid(params, width, height, facts):
        return np.diag([width / facts.width, height / facts.height, 1.0])
    x, y = (width - 1) / (facts.width - 1), (height - 1) / (facts.height - 1)
    return np.array([[x, 0, 0.5 - 0.5 * x], [0, y, 0.5 - 0.5 * y], [0, 0, 1.0]])


def _grid(params: Size, width: int, height: int, facts: Facts) -> bool:
    """Whether its pixels are the posts of a terrain grid."""
    return params.rule == "power-of-two-plus-one" and min(width, height, facts.width, facts.height) > 1


def _size(raster: Raster, params: Size, context: StepContext) -> Raster:
    rows, columns = context.size
    if (raster.height, raster.width) == (rows, columns):
        return raster
    grid = _grid(params, context.out.width, context.out.height, context.facts)
    if grid and context.scale < 1:
        return _preview_of_posts(raster, context)
    sized = sizing.to_size(raster, rows, columns, params.filter, grid=grid)
    if params.hold > 0 and rows < raster.height:
        pixels = blur.spread(sized.pixels, sized.coverage)
        pixels = pixels + np.float32(params.hold * context.autos.get("held", 0.0)) * _lost(pixels, raster)
        still = sizing.still_sides(sized)
        for side in still if sized.coverage is None else ():
            pixels[side] = sized.pixels[side]
        return sized.but(pixels=pixels)
    return sized


def _beyond(count: int, full: int, new: int) -> float:
    """Half a new post's width less half an old one's, in pixels of a preview that is ``count`` wide."""
    return ((full - 1) / (new - 1) - 1) / 2 * count / full


def _preview_of_posts(raster: Raster, context: StepContext) -> Raster:
    """Posts lie half a new pixel beyond where cells would: a preview is cut from that much wider a picture."""
    rows, columns = context.size
    across = _beyond(raster.width, context.facts.width, context.out.width)
    down = _beyond(raster.height, context.facts.height, context.out.height)
    deep = max(1, math.ceil(max(across, down)))
    box = (deep - across, deep - down, deep + raster.width + across, deep + raster.height + down)

    def cut(plane: Pixels) -> Pixels:
        return resample.lanczos(pad(plane, deep, deep, (False, False)), rows, columns, box)

    pixels, cover = resample.through(raster.pixels, raster.coverage, cut)
    return raster.but(pixels=pixels, coverage=cover)


def _lost(pixels: Pixels, raster: Raster) -> Pixels:
    """The finest detail that is left, by which what was lost is given back."""
    fine: Pixels = pixels - blur.gaussian(pixels, _REACH, raster.wrap)
    return fine


def _holds(raster: Raster, params: Size, context: StepContext) -> dict[str, float]:
    """What the plate truly holds; and how strong an unsharp mask brings back the contrast that averaging took.

    The contrast of fine detail is compared with that of a picture without an average: of single pixels.
    """
    there = blur.spread(raster.pixels, raster.coverage)
    grey = there if raster.channels == 1 else there.mean(axis=2)
    found = detail.true_detail(np.ascontiguousarray(np.clip(grey, 0, 1)), middle=raster.coverage is not None)
    told = {"holds": found.share, "told": float(found.how != "cannot tell")}
    width, height = _target(params, raster.facts())
    if params.hold <= 0 or height >= raster.height or min(width, height) < 8:
        return told
    small = filters.by_filter(np.ascontiguousarray(grey), height, width, params.filter, raster.wrap)
    single = cv2.resize(np.ascontiguousarray(grey), (width, height), interpolation=cv2.INTER_NEAREST)
    kept, wanted = (float(_lost(p.astype(np.float32), raster).std()) for p in (small, single))
    return {**told, "held": min(_MOST_HELD, max(0.0, wanted / kept - 1)) if kept > 1e-6 else 0.0}


def _tells(params: Size, autos: Mapping[str, float]) -> str:
    if "holds" not in autos:
        return ""
    if not autos["told"]:
        return "What enters is soft or enlarged: how much detail it holds cannot be told."
    words = f"What enters holds detail up to {per_cent(autos['holds'])} of its side."
    return words + (" Larger adds nothing." if autos["holds"] < 0.75 else "")


SIZE = StepKind(
    id="size", name="Size", group="size", help="Sets the side in pixels; the plate is never stretched.",
    params=Size, apply=_size, extent=_extent, matrix=_matrix, takes="any", gives="any",
    agreement="scales", resamples=True, measure=_holds, measures=lambda p: p.hold > 0, tells=_tells,
    words=("resolution", "pixels", "scale", "resize", "power of two"),
)  # fmt: skip
