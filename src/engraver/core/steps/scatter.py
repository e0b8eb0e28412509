"""Scatter: many copies of a form or of another plate, strewn, in rows or along strokes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import model_validator

from ..numeric import strew
from ..numeric.meeting import MEETS, Meets
from ..numeric.tone import luma, smoothstep
from ..params import Strokes, choice, fraction, integer, length, number, plate_reference, points, strokes
from ..pressing.marks import OVERLAPS, Overlap, Rows, along
from ..pressing.tip import standing
from ..raster import Pixels, Raster
from .build import Built, built_extent, meet, pressed
from .kind import StepContext, StepKind, reseeded
from .placed import placed

# The side of a form's picture, and most copies.
_SIDE = 256
MOST = 20_000
_FORMS = {"dot": "Dot", "spike": "Spike", "pit": "Pit"}
# What is drawn by chance for each copy, told apart so that one knob does not move another's.
_SIZE, _TURN, _FLIP, _HEIGHT, _THERE, _SIDEWAYS = range(10, 16)


class Scatter(Built):
    kind: Literal["dot", "spike", "pit", "plate"] = choice(
        "dot", {**_FORMS, "plate": "A plate"}, "Copies of", "What is strewn."
    )
    plate: str = plate_reference("Plate", "Its copies are strewn, and follow it.", when={"kind": "plate"})
    hardness: float = fraction(0.5, 0.0, 1.0, "Hardness", "How level a dot is, how sharp a spike or a pit.",
                               when={"kind": ("dot", "spike", "pit")})  # fmt: skip
    layout: Literal["random", "rows", "six-sided", "rings", "strokes"] = choice(
        "random", {"random": "At random", "rows": "In rows", "six-sided": "Six-sided grid", "rings": "Round rings",
                   "strokes": "Along strokes"}, "Laid", "How the copies lie.",
    )  # fmt: skip
    count: int = integer(200, 1, MOST, "Count", "How many are wanted; as many as fit are laid.", soft=(1, 2000),
                         when={"layout": ("random", "rows", "six-sided", "rings")})  # fmt: skip
    least: float = length(0.04, 0.0, 1.0, "Least distance", "No two middles lie nearer, over repeating borders too.",
                          soft=(0.0, 0.2), when={"layout": "random"})  # fmt: skip
    spacing: float = length(0.06, 0.002, 1.0, "Spacing", "From one copy to the next along a stroke.",
                            soft=(0.005, 0.3), when={"layout": "strokes"})  # fmt: skip
    aside: float = length(0.0, 0.0, 0.5, "Aside", "How far copies stray to either side of a stroke.", soft=(0.0, 0.2),
                          when={"layout": "strokes"})  # fmt: skip
    size: float = length(0.04, 0.001, 2.0, "Size from", "Width of the smallest copies.", soft=(0.005, 0.3))
    size_to: float = length(0.0, 0.0, 2.0, "Size to", "Width of the largest copies; 0 for all alike.",
                            soft=(0.0, 0.3))  # fmt: skip
    bias: float = fraction(0.0, -1.0, 1.0, "More small or large", "Below 0 most are small, above most are large.")
    turn: float = number(0.0, -180.0, 180.0, "Turn", "Of every copy, clockwise.", unit="°")
    turn_by: float = number(180.0, 0.0, 180.0, "Turned by chance", "So far to either side.", unit="°",
                            when={"kind": "plate"})  # fmt: skip
    flip: float = fraction(0.0, 0.0, 1.0, "Turned over", "The share of copies that are mirrored.",
                           when={"kind": "plate"})  # fmt: skip
    height: float = fraction(0.5, -1.0, 1.0, "Height from", "Of the lowest copies; below 0 they cut.")
    height_to: float = fraction(1.0, -1.0, 1.0, "Height to", "Of the highest copies.")
    overlap: Overlap = choice(
        "outer", dict(OVERLAPS), "Copies meet", "How heights of copies that overlap become one."
    )
    meets: Meets = choice("add", dict(MEETS), "Meets what is there", "How its heights and those below become one.")
    where: str = plate_reference("Where", "Another plate: copies lie where it is light, the more the lighter it is.")
    seed: int = integer(0, 0, 9999, "Seed", "Another number, another arrangement.")
    moved: tuple[tuple[float, ...], ...] = points(
        (), "Moved by hand", "Copies that were grabbed: number, x and y as shares; a number alone is taken out.",
        editor="copies",
    )  # fmt: skip
    strokes: Strokes = strokes("Strokes", "Ways along which copies lie.", when={"layout": "strokes"})

    @model_validator(mode="after")
    def _by_hand(self) -> Scatter:
        if len(self.moved) > MOST or any(len(m) not in (1, 3) or m[0] != int(m[0]) or m[0] < 0 for m in self.moved):
            raise ValueError("a moved copy is its number, x and y; one taken out its number alone")
        return self


def _r(side: int) -> Pixels:
    at = (np.arange(side, dtype=np.float32) + np.float32(0.5)) / np.float32(side / 2) - np.float32(1)
    far: Pixels = np.hypot(at[None], at[:, None])
    return far


def _dot(r: Pixels, hardness: float) -> Pixels:
    return smoothstep((1 - r) / np.float32(max(1 - hardness, 1e-3)))


def _spike(r: Pixels, hardness: float) -> Pixels:
    found: Pixels = np.maximum(1 - r, 0) ** np.float32(1 + 3 * hardness)
    return found


def _pit(r: Pixels, hardness: float) -> Pixels:
    """A bowl: a sphere's cap where it is soft, steep walls where it is hard."""
    found: Pixels = -(np.maximum(1 - r**2, 0) ** np.float32(1.5 - hardness))
    return found


