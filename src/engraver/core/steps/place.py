"""Place: another plate put on this one, and following it."""

from __future__ import annotations

from ..numeric.meeting import MEETS, Meets
from ..params import choice, flag, fraction, length, number, plate_reference, position
from ..pressing.marks import Mark, Rows, rows_of
from ..pressing.tip import standing
from ..raster import Raster
from .build import Built, built_extent, meet, pressed
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


def _place(raster: Raster, params: Place, context: StepContext) -> Raster:
    if not params.plate:
        return raster
    across, down = ((-1, 0, 1) if wraps else (0,) for wraps in context.out.wrap)

    def marks(rows: int, columns: int) -> Rows:
        radius = params.width * min(rows, columns) / 2
        return rows_of(
            Mark((params.x + i) * columns, (params.y + j) * rows, radius, params.turn, params.flip, params.height)
            for i in across for j in down
        )  # fmt: skip

    heights, cover = pressed(raster, context, standing(context.followed(params.plate)), marks, "over")
    return meet(raster, heights, params, context, cover)


PLACE = StepKind(
    id="place", name="Place", group="build", help="Another plate put on this one, which it follows.",
    params=Place, apply=_place, extent=built_extent, agreement="scales", editor="place",
    words=("import", "stamp", "another plate", "layer", "overlay"),
)  # fmt: skip
