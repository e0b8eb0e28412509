"""Heal: strokes that cover blemishes with pieces from elsewhere."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..numeric import bending, blur, harmonic, patch, tone
from ..numeric.bending import Way
from ..params import Params, Strokes
from ..params import strokes as stroke_field
from ..raster import Facts, Raster
from .kind import StepContext, StepKind, renamed
from .placed import Placed, painted, tagged

_COVERS = 0.5
# Longer than so many times its radius, a stroke takes several pieces.
_LONG, _MOST_PARTS = 4.0, 64
# A smooth surface is tried where the picture is so many times as wide as the blemish.
_PLAIN = 5


class Heal(Params):
    strokes: Strokes = stroke_field(
        "Strokes", "What is healed: each stroke takes a piece found nearby, or a chosen one."
    )


@dataclass(frozen=True, slots=True)
class Patch:
    """A part of a stroke that takes one piece: the name of its findings, its pixels, a chosen shift."""

    key: str
    mask: NDArray[np.bool_]
    shift: tuple[float, float] | None


def _patches(raster: Raster, params: Heal, context: StepContext) -> Iterator[Patch]:
    """What each stroke paints here, long ones in parts; what lies outside the picture is passed over."""
    for stroke in tagged(params.strokes, context, "auto", "from"):
        mask = painted([stroke], raster.height, raster.width) > _COVERS
        if not mask.any() or mask.all():
            continue
        if stroke.shift is not None:
            yield Patch(stroke.digest, mask, stroke.shift)
            continue
        for n, part in enumerate(_along(stroke, mask)):
            yield Patch(stroke.digest if n == 0 else f"{stroke.digest}.{n}", part, None)


def _along(stroke: Placed, mask: NDArray[np.bool_]) -> list[NDArray[np.bool_]]:
    """What is painted, in parts along the stroke: each pixel goes to the nearest of some stops on its way."""
    legs = np.hypot(*np.diff(stroke.points, axis=0).T)
    way = np.concatenate([[0.0], np.cumsum(legs)])
    count = min(_MOST_PARTS, round(way[-1] / max(1.0, _LONG * stroke.radius)))
    if count < 2:
        return [mask]
    stops = (np.arange(count) + 0.5) / count * way[-1]
    middles = np.column_stack([np.interp(stops, way, stroke.points[:, axis]) for axis in (0, 1)])
    rows, columns = np.nonzero(mask)
    apart = np.hypot(columns[:, None] + 0.5 - middles[:, 0], rows[:, None] + 0.5 - middles[:, 1])
    nearest, parts = apart.argmin(axis=1), []
    for n in np.unique(nearest):
        part = np.zeros_like(mask)
        part[rows[nearest == n], columns[nearest == n]] = True
        parts.append(part)
    return parts


def _measure(raster: Raster, params: Heal, context: StepContext) -> dict[str, float]:
    """Of each part of a stroke: the piece it takes, in shares of width and height, if any fits.

    And with what it is best filled where that is known, and how much of the
    grain around it the part will have.
    """
    found: dict[str, float] = {}
    patches = list(_patches(raster, params, context))
    blocked: NDArray[np.bool_] = np.zeros((raster.height, raster.width), bool)
    for part in patches:
        blocked |= part.mask
    if raster.coverage is not None:
        blocked |= raster.coverage < 0.5
    grey = tone.luma(raster.pixels)
    for part in patches:
        if part.shift is not None:
            continue
        context.check()
        shift = patch.best_shift(grey, part.mask, blocked, raster.wrap)
        if shift is not None:
            found[f"{part.key} x"] = shift[0] / raster.width
            found[f"{part.key} y"] = shift[1] / raster.height
            if context.scale >= 1 and _PLAIN * patch.size(part.mask) < min(grey.shape):
                found[f"{part.key} way"] = float(bending.nearest(grey, part.mask, blocked, shift))
        if context.scale >= 1:  # a draft is not judged
            found[f"{part.key} grain"] = patch.grain_kept(grey, part.mask, blocked, shift)
    return found


def _heal(raster: Raster, params: Heal, context: StepContext) -> Raster:
    pixels = blur.spread(raster.pixels, raster.coverage)
    patches = list(_patches(raster, params, context))
    rest: NDArray[np.bool_] = np.zeros((raster.height, raster.width), bool)
    for part in patches:
        rest |= part.mask
    if len(patches) > 1:  # no part is joined to a blemish that is still to be healed
        pixels = harmonic.fill(pixels, rest, raster.wrap)
    for part in patches:
        context.check()
        shift, autos = part.shift, context.autos
        if shift is None and f"{part.key} x" in autos:
            shift = autos[f"{part.key} x"] * raster.width, autos[f"{part.key} y"] * raster.height
        if shift is None:  # no piece fits anywhere: the smoothest surface is better than the blemish
            pixels = harmonic.fill(pixels, part.mask, raster.wrap)
            continue
        if context.scale >= 1:  # whole pixels at full size: an exact copy
            shift = float(round(shift[0])), float(round(shift[1]))
        way = Way(int(autos.get(f"{part.key} way", Way.PIECE)))
        if way == Way.PIECE:
            pixels = patch.cloned(pixels, part.mask, shift, raster.wrap)
        else:
            pixels = bending.with_grain(pixels, part.mask, shift, way, raster.wrap)
    return raster.but(pixels=pixels)


def _extent(params: Heal, facts: Facts) -> Facts:
    return facts.but(lattice=None) if params.strokes else facts


def _tells(params: Heal, autos: Mapping[str, float]) -> str:
    thin = {key.split(".")[0].split()[0] for key, value in autos.items() if key.endswith(" grain") and value < 0.5}
    if thin:
        what = "One stroke has" if len(thin) == 1 else f"{len(thin)} strokes have"
        return f"{what} less than half the grain around: no piece fits nearby. Pick one with the right button."
    if not params.strokes:
        return "Paint over a blemish: a fitting piece is found nearby. The right button picks a piece yourself."
    return "Strokes stay on their blemish when the crop moves. Y turns the arrow round."


def _migrate(version: int, values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 called its strokes marks."""
    return renamed(values, "marks", "strokes") if version < 2 else values


HEAL = StepKind(
    id="heal", name="Heal", group="clean", help="Paints blemishes over with fitting pieces, their tones matched.",
    params=Heal, apply=_heal, extent=_extent, takes="any", gives="any", agreement="grain",
    measure=_measure, measures=lambda p: any(s.shift is None for s in p.strokes), tells=_tells,
    version=2, migrate=_migrate, only_here=True, editor="heal",
    words=("clone", "repair", "patch", "blemish"),
)  # fmt: skip
