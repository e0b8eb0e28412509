"""Grow: a larger tile out of a small even sample."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import numpy as np

from ..errors import BadValue
from ..numeric import blur, grow
from ..params import Params, choice, fraction, integer
from ..raster import Facts, Raster
from .kind import NOTHING, Matrix, StepContext, StepKind, reseeded

SMALLEST = 32


class Grow(Params):
    side: int = integer(
        1024, 64, 8192, "Side", "Pixels along each side of the tile that grows.", unit="px", soft=(256, 4096)
    )
    method: Literal["patches", "blend"] = choice(
        "patches", {"patches": "Fitting patches", "blend": "Blended patches"}, "Method",
        "Fitting patches keep shapes whole; blended ones suit fine even grain.",
    )  # fmt: skip
    patch: float = fraction(
        0.3, 0.12, 0.4, "Patch", "Size of the patches as a share of the sample: larger than what is to stay whole."
    )
    apart: float = fraction(
        0.25,
        0.0,
        0.5,
        "Spots apart",
        "The same spot is not seen again nearer than this share of the side, if it can.",
    )
    seed: int = integer(0, 0, 9999, "Seed", "Another number, another arrangement.")


def _grow(raster: Raster, params: Grow, context: StepContext) -> Raster:
    if min(context.facts.width, context.facts.height) < SMALLEST:
        words = f"{context.facts.width} × {context.facts.height} pixels"
        raise BadValue("The sample is too small to grow", words, f"It needs {SMALLEST} along each side")
    sample = np.ascontiguousarray(blur.spread(raster.pixels, raster.coverage))
    side = max(context.size)
    if min(sample.shape) < SMALLEST or side < SMALLEST:  # a thumbnail: its colour is enough
        return raster.but(pixels=np.full(context.size, sample.mean(), np.float32), coverage=None)
    make = grow.quilted if params.method == "patches" else grow.blended
    made = make(sample, side, params.patch, params.apart, reseeded(context.seed, params.seed), context.check)
    return raster.but(pixels=np.ascontiguousarray(made[: context.size[0], : context.size[1]]), coverage=None)


def _extent(params: Grow, facts: Facts) -> Facts:
    return facts.but(width=params.side, height=params.side, wrap=(True, True), coverage=False, lattice=None)


def _matrix(params: Grow, facts: Facts, autos: Mapping[str, float] = NOTHING) -> Matrix:
    """By shares: what is grown has no place in the sample of its own."""
    return np.diag([params.side / facts.width, params.side / facts.height, 1.0])


GROW = StepKind(
    id="grow", name="Grow", group="tile", help="Grows a larger tile that repeats out of a small even sample.",
    params=Grow, apply=_grow, extent=_extent, matrix=_matrix, agreement="grain",
    words=("texture synthesis", "tile", "quilting", "extend"),
)  # fmt: skip