_TIPS: Mapping[str, Callable[[Pixels, float], Pixels]] = MappingProxyType({"dot": _dot, "spike": _spike, "pit": _pit})


def _tip(params: Scatter, context: StepContext) -> tuple[Pixels, Pixels | None]:
    """Heights of a copy over its square, times how much of it is there, and that; None where all is."""
    if params.kind == "plate":
        return standing(context.followed(params.plate))
    r = _r(_SIDE)
    cover = np.clip((1 - r) * np.float32(_SIDE / 2) + np.float32(0.5), 0, 1)
    return _TIPS[params.kind](r, params.hardness) * cover, cover


def copies(
    params: Scatter, size: tuple[float, float], wrap: tuple[bool, bool], seed: int
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int64]]:
    """Where copies lie: places in shares of the plate's shorter side, the turn that their layout gives, in degrees,
    and the number of each. Those moved by hand lie where they were put, those taken out are missing.

    Parameters
    ----------
    size : (float, float)
        Width and height in shares of the shorter side.
    wrap : (bool, bool)
        Over which borders the plate goes on.
    """
    width, height = size
    turned = np.zeros(0)
    if params.layout == "random":
        found = strew.at_random(params.count, width, height, params.least, wrap, seed)
    elif params.layout == "rings":
        found, turned = strew.in_rings(params.count, width, height)
    else:
        found = strew.in_rows(params.count, width, height, params.layout == "six-sided")
    numbers = np.arange(len(found))
    turned = turned if len(turned) else np.zeros(len(found))
    for number_, *place in params.moved:
        n = int(number_)
        if n < len(found):
            found[n] = (place[0] * width, place[1] * height) if place else (np.nan, np.nan)
    kept = ~np.isnan(found[:, 0])
    return found[kept], turned[kept], numbers[kept]


def _along(
    params: Scatter, context: StepContext, seed: int
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int64]]:
    """Copies along the strokes, each looking the way it goes."""
    spots, turns, short = [np.zeros((0, 2))], [np.zeros(0)], float(min(context.size))
    for stroke in params.strokes:
        way = along(placed(stroke, context).points, params.spacing * short) / short
        step = np.gradient(way, axis=0) if len(way) > 1 else np.array([(1.0, 0.0)])
        spots.append(way)
        turns.append(np.degrees(np.arctan2(step[:, 1], step[:, 0])))
    found, turned = np.concatenate(spots)[:MOST], np.concatenate(turns)[:MOST]
    for number_, *place in params.moved:
        if not place and number_ < len(found):
            found[int(number_)] = np.nan
    aside = (2 * strew.draws(seed, len(found), _SIDEWAYS) - 1) * params.aside
    a = np.radians(turned)
    kept = ~np.isnan(found[:, 0])
    strayed = found + np.column_stack([-np.sin(a), np.cos(a)]) * aside[:, None]
    return strayed[kept], turned[kept], np.flatnonzero(kept)


