"""Frame, continued: straightening, becoming square, and going to the middle."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, Literal

import numpy as np
from pydantic import model_validator

from ..errors import BadPicture
from ..numeric import blur, framing, joints, proportions, resample, ruled, tone, warp
from ..params import CurvePoints, Params, choice, flag, length, number, points
from ..raster import ZERO_LEVEL, Facts, Pixels, Raster
from .kind import NOTHING, Finder, Matrix, StepContext, StepKind

# Proportions are so many times those that are seen at most, however corners lie.
_FARTHEST = 4.0
_WHOLE: CurvePoints = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))


def _grey(raster: Raster) -> Pixels:
    return tone.luma(blur.spread(raster.pixels, raster.coverage))


def _through(raster: Raster, matrix: Matrix, context: StepContext) -> Raster:
    """The raster through a map of full-size pixels, at this scale."""
    rows, columns = context.size
    before = np.diag([context.facts.width / raster.width, context.facts.height / raster.height, 1.0])
    after = np.diag([columns / context.out.width, rows / context.out.height, 1.0])
    pixels, cover = warp.mapped(raster.pixels, raster.coverage, after @ matrix @ before, rows, columns)
    return raster.but(pixels=pixels, coverage=cover)


def _moved(facts: Facts, **changes: Any) -> Facts:
    return facts.but(coverage=True, wrap=(False, False), lattice=None, **changes)


class Straighten(Params):
    how: Literal["corners", "level"] = choice(
        "corners", {"corners": "Four corners", "level": "Level"}, "Straighten",
        "Four corners become a rectangle; or a slightly skew sheet is turned level.",
    )  # fmt: skip
    corners: CurvePoints = points(
        _WHOLE, "Corners", "Top left, top right, bottom right, bottom left, as shares.", when={"how": "corners"}
    )
    sides: Literal["true", "seen"] = choice(
        "true", {"true": "True", "seen": "As they look"}, "Proportions",
        "True: as the perspective tells, of a picture that was not cropped; or as long as the sides look.",
        when={"how": "corners"},
    )  # fmt: skip
    find: Literal["auto", "held"] = choice(
        "auto", {"auto": "Found", "held": "Held"}, "Angle", "Found: from the sheet's own lines and borders.",
        when={"how": "level"},
    )  # fmt: skip
    angle: float = number(
        0.0, -45.0, 45.0, "Turned by", "How far the sheet lies clockwise.", unit="°", step=0.05,
        when={"how": "level", "find": "held"},
    )  # fmt: skip

    @model_validator(mode="after")
    def _convex(self) -> Straighten:
        if len(self.corners) != 4:
            raise ValueError("four corners are needed")
        p = np.array(self.corners)
        sides = np.roll(p, -1, axis=0) - p
        turns = sides[:, 0] * np.roll(sides, -1, axis=0)[:, 1] - sides[:, 1] * np.roll(sides, -1, axis=0)[:, 0]
        if (turns <= 1e-5).any():
            raise ValueError("the corners must go round clockwise and make no dent")
        return self


def _quad(params: Straighten, facts: Facts) -> np.ndarray:
    return np.array(params.corners) * (facts.width, facts.height)


def _straight_size(params: Straighten, facts: Facts) -> tuple[int, int]:
    quad = _quad(params, facts)
    a, b, c, d = quad
    width = (math.dist(a, b) + math.dist(d, c)) / 2
    height = (math.dist(a, d) + math.dist(b, c)) / 2
    if params.sides == "true":
        told, seen = proportions.width_over_height(quad, (facts.width, facts.height)), width / height
        wide = min(max(told, seen / _FARTHEST), seen * _FARTHEST)
        width, height = math.sqrt(width * height * wide), math.sqrt(width * height / wide)
    return max(1, round(width)), max(1, round(height))


def _straighten_extent(params: Straighten, facts: Facts) -> Facts:
    if params.how == "level":
        return _moved(facts)
    width, height = _straight_size(params, facts)
    return _moved(facts, width=width, height=height)


def _straighten_matrix(params: Straighten, facts: Facts, autos: Mapping[str, float] = NOTHING) -> Matrix:
    if params.how == "corners":
        width, height = _straight_size(params, facts)
        return warp.homography(_quad(params, facts), np.array([(0, 0), (width, 0), (width, height), (0, height)]))
    angle = math.radians(params.angle if params.find == "held" else autos.get("angle", 0.0))
    c, s, x, y = math.cos(angle), math.sin(angle), facts.width / 2, facts.height / 2
    return np.array([[c, s, x - c * x - s * y], [-s, c, y + s * x - c * y], [0, 0, 1.0]])


def _straighten(raster: Raster, params: Straighten, context: StepContext) -> Raster:
    return _through(raster, _straighten_matrix(params, context.facts, context.autos), context)


def _skew(raster: Raster, params: Straighten, context: StepContext) -> dict[str, float]:
    return {"angle": ruled.skew(_grey(raster))}


def _find_sheet(raster: Raster, params: Straighten) -> dict[str, Any]:
    found = framing.sheet_corners(_grey(raster))
    if found is None:
        raise BadPicture("No sheet was found", "nothing bright with four corners stands out", "Drag the corners")
    return {"how": "corners", "corners": found}


def _find_lines(raster: Raster, params: Straighten) -> dict[str, Any]:
    found = joints.wall_corners(_grey(raster))
    if found is None:
        raise BadPicture("No lines were found", "there are no two families of parallel lines, such as joints make",
                         "Drag the corners")  # fmt: skip
    return {"how": "corners", "corners": found}


def _migrate(version: int, values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 made sides as long as they look."""
    return {"sides": "seen", **values}


