"""A mesh's reading parameters, and the height picture they give."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar, Literal

import cv2
import numpy as np

from ..errors import BadMesh, Watch, unwatched
from ..numeric.ranks import median, percentile
from ..params import StepZero, choice, flag, fraction, integer, number
from ..raster import ZERO_LEVEL, Facts, Pixels, Raster, Zero
from . import pose, rolling
from .hole import Hole, hole_in
from .model import Faces, Points
from .pose import Matrix, Turn, View
from .raster import Finish, Frame, nearest, on_screen
from .shape import Shape

# Frame and automatic range are found on a picture of this side, the same for previews and full size.
FIND_SIDE = 640
SPIKES = (0.1, 99.9)
# Relief under this share of the mesh's size is none.
FLAT = 1e-6
# The frame's border is this share of its side.
RING = 0.02
Depth = Literal["auto", "exact", "set"]
Framing = Literal["whole", "inside", "set"]
ZeroAt = Literal["lowest", "border", "middle", "picked"]
_UNITS = {"mm": "millimetres", "cm": "centimetres", "m": "metres", "in": "inches", "none": "not said"}
_FAR = 1e9


class Capture(StepZero):
    """Reading parameters of a mesh, step zero of its plate: pose, frame, range, zero."""

    kind: ClassVar[str] = "mesh"
    version: ClassVar[int] = 2

    roll_out: bool = flag(False, "Roll out", "A vase, a column, a shell: unrolled round its axis, it wraps around.")
    view: View = choice(
        "top",
        {"top": "Top", "bottom": "Bottom", "front": "Front", "back": "Back", "left": "Left", "right": "Right",
         "flat": "Laid flat"},
        "View", "Top looks down the z axis, front along y. Laid flat turns the best-fitting plane to the eye.",
        when={"roll_out": False},
    )  # fmt: skip
    turn: float = number(0.0, -180.0, 180.0, "Turn", "About the view's upright; moves a rolled-out picture along.",
                         unit="°", step=0.5)  # fmt: skip
    tilt: float = number(
        0.0, -90.0, 90.0, "Tilt", "Towards the eye or away from it.", unit="°", step=0.5, when={"roll_out": False}
    )
    roll: float = number(
        0.0, -180.0, 180.0, "Roll", "About the eye, clockwise.", unit="°", step=0.5, when={"roll_out": False}
    )
    axis: Literal["found", "x", "y", "z"] = choice(
        "found", {"found": "Found", "x": "x", "y": "y", "z": "z"}, "Axis",
        "Found from the surface, or an axis of the file through the middle.", when={"roll_out": True},
    )  # fmt: skip
    form: rolling.Form = choice(
        "cylinder", {"cylinder": "A cylinder", "cone": "A cone", "turned": "Its turned form"}, "Heights stand on",
        "What is round: a cylinder, a cone for bodies that taper, or the body as it was turned, for what swells.",
        when={"roll_out": True},
    )  # fmt: skip
    band: float = fraction(
        0.5, 0.01, 4.0, "Band", "Height of the picture as a share of its width.", when={"roll_out": True}, step=0.005
    )
    along: float = fraction(
        0.0, -1.0, 1.0, "Along the axis", "Moves the band up or down, as a share of the body's length.",
        when={"roll_out": True}, step=0.005,
    )  # fmt: skip
    body: int = integer(0, 0, 9999, "Body", "Which of several bodies; 0 joins them all.", editor="body")
    frame: Framing = choice(
        "whole", {"whole": "Whole", "inside": "Inside", "set": "By hand"}, "Frame",
        "The whole object with a margin, the largest square without empty ground, or your own.",
        when={"roll_out": False},
    )  # fmt: skip
    margin: float = fraction(
        0.04, 0.0, 0.4, "Margin", "Free ground round the object, as a share of the side.",
        when={"roll_out": False, "frame": "whole"}, step=0.005,
    )  # fmt: skip
    frame_x: float = fraction(0.0, -1.0, 1.0, "Frame across", "Of the object's reach.", editor="capture")
    frame_y: float = fraction(0.0, -1.0, 1.0, "Frame up", "Of the object's reach.", editor="capture")
    frame_size: float = fraction(1.0, 0.001, 2.0, "Frame size", "Of the object's reach.", editor="capture")
    depth: Depth = choice(
        "auto", {"auto": "Without spikes", "exact": "Exact", "set": "By hand"}, "Depth range",
        "Between the 0.1 and 99.9 per cent heights in the frame, the very lowest and highest, or your own.",
    )  # fmt: skip
    lo: float = number(0.0, -_FAR, _FAR, "Lowest", "What lies deeper is cut flat.", when={"depth": "set"})
    hi: float = number(1.0, -_FAR, _FAR, "Highest", "What stands higher is cut flat.", when={"depth": "set"})
    zero_at: ZeroAt = choice(
        "lowest",
        {"lowest": "The lowest", "border": "The border", "middle": "The middle", "picked": "A picked point"},
        "Zero is", "The height that leaves a surface untouched: black for the lowest, else mid-grey.",
    )  # fmt: skip
    picked: float = number(0.0, -_FAR, _FAR, "Picked", "Height of the picked point.", when={"zero_at": "picked"})
    side: int = integer(2048, 16, 8192, "Side", "Pixels along the longer side of the plate.", unit="px")
    samples: Literal["1", "4", "16"] = choice(
        "4", {"1": "1", "4": "4", "16": "16"}, "Samples", "Heights taken in every pixel and averaged."
    )
    skip_back: bool = flag(False, "Skip back faces", "Only faces that point to the eye are seen.")
    crease: float = number(
        0.0, 0.0, 90.0, "Round facets", "Of a coarse mesh: edges that bend by less are rounded, sharper ones stay; 0 "
        "leaves every facet flat.", unit="°", step=5,
    )  # fmt: skip
    unit: Literal["mm", "cm", "m", "in", "none"] = choice(
        "none", _UNITS, "Lengths are in", "Most meshes do not say; this is told with every height."
    )

    @classmethod
    def lifted(cls, version: int, values: dict[str, Any]) -> dict[str, Any]:
        """Until version 2 there was only a cone, or none."""
        form = {"form": "cone"} if values.get("cone") is True else {}
        return {**form, **{name: value for name, value in values.items() if name != "cone"}}

    @property
    def zero(self) -> Zero:
        return "black" if self.zero_at == "lowest" else "mid"

    @property
    def size(self) -> tuple[int, int]:
        """Height and width of the plate in pixels."""
        if not self.roll_out:
            return self.side, self.side
        if self.band <= 1:
            return max(1, round(self.side * self.band)), self.side
        return self.side, max(1, round(self.side / self.band))

    def facts(self) -> Facts:
        """What the capture will be, without a mesh; its units are known when it has been measured."""
        height, width = self.size
        unit = "units" if self.unit == "none" else self.unit
        return Facts(width, height, coverage=True, wrap=(self.roll_out, False), zero=self.zero, unit=unit)


@dataclass(frozen=True, slots=True)
class Posed:
    """Points and the way to the eye's plane: x right, y up, z towards the eye, in units.

    ``base`` is the file's own height where z is 0.
    """

    points: Points
    faces: Faces
    matrix: Matrix
    base: float = 0.0
    rolled: rolling.Rolled | None = None


@dataclass(frozen=True, slots=True)
class AutoFrame:
    """What a capture's automatic parts come to.

    Attributes
    ----------
    frame : Frame
    lo, hi : float
        Depth range, in the file's units along the eye.
    zero : float
        Height that leaves a surface untouched.
    units : float
        Units per full range, black to white.
    hole : Hole or None
        What takes most of the depth range and little of the picture; its edge in the file's units.
    edge : float
        Mean length of the mesh's edges, in units: nothing finer is there. 0 for what is made exactly.

    A mesh whose relief is under a millionth of its size is flat: lowest and highest are one.
    """

    frame: Frame
    lo: float
    hi: float
    zero: float
    units: float
    hole: Hole | None = None
    edge: float = 0.0

    @property
    def flat(self) -> bool:
        return self.hi <= self.lo


def rotation(shape: Shape, params: Capture) -> Matrix:
    """The rotation from the mesh's axes to the eye's."""
    base = shape.flat if params.view == "flat" else pose.straight(params.view)
    return pose.turned(base, Turn(params.turn, params.tilt, params.roll))


def posed(shape: Shape, params: Capture, *, coarse: bool = False) -> Posed:
    """The chosen body, turned to the eye or rolled out; ``coarse`` takes its copy of few triangles, with facets."""
    plain = shape.body(params.body)
    body = plain if coarse else plain.rounded(params.crease)
    if params.roll_out:
        rolled = body.rolled(params.axis, params.form, params.turn, coarse=coarse)
        return Posed(rolled.points, rolled.faces, np.eye(3), 0.0, rolled)
    mesh, matrix = body.coarse if coarse else body.mesh, rotation(plain, params)
    return Posed(mesh.points, mesh.faces, matrix, float(matrix[2] @ mesh.origin))


def outline_frame(view: Posed, margin: float = 0.0) -> Frame:
    """The square round the outline of what is seen, with a margin as a share of its side."""
    from . import kernels

    found = np.empty(4)
    kernels.bounds(view.points, view.matrix, found)
    low, high = found[:2], found[2:]
    width = max(float((high - low).max()), 1e-12)
    return Frame(float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2, width / (1 - 2 * margin))


def _draw(
    view: Posed, frame: Frame, width: int, height: int, params: Capture, samples: int, check: Watch,
    finish: Finish | None = None,
) -> tuple[Pixels, Pixels]:  # fmt: skip
    to_pixels, shift = on_screen(frame, width, height)
    return nearest(
        view.points, view.faces, to_pixels @ view.matrix, shift, width, height,
        samples=samples, skip_back=params.skip_back, finish=finish, check=check,
    )  # fmt: skip


def _inside(view: Posed, params: Capture, check: Watch) -> Frame:
    """The largest square that is covered all over, by chessboard distance to what is not."""
    outer = outline_frame(view)
    _, cover = _draw(view, outer, FIND_SIDE, FIND_SIDE, params, 1, check)
    covered = np.pad((cover > 0).astype(np.uint8), 1)
    deep = cv2.distanceTransform(covered, cv2.DIST_C, 3)[1:-1, 1:-1]
    row, column = np.unravel_index(int(np.argmax(deep)), deep.shape)
    pixel = outer.width / FIND_SIDE
    side = 2 * (float(deep[row, column]) - 1) - 1
    if side < 2:
        raise BadMesh(
            "Nothing lies inside the outline", "no square of this view is covered all over", "Choose the whole frame"
        )
    x = outer.x + (float(column) + 0.5 - FIND_SIDE / 2) * pixel
    y = outer.y - (float(row) + 0.5 - FIND_SIDE / 2) * pixel
    return Frame(x, y, side * pixel)


def framed(view: Posed, shape: Shape, params: Capture, check: Watch = unwatched) -> Frame:
    """The frame of a capture. Raises BadMesh when there is no square inside."""
    if view.rolled is not None:
        middle = (view.rolled.low + view.rolled.high) / 2
        length = view.rolled.high - view.rolled.low
        return Frame(0.0, middle + params.along * length, view.rolled.width)
    if params.frame == "set":
        reach = shape.reach
        return Frame(params.frame_x * reach, params.frame_y * reach, params.frame_size * reach)
    return _inside(view, params, check) if params.frame == "inside" else outline_frame(view, params.margin)


def _ring(height: Pixels, cover: Pixels) -> float:
    """The middle height along the frame's border; the lowest where nothing lies there."""
    edge = max(1, round(RING * min(height.shape)))
    outer = cover > 0
    outer[edge:-edge, edge:-edge] = False
    return median(height[outer]) if outer.any() else float(height[cover > 0].min())


