"""Heal: strokes that cover blemishes with pieces from elsewhere."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..numeric import blur, harmonic, patch, tone
from ..params import Params, Strokes
from ..params import strokes as stroke_field
from ..raster import Facts, Pixels, Raster
from .kind import StepContext, StepKind, renamed
from .placed import Placed, painted, tagged

_COVERS = 0.5


class Heal(Params):
    strokes: Strokes = stroke_field(
        "Strokes", "What is healed: each stroke takes a piece found nearby, or a chosen one."
    )


def _masks(raster: Raster, params: Heal, context: StepContext) -> Iterator[tuple[Placed, Pixels]]:
    """Each stroke with what it paints here; what lies outside the picture is passed over."""
    for stroke in tagged(params.strokes, context, "auto", "from"):
        cover = painted([stroke], raster.height, raster.width)
        if (cover > _COVERS).any() and not (cover > _COVERS).all():
            yield stroke, cover


def _measure(raster: Raster, params: Heal, context: StepContext) -> dict[str, float]:
    """The piece each automatic stroke takes, in shares of the raster's width and height."""
    found: dict[str, float] = {}
    masks = [(stroke, cover > _COVERS) for stroke, cover in _masks(raster, params, context)]
    blocked: NDArray[np.bool_] = np.zeros((raster.height, raster.width), bool)
    for _, mask in masks:
        blocked |= mask
    if raster.coverage is not None:
        blocked |= raster.coverage < 0.5
    grey = tone.luma(raster.pixels)
    for stroke, mask in masks:
        if stroke.shift is None:
            context.check()
            shift = patch.best_shift(grey, mask, blocked, raster.wrap)
            if shift is not None:
                found[f"{stroke.digest} x"] = shift[0] / raster.width
                found[f"{stroke.digest} y"] = shift[1] / raster.height
    return found


def _heal(raster: Raster, params: Heal, context: StepContext) -> Raster:
    pixels = blur.spread(raster.pixels, raster.coverage)
    for stroke, cover in _masks(raster, params, context):
        context.check()
        mask = cover > _COVERS
        shift = stroke.shift
        if shift is None and f"{stroke.digest} x" in context.autos:
            share = context.autos[f"{stroke.digest} x"], context.autos[f"{stroke.digest} y"]
            shift = share[0] * raster.width, share[1] * raster.height
        if shift is None:  # no piece fits anywhere: the smoothest surface is better than the blemish
            healed = harmonic.fill(pixels, mask, raster.wrap)
        else:
            if context.scale >= 1:  # whole pixels at full size: an exact copy
                shift = float(round(shift[0])), float(round(shift[1]))
            healed = patch.cloned(pixels, mask, shift, raster.wrap)
        pixels = healed
    return raster.but(pixels=pixels)


def _extent(params: Heal, facts: Facts) -> Facts:
    return facts.but(lattice=None) if params.strokes else facts


def _tells(params: Heal, autos: Mapping[str, float]) -> str:
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
)  # fmt: skip
