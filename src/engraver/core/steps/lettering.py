"""Lettering: words in a font as a shape like any other."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..numeric.contours import Contours
from ..numeric.meeting import MEETS, Meets
from ..params import choice, flag, fraction, length, number, position
from ..params.kinds.words import words
from ..raster import Pixels, Raster, Wrap
from ..shapes import lettering
from ..shapes.canvas import Canvas
from ..shapes.font import FontFile, font_field
from ..shapes.layout import turned
from ..shapes.lettering import Align, Text
from ..shapes.model import Shape
from ..shapes.outline_data import data_of
from ..shapes.standing import Standing, even
from .build import Built, built_extent, finer, laid, meet
from .kind import StepContext, StepKind

# Of the shorter side, free on each side of words that fit: room for what softens or bevels them.
_MARGIN = 1 / 32


class Lettering(Built, Standing):
    text: str = words("QUAY", "Words", "What is written; another line where a line ends.")
    font: FontFile | None = font_field("Font", "A TTF or OTF file, kept in the project; or the one that ships.")
    size: float = length(0.2, 0.002, 5.0, "Size", "Of an em: about from the top of a capital to below a descender.",
                         soft=(0.01, 0.6))  # fmt: skip
    fits: bool = flag(True, "Fits", "Made smaller where the words would be larger than the plate.")
    weight: float = number(400.0, 1.0, 1000.0, "Weight", "Of a font that varies.", step=10, soft=(100.0, 900.0))
    spacing: float = fraction(0.0, -0.5, 3.0, "Spacing", "Added between letters, in parts of an em.",
                              soft=(-0.1, 0.5))  # fmt: skip
    leading: float = fraction(1.2, 0.2, 5.0, "Line distance", "From one line to the next, in ems.", soft=(0.8, 2.0))
    align: Align = choice("middle", {"left": "Left", "middle": "Middle", "right": "Right"}, "Lines",
                          "Where lines that are shorter lie.")  # fmt: skip
    bend: float = number(0.0, -359.0, 359.0, "Arc", "How far round the widest line goes; below 0 it hangs.", unit="°")
    x: float = position("x", 0.5, "Middle x", "Where its middle lies, from the left border.", lo=-2.0, hi=3.0,
                        soft=(0.0, 1.0))  # fmt: skip
    y: float = position("y", 0.5, "Middle y", "Where its middle lies, from the top border.", lo=-2.0, hi=3.0,
                        soft=(0.0, 1.0))  # fmt: skip
    turn: float = number(0.0, -360.0, 360.0, "Turn", "Clockwise.", unit="°")
    meets: Meets = choice("add", dict(MEETS), "Meets what is there", "How its heights and those below become one.")


def text_of(params: Lettering) -> Text:
    """What is set, without where it lies."""
    return Text(
        params.text, params.font, params.weight, params.spacing, params.leading, params.align, params.bend
    )  # fmt: skip


def drawn_size(params: Lettering, rows: int, columns: int, wrap: Wrap) -> float:
    """The size that is drawn, in parts of the shorter side: words that fit leave a margin on each side.

    Where they lie does not count: what is moved keeps its size. Along an axis that repeats there is room for all.
    Raises BadValue where the font lacks a letter.
    """
    drawn = lettering.outlines(text_of(params))
    if not params.fits or not drawn:
        return params.size
    points = np.concatenate(turned(drawn, (0.0, 0.0, params.turn)))
    room = (np.array((columns, rows)) - 2 * _MARGIN * min(rows, columns)) / min(rows, columns)
    limits = np.where(wrap, np.inf, room / np.maximum(2 * np.abs(points).max(axis=0), 1e-9))
    return min(params.size, float(limits.min()))


def placed_outlines(params: Lettering, rows: int, columns: int, wrap: Wrap) -> Contours:
    """The outlines in pixels of a plate. Raises BadValue where the font lacks a letter."""
    size = drawn_size(params, rows, columns, wrap) * min(rows, columns)
    return turned(
        tuple(points * size for points in lettering.outlines(text_of(params))),
        (params.x * columns, params.y * rows, params.turn),
    )


def as_shape(params: Lettering, rows: int, columns: int, wrap: Wrap) -> Shape:
    """The words on a plate as an outline that needs no font any more, where they lie and as they stand.

    Raises BadValue where there is no letter to see.
    """
    size = drawn_size(params, rows, columns, wrap)
    parts = [[point[None] for point in points] for points in lettering.outlines(text_of(params))]
    data, width, height, _ = data_of(parts)
    stands = {name: getattr(params, name) for name in Standing.model_fields}
    return Shape.model_validate({
        **stands, "kind": "outline", "outline": data, "x": params.x, "y": params.y, "turn": params.turn,
        "width": width * size, "height": height * size,
    })  # fmt: skip


def _lettering(raster: Raster, params: Lettering, context: StepContext) -> Raster:
    lettering.outlines(text_of(params))  # what is wrong with the font is told before anything is drawn

    def make(rows: int, columns: int) -> tuple[Pixels, Pixels]:
        canvas = Canvas(rows, columns, raster.wrap)
        outline = placed_outlines(params, rows, columns, raster.wrap)
        if outline:
            canvas.lay(outline, params, "over")
        return canvas.laid, canvas.cover

    heights, cover = laid(raster, 1 if even(params) else finer(context), make)
    return meet(raster, heights, params, context, cover)


def _migrate(version: int, values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 drew words as large as was said, wherever they ended."""
    return {"fits": False, **values}


LETTERING = StepKind(
    id="lettering", name="Lettering", group="build", help="Words in a font, raised or cut, straight or along an arc.",
    params=Lettering, apply=_lettering, extent=built_extent, agreement="scales", editor="lettering",
    version=2, migrate=_migrate, made_for="brush-form",
    words=("text", "letters", "font", "words", "type"),
)  # fmt: skip