def _between(low: float, high: float, share: NDArray[np.float64]) -> NDArray[np.float64]:
    return low + (high - low) * share


def marks_of(params: Scatter, rows: int, columns: int, context: StepContext) -> Rows:
    """Every copy as a mark on so many pixels, those that go on over a border again at the other side."""
    short = float(min(rows, columns))
    seed = reseeded(context.seed, params.seed)
    wrap = context.out.wrap
    if params.layout == "strokes":
        spots, turned, numbers = _along(params, context, seed)
    else:
        full = context.facts
        size = full.width / full.shorter, full.height / full.shorter
        spots, turned, numbers = copies(params, size, wrap, seed)
    drawn = {c: strew.draws(seed, int(numbers.max(initial=-1)) + 1, c)[numbers] for c in range(_SIZE, _SIDEWAYS)}
    if params.where and len(spots):
        mask = luma(context.followed(params.where).flat())
        x = np.clip(spots[:, 0] * short / columns * mask.shape[1], 0, mask.shape[1] - 1).astype(int)
        y = np.clip(spots[:, 1] * short / rows * mask.shape[0], 0, mask.shape[0] - 1).astype(int)
        kept = drawn[_THERE] < mask[y, x]
        spots, turned, drawn = spots[kept], turned[kept], {c: d[kept] for c, d in drawn.items()}
    radius = (
        _between(params.size, params.size_to or params.size, drawn[_SIZE] ** (2.0 ** (-3 * params.bias))) * short / 2
    )
    turn = params.turn + turned + (2 * drawn[_TURN] - 1) * (params.turn_by if params.kind == "plate" else 0)
    way = np.where(drawn[_FLIP] < params.flip, -1, 1) if params.kind == "plate" else 1
    a = np.radians(turn)
    found = np.column_stack([
        spots * short, radius * way, np.cos(a), np.sin(a), _between(params.height, params.height_to, drawn[_HEIGHT]),
    ])  # fmt: skip
    return _gone_on(found, (columns, rows), wrap)


def _gone_on(rows: Rows, size: tuple[int, int], wrap: tuple[bool, bool]) -> Rows:
    """Marks, and again those that reach over a border that wraps; each keeps its place in the order."""
    order = np.arange(len(rows), dtype=np.float64)
    reach = np.abs(rows[:, 2]) * (np.abs(rows[:, 3]) + np.abs(rows[:, 4])) + 1
    for axis, whole in enumerate(size):
        if not wrap[axis]:
            continue
        parts, places = [rows], [order]
        for by, out in ((whole, rows[:, axis] - reach < 0), (-whole, rows[:, axis] + reach > whole)):
            again = rows[out].copy()
            again[:, axis] += by
            parts.append(again)
            places.append(order[out])
        rows, order = np.concatenate(parts), np.concatenate(places)
        reach = np.abs(rows[:, 2]) * (np.abs(rows[:, 3]) + np.abs(rows[:, 4])) + 1
    return rows[np.argsort(order, kind="stable")]


def _scatter(raster: Raster, params: Scatter, context: StepContext) -> Raster:
    if params.kind == "plate" and not params.plate:
        return raster
    heights, cover = pressed(
        raster, context, _tip(params, context), lambda rows, columns: marks_of(params, rows, columns, context),
        params.overlap,
    )  # fmt: skip
    free = params.model_copy(update={"where": ""})  # it told where copies lie, not where they take effect
    return meet(raster, heights, free, context, cover)


SCATTER = StepKind(
    id="scatter", name="Scatter", group="build",
    help="Many copies of a form or a plate: strewn, in rows, along strokes.",
    params=Scatter, apply=_scatter, extent=built_extent, agreement="scales", editor="scatter",
    made_for="tiling-height", goes_on=True,
    words=("copies", "dots", "pores", "strew", "instances"),
)  # fmt: skip