def measured(shape: Shape, params: Capture, check: Watch = unwatched, *, coarse: bool = False) -> AutoFrame:
    """Find frame, range and zero.

    Raises
    ------
    BadMesh
        Nothing lies in the frame.
    """
    view = posed(shape, params, coarse=coarse)
    edge = 0.0 if shape.exact else shape.edge
    frame = framed(view, shape, params, check)
    rows, columns = params.size
    ratio = 1.0 if params.depth == "exact" else min(1.0, FIND_SIDE / params.side)
    height, cover = _draw(view, frame, max(1, round(columns * ratio)), max(1, round(rows * ratio)), params, 1, check)
    there = height[cover > 0]
    if there.size == 0:
        raise BadMesh("Nothing lies in the frame", "it is beside the mesh", "Move it, or choose the whole frame")
    if params.depth == "set":
        lo, hi = params.lo - view.base, params.hi - view.base
    elif params.depth == "exact":
        lo, hi = float(there.min()), float(there.max())
    else:
        lo, hi = (percentile(there, share) for share in SPIKES)
    if params.depth != "set" and hi - lo < FLAT * shape.reach:  # what lies below is rounding, not relief
        middle = (lo + hi) / 2 + view.base
        return AutoFrame(frame, middle, middle, middle, shape.reach, edge=edge)
    hi = max(hi, lo + 1e-9 * shape.reach)
    if params.zero_at == "lowest":
        zero, full = lo, hi - lo
    elif params.zero_at == "middle":
        zero, full = (lo + hi) / 2, hi - lo
    else:
        zero = params.picked - view.base if params.zero_at == "picked" else _ring(height, cover)
        full = 2 * max(hi - zero, zero - lo, 0.5e-9 * shape.reach)
    # Of a body from numbers every depth is meant: its rounded border is no hole.
    hole = hole_in(there, lo, hi) if params.depth != "set" and not shape.exact else None
    if hole is not None:
        hole = replace(hole, edge=hole.edge + view.base)
    return AutoFrame(frame, lo + view.base, hi + view.base, zero + view.base, full, hole, edge)


