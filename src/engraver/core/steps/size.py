"""Size: how many pixels the finished plate has."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..numeric import resample
from ..params import Params, integer
from ..raster import Facts, Raster
from .kind import NOTHING, Matrix, StepContext, StepKind


class Size(Params):
    side: int = integer(
        1024, 1, 16384, "Side", "Pixels along the longer side of the finished plate.", unit="px", soft=(64, 4096)
    )


def _target(params: Size, facts: Facts) -> tuple[int, int]:
    ratio = params.side / max(facts.width, facts.height)
    return max(1, round(facts.width * ratio)), max(1, round(facts.height * ratio))


def _extent(params: Size, facts: Facts) -> Facts:
    width, height = _target(params, facts)
    if (width, height) == (facts.width, facts.height):
        return facts
    spread = facts.source_per_pixel * facts.width / width
    return facts.but(width=width, height=height, source_per_pixel=spread, lattice=None)


def _matrix(params: Size, facts: Facts, autos: Mapping[str, float] = NOTHING) -> Matrix:
    width, height = _target(params, facts)
    return np.diag([width / facts.width, height / facts.height, 1.0])


def _size(raster: Raster, params: Size, context: StepContext) -> Raster:
    rows, columns = context.size
    pixels, cover = resample.with_coverage(raster.pixels, raster.coverage, rows, columns, raster.wrap)
    return raster.but(pixels=pixels, coverage=cover)


SIZE = StepKind(
    id="size", name="Size", group="size", help="Sets the side in pixels: averages down, sharp (Lanczos) up.",
    params=Size, apply=_size, extent=_extent, matrix=_matrix, takes="any", gives="any",
    agreement="scales", resamples=True,
)  # fmt: skip
