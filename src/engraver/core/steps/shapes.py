"""Shapes: discs, boxes, stars, lines, drawn ways and outlines, each by numbers and by its handles."""

from __future__ import annotations

from ..numeric.meeting import MEETS, Meets
from ..params import choice
from ..raster import Pixels, Raster
from ..shapes.canvas import Canvas
from ..shapes.layout import lay_shapes
from ..shapes.listing import shapes_field
from ..shapes.model import Shapes
from ..shapes.standing import even
from .build import Built, built_extent, finer, laid, meet
from .kind import StepContext, StepKind


class ShapeList(Built):
    items: Shapes = shapes_field("Shapes", "Laid one after the other; each meets those below as it says.")
    # Beside shapes a plate stays as it is, and a cut that is added cuts.
    meets: Meets = choice("add", dict(MEETS), "Meets what is there", "How its heights and those below become one.")


def _drawn(raster: Raster, params: ShapeList, context: StepContext) -> tuple[Pixels, Pixels]:
    """Cut borders are exact at every size; bevels are worked out finer."""

    def make(rows: int, columns: int) -> tuple[Pixels, Pixels]:
        canvas = Canvas(rows, columns, raster.wrap)
        lay_shapes(params.items, canvas, context.check)
        return canvas.laid, canvas.cover

    return laid(raster, 1 if all(even(item) for item in params.items) else finer(context), make)


def _shapes(raster: Raster, params: ShapeList, context: StepContext) -> Raster:
    if not params.items:
        return raster
    heights, cover = _drawn(raster, params, context)
    return meet(raster, heights, params, context, cover)


SHAPES = StepKind(
    id="shapes", name="Shapes", group="build",
    help="Discs, boxes, stars, lines and outlines, by numbers and handles.",
    params=ShapeList, apply=_shapes, extent=built_extent, agreement="scales", editor="shapes",
    made_for="brush-form",
    words=("disc", "circle", "square", "star", "svg", "line", "polygon", "box"),
)  # fmt: skip