STRAIGHTEN = StepKind(
    id="straighten", name="Straighten", group="frame",
    help="Makes a sheet or a wall seen aslant a rectangle, or a skew sheet level.",
    params=Straighten, apply=_straighten, extent=_straighten_extent, matrix=_straighten_matrix,
    takes="any", gives="any", agreement="scales", only_here=True, editor="corners",
    version=2, migrate=_migrate, measure=_skew, measures=lambda p: p.how == "level" and p.find == "auto",
    tells=lambda p, autos: f"Found: turned by {autos['angle']:.2f}°" if "angle" in autos else "",
    finders=(
        Finder("Find the sheet", "Looks for a bright sheet on a darker ground.", _find_sheet),
        Finder("Find the lines", "Makes the joints of a wall, a floor or boards level and upright.", _find_lines),
    ),
    words=("perspective", "deskew", "level", "wall", "planks", "rectify"),
)  # fmt: skip


class Square(Params):
    how: Literal["crop", "zero", "border", "stretch"] = choice(
        "crop",
        {"crop": "Crop", "zero": "Pad with zero", "border": "Pad with the border", "stretch": "Stretch"},
        "By", "Crop to the shorter side, pad to the longer with nothing or with the border mirrored, or stretch.",
    )  # fmt: skip


def _square_side(params: Square, facts: Facts) -> int:
    return facts.shorter if params.how == "crop" else max(facts.width, facts.height)


def _square_extent(params: Square, facts: Facts) -> Facts:
    if facts.width == facts.height:
        return facts
    side = _square_side(params, facts)
    square = facts.but(width=side, height=side, wrap=(False, False))
    if params.how == "stretch":
        return square.but(lattice=None)
    return square.but(coverage=True) if params.how == "zero" else square


def _square_matrix(params: Square, facts: Facts, autos: Mapping[str, float] = NOTHING) -> Matrix:
    side = _square_side(params, facts)
    if params.how == "stretch":
        return np.diag([side / facts.width, side / facts.height, 1.0])
    left, top = _offset(side, facts.width), _offset(side, facts.height)
    return np.array([[1, 0, left], [0, 1, top], [0, 0, 1.0]])


def _offset(side: int, length: int) -> int:
    return (side - length) // 2 if side >= length else -((length - side) // 2)


def _square(raster: Raster, params: Square, context: StepContext) -> Raster:
    facts = context.facts
    if facts.width == facts.height:
        return raster
    rows, columns = context.size
    if params.how == "border":
        return _bordered(raster, params, context)
    if params.how == "stretch":
        pixels, cover = resample.with_coverage(raster.pixels, raster.coverage, rows, columns, (False, False))
        return raster.but(pixels=pixels, coverage=cover)
    side = _square_side(params, facts)
    left, top = _offset(side, facts.width), _offset(side, facts.height)
    if params.how == "crop":
        sx, sy = raster.width / facts.width, raster.height / facts.height
        box = (-left * sx, -top * sy, (side - left) * sx, (side - top) * sy)
        pixels, cover = resample.through(
            raster.pixels, raster.coverage, lambda plane: resample.cut(plane, box, rows, columns)
        )
        return raster.but(pixels=pixels, coverage=cover)
    if (raster.width, raster.height) != (facts.width, facts.height):  # a preview: the pad begins between pixels
        return _through(raster, _square_matrix(params, facts), context)
    inside = np.s_[top : top + raster.height, left : left + raster.width]
    shape = (rows, columns) if raster.channels == 1 else (rows, columns, 3)
    pixels, cover = np.full(shape, ZERO_LEVEL[raster.zero], np.float32), np.zeros((rows, columns), np.float32)
    pixels[inside] = raster.pixels
    cover[inside] = 1 if raster.coverage is None else raster.coverage
    return raster.but(pixels=pixels, coverage=cover)