def capture_heights(
    shape: Shape, params: Capture, found: AutoFrame, size: tuple[int, int], check: Watch = unwatched, *,
    coarse: bool = False,
) -> Raster:  # fmt: skip
    """The height picture.

    Parameters
    ----------
    shape : Shape
    params : Capture
    found : AutoFrame
        Of the same shape and parameters.
    size : (int, int)
        Height and width in pixels; smaller than the plate for a preview.
    coarse : bool
        From the copy of few triangles, for while the hand moves.

    Returns
    -------
    Raster
        Grey; coverage 0 where nothing was hit; zero and units by the capture.
    """
    from . import kernels

    view = posed(shape, params, coarse=coarse)
    rows, columns = size
    samples = int(params.samples)
    if columns < params.size[1]:  # a preview averages what the full size would show one by one
        samples = max(samples, 4)
    level = ZERO_LEVEL[params.zero]
    settings = found.lo - view.base, found.hi - view.base, found.zero - view.base, 1 / found.units, level
    gaps: list[bool] = []

    def finish(heights: Pixels, covers: Pixels) -> None:
        kernels.tones(heights, covers, *settings)
        if not gaps and float(covers.min()) < 1:
            gaps.append(True)

    height, cover = _draw(view, found.frame, columns, rows, params, samples, check, finish)
    check()
    return Raster.of(
        height, cover if gaps else None, zero=params.zero, units=found.units, wrap=(params.roll_out, False)
    )


def best_band(shape: Shape, params: Capture) -> float:
    """The height of a rolled-out picture, as a share of its width, at which all of the body is in it."""
    rolled = shape.body(params.body).rounded(params.crease).rolled(params.axis, params.form, params.turn)
    return min(4.0, max(0.01, (rolled.high - rolled.low) / rolled.width))


def level(shape: Shape, params: Capture, check: Watch = unwatched) -> Turn:
    """The turn, tilt and roll without the tilt that is left in the frame.

    Raises BadMesh when too little is seen to level.
    """
    view = posed(shape, params)
    frame = framed(view, shape, params, check)
    height, cover = _draw(view, frame, 96, 96, params, 1, check)
    try:
        better = pose.levelled(view.matrix, height, cover, frame.width / 96)
    except ValueError as error:
        raise BadMesh("There is nothing to level", "too little of the mesh lies in the frame", "Move it") from error
    base = shape.body(params.body).flat if params.view == "flat" else pose.straight(params.view)
    return pose.turn_of(better, base)
