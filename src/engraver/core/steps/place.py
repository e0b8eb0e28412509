"""Place: another plate put on this one, and following it."""

from __future__ import annotations

import numpy as np

from ..numeric.meeting import MEETS, Meets
from ..numeric.tone import luma
from ..params import choice, flag, fraction, length, number, plate_reference, position
from ..pressing.marks import Mark, press, rows_of
from ..pressing.tip import heights, squared
from ..raster import Pixels, Raster
from .build import Built, built_extent, finer, laid, meet
from .kind import StepContext, StepKind


class Place(Built):
    plate: str = plate_reference("Plate", "It is put on this one, and followed as it changes.")
    x: float = position("x", 0.5, "Middle x", "Where its middle lies, from the left border.", lo=-2.0, hi=3.0,
                        soft=(0.0, 1.0))  # fmt: skip
    y: float = position("y", 0.5, "Middle y", "Where its middle lies, from the top border.", lo=-2.0, hi=3.0,
                        soft=(0.0, 1.0))  # fmt: skip
    width: float = length(0.5, 0.005, 10.0, "Size", "Of its longer side.", soft=(0.02, 1.5))
    turn: float = number(0.0, -360.0, 360.0, "Turn", "Clockwise.", unit="°")
    flip: bool = flag(False, "Turned over", "Mirrored, left for right.")
    height: float = fraction(1.0, -1.0, 1.0, "Height", "How high its white stands; below 0 it cuts.")
    meets: Meets = choice("add", dict(MEETS), "Meets what is there", "How its heights and those below become one.")


def standing(raster: Raster) -> tuple[Pixels, Pixels]:
    """A finished plate in a square: its heights over its zero times its coverage, and its coverage."""
    cover = np.ones((raster.height, raster.width), np.float32) if raster.coverage is None else raster.coverage
    return squared(heights(luma(raster.flat()), raster.zero)), squared(cover)


def _place(raster: Raster, params: Place, context: StepContext) -> Raster:
    if not params.plate:
        return raster
    tip, there = standing(context.followed(params.plate))
    over = [(-1, 0, 1) if wraps else (0,) for wraps in context.out.wrap]

    def make(rows: int, columns: int) -> tuple[Pixels, Pixels]:
        built, cover = np.zeros((rows, columns), np.float32), np.zeros((rows, columns), np.float32)
        radius = params.width * min(rows, columns) / 2
        marks = [
            Mark((params.x + i) * columns, (params.y + j) * rows, radius, params.turn, params.flip, params.height)
            for i in over[0] for j in over[1]
        ]  # fmt: skip
        press(tip, there, rows_of(marks), built, cover, "over", context.check)
        return built, cover

    heights_, cover = laid(raster, finer(context), make)
    return meet(raster, heights_, params, context, cover)


PLACE = StepKind(
    id="place", name="Place", group="build", help="Another plate put on this one, which it follows.",
    params=Place, apply=_place, extent=built_extent, agreement="scales", editor="place",
)  # fmt: skip