def _bordered(raster: Raster, params: Square, context: StepContext) -> Raster:
    rows, columns = context.size
    top, left = max(0, (rows - raster.height) // 2), max(0, (columns - raster.width) // 2)
    around = ((top, max(0, rows - raster.height - top)), (left, max(0, columns - raster.width - left)))

    def grown(plane: Pixels) -> Pixels:
        wide = around if plane.ndim == 2 else (*around, (0, 0))
        result: Pixels = np.ascontiguousarray(np.pad(plane, wide, mode="symmetric")[:rows, :columns])
        return result

    cover = None if raster.coverage is None else grown(raster.coverage)
    return raster.but(pixels=grown(raster.pixels), coverage=cover)


SQUARE = StepKind(
    id="square", name="Square", group="frame", help="Says how a plate that is not square becomes square.",
    params=Square, apply=_square, extent=_square_extent, matrix=_square_matrix,
    takes="any", gives="any", agreement="scales",
    words=("pad", "fit", "canvas"),
)  # fmt: skip


class Centre(Params):
    by: Literal["box", "weight", "heights"] = choice(
        "box", {"box": "Its box", "weight": "Its area", "heights": "Its heights"}, "Centre",
        "What goes to the middle of the plate: a mark turns evenly about the middle of its heights.",
    )  # fmt: skip
    fit: bool = flag(True, "Scale to the margin", "Made as large as the margin allows.")
    margin: float = length(0.06, 0.0, 0.45, "Margin", "Free ground around it.", soft=(0.0, 0.25), when={"fit": True})


def _centre_measure(raster: Raster, params: Centre, context: StepContext) -> dict[str, float]:
    grey, level = _grey(raster), ZERO_LEVEL[raster.zero]
    weight = framing.what_is_there(grey, raster.coverage, level)
    apart = framing.apart(grey, raster.coverage, level)
    found = framing.reach_of(apart)
    box = found or framing.box_of(weight)
    if box is None:
        raise BadPicture("There is nothing to centre", "the whole plate is empty", "Switch the step off")
    left, top, right, bottom = box
    x, y = (left + right) / 2, (top + bottom) / 2
    if params.by == "heights":
        weight = apart if found is not None else weight * apart
    if params.by != "box":
        total = max(float(weight.sum()), 1e-9)
        x = float((weight.sum(axis=0) * (np.arange(raster.width) + 0.5)).sum()) / total / raster.width
        y = float((weight.sum(axis=1) * (np.arange(raster.height) + 0.5)).sum()) / total / raster.height
    ends = float(found is not None)
    return {"x": x, "y": y, "left": left, "top": top, "right": right, "bottom": bottom, "ends": ends}


def _centre_tells(params: Centre, autos: Mapping[str, float]) -> str:
    if not autos or autos["ends"]:
        return ""
    return "It has no end within the picture: what stands out most was centred, and some lies in the margin."


def _centre_matrix(params: Centre, facts: Facts, autos: Mapping[str, float] = NOTHING) -> Matrix:
    if not autos:
        return np.eye(3)
    w, h = facts.width, facts.height
    x, y = autos["x"] * w, autos["y"] * h
    scale = 1.0
    if params.fit:
        room_x, room_y = w / 2 - params.margin * facts.shorter, h / 2 - params.margin * facts.shorter
        reach_x = max(x - autos["left"] * w, autos["right"] * w - x, 1e-6)
        reach_y = max(y - autos["top"] * h, autos["bottom"] * h - y, 1e-6)
        scale = max(1e-3, min(room_x / reach_x, room_y / reach_y))
    return np.array([[scale, 0, w / 2 - scale * x], [0, scale, h / 2 - scale * y], [0, 0, 1.0]])


def _centre(raster: Raster, params: Centre, context: StepContext) -> Raster:
    return _through(raster, _centre_matrix(params, context.facts, context.autos), context)


CENTRE = StepKind(
    id="centre", name="Centre", group="frame", help="Brings what is there to the middle, scaled to a margin.",
    params=Centre, apply=_centre, extent=lambda p, facts: _moved(facts), matrix=_centre_matrix,
    takes="any", gives="any", agreement="scales", measure=_centre_measure, tells=_centre_tells,
    words=("middle", "align"),
)  # fmt: skip
