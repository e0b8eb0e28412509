"""Shapes: discs, boxes, stars, lines, drawn ways and outlines, each by numbers and by its handles."""

from __future__ import annotations

import math

from ..numeric import resample
from ..numeric.meeting import MEETS, Meets
from ..params import choice
from ..raster import Pixels, Raster
from ..shapes.canvas import Canvas
from ..shapes.layout import lay_shapes
from ..shapes.listing import shapes_field
from ..shapes.model import Shapes
from ..shapes.standing import even
from .build import Built, built_extent, meet
from .kind import StepContext, StepKind

# A preview's bevels are worked out up to so many times as fine.
_FINER = 4


class ShapeList(Built):
    items: Shapes = shapes_field("Shapes", "Laid one after the other; each meets those below as it says.")
    # Beside shapes a plate stays as it is, and a cut that is added cuts.
    meets: Meets = choice("add", dict(MEETS), "Meets what is there", "How its heights and those below become one.")


def _finer(params: ShapeList, scale: float) -> int:
    """How much finer a preview is made, so that steep bevels agree with full size; cut borders are exact."""
    if scale >= 1 or all(even(item) for item in params.items):
        return 1
    return int(min(_FINER, math.ceil(1 / scale)))


def _drawn(raster: Raster, params: ShapeList, context: StepContext) -> tuple[Pixels, Pixels]:
    factor = _finer(params, context.scale)
    canvas = Canvas(raster.height * factor, raster.width * factor, raster.wrap)
    lay_shapes(params.items, canvas, context.check)
    if factor == 1:
        return canvas.heights(), canvas.cover
    cover = resample.area(canvas.cover, raster.height, raster.width)
    # Heights count where there is something built.
    weighed = resample.area(canvas.heights() * canvas.cover, raster.height, raster.width)
    weighed /= cover.clip(1e-4)
    return weighed, cover


def _shapes(raster: Raster, params: ShapeList, context: StepContext) -> Raster:
    if not params.items:
        return raster
    heights, cover = _drawn(raster, params, context)
    return meet(raster, heights, params, context, cover)


SHAPES = StepKind(
    id="shapes", name="Shapes", group="build",
    help="Discs, boxes, stars, lines and outlines, by numbers and handles.",
    params=ShapeList, apply=_shapes, extent=built_extent, agreement="scales", editor="shapes",
)  # fmt: skip
