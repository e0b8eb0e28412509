"""Frame: which part of the source becomes the plate, and which way up."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, Literal

import numpy as np

from ..errors import BadPicture
from ..numeric import framing, resample, tone
from ..params import Params, choice, flag, length, number, position
from ..raster import Facts, Pixels, Raster
from .kind import NOTHING, Finder, Matrix, StepContext, StepKind


class Crop(Params):
    shape: Literal["square", "free"] = choice(
        "square", {"square": "Square", "free": "Free"}, "Shape", "A square, or any width and height."
    )
    x: float = position("x", 0.5, "Centre x", "Where the middle of the crop lies, from the left border.")
    y: float = position("y", 0.5, "Centre y", "Where the middle of the crop lies, from the top border.")
    width: float = length(1.0, 0.005, 50.0, "Width", "Width of the crop; for a square, its side.", soft=(0.05, 1.0))
    height: float = length(
        1.0, 0.005, 50.0, "Height", "Height of a free crop.", when={"shape": "free"}, soft=(0.05, 1.0)
    )
    lock: bool = flag(
        False, "Keep the ratio", "Width and height of a free crop change together.", when={"shape": "free"}
    )
    angle: float = number(0.0, -45.0, 45.0, "Turn", "Turns the crop clockwise on the picture.", step=0.1, unit="°")


def crop_box(params: Crop, facts: Facts) -> tuple[int, int, int, int]:
    """Left, top, width and height in whole full-size pixels, kept inside the picture."""
    if params.shape == "square":
        w = h = max(1, min(round(params.width * facts.shorter), facts.shorter))
    else:
        w = max(1, min(round(params.width * facts.shorter), facts.width))
        h = max(1, min(round(params.height * facts.shorter), facts.height))
    left = min(max(math.floor(params.x * facts.width - w / 2 + 0.5), 0), facts.width - w)
    top = min(max(math.floor(params.y * facts.height - h / 2 + 0.5), 0), facts.height - h)
    return left, top, w, h


def _fits(params: Crop, facts: Facts) -> bool:
    _, _, w, h = crop_box(params, facts)
    inverse = np.linalg.inv(_crop_matrix(params, facts))
    corners = inverse @ np.array([[0, w, w, 0], [0, 0, h, h], [1, 1, 1, 1]], float)
    x, y = corners[:2]
    return bool(x.min() >= 0 and y.min() >= 0 and x.max() <= facts.width and y.max() <= facts.height)


def _crop_matrix(params: Crop, facts: Facts, autos: Mapping[str, float] = NOTHING) -> Matrix:
    left, top, w, h = crop_box(params, facts)
    c, s = math.cos(math.radians(params.angle)), math.sin(math.radians(params.angle))
    cx, cy = left + w / 2, top + h / 2
    # Output = centre of the crop + the picture turned back by the crop's angle.
    return np.array([
        [c, s, w / 2 - c * cx - s * cy],
        [-s, c, h / 2 + s * cx - c * cy],
        [0, 0, 1],
    ])  # fmt: skip


def _crop_extent(params: Crop, facts: Facts) -> Facts:
    _, _, w, h = crop_box(params, facts)
    whole = (w == facts.width, h == facts.height)
    if params.angle == 0:
        wrap = (facts.wrap[0] and whole[0], facts.wrap[1] and whole[1])
        return facts.but(width=w, height=h, wrap=wrap)
    cover = facts.coverage or not _fits(params, facts)
    return facts.but(width=w, height=h, wrap=(False, False), lattice=None, coverage=cover)


def _crop(raster: Raster, params: Crop, context: StepContext) -> Raster:
    rows, columns = context.size
    left, top, w, h = crop_box(params, context.facts)
    sx, sy = raster.width / context.facts.width, raster.height / context.facts.height
    if params.angle == 0:
        box = (left * sx, top * sy, (left + w) * sx, (top + h) * sy)
        pixels, cover = resample.through(
            raster.pixels, raster.coverage, lambda plane: resample.cut(plane, box, rows, columns)
        )
        return raster.but(pixels=pixels, coverage=cover)
    # Output pixel centres to input pixel indices, both at this scale, as (row, column).
    to_full = np.diag([w / columns, h / rows, 1.0])
    from_full = np.diag([sx, sy, 1.0])
    m = from_full @ np.linalg.inv(_crop_matrix(params, context.facts)) @ to_full
    swap = np.array([[m[1, 1], m[1, 0]], [m[0, 1], m[0, 0]]])
    offset = swap @ np.array([0.5, 0.5]) + np.array([m[1, 2], m[0, 2]]) - 0.5
    context.check()
    pixels, cover = resample.through(
        raster.pixels, raster.coverage, lambda plane: resample.turned(plane, swap, offset, rows, columns)
    )
    if not _fits(params, context.facts):
        r, c = np.arange(rows, dtype=np.float32)[:, None], np.arange(columns, dtype=np.float32)
        y = swap[0, 0] * r + swap[0, 1] * c + offset[0] + 0.5
        x = swap[1, 0] * r + swap[1, 1] * c + offset[1] + 0.5
        inside = np.minimum(np.minimum(x, raster.width - x), np.minimum(y, raster.height - y))
        edge = np.clip(inside + 0.5, 0, 1).astype(np.float32)
        cover = edge if cover is None else cover * edge
    return raster.but(pixels=pixels, coverage=cover)


def locked(params: Crop, changes: dict[str, Any]) -> dict[str, Any]:
    """Changes to a crop whose ratio is kept: the other length follows the one that changed."""
    if params.shape != "free" or not params.lock or ("width" in changes) == ("height" in changes):
        return changes
    ratio = params.height / params.width
    if "width" in changes:
        return {**changes, "height": changes["width"] * ratio}
    return {**changes, "width": changes["height"] / ratio}


EVEN_WITHIN = 0.12


def _find_even(raster: Raster, params: Crop) -> dict[str, Any]:
    grey = tone.luma(raster.pixels)
    found = framing.largest_even_square(grey, EVEN_WITHIN)
    if found is None:
        raise BadPicture(
            "No square of even light was found", "the light changes too quickly", "Add Even light instead"
        )
    x, y, side = (round(v, 4) for v in found)
    return {"shape": "square", "x": x, "y": y, "width": side, "angle": 0.0}


CROP = StepKind(
    id="crop", name="Crop", group="frame", help="Keeps a part of the picture, straight or turned.",
    params=Crop, apply=_crop, extent=_crop_extent, matrix=_crop_matrix,
    takes="any", gives="any", agreement="scales", only_here=True, editor="crop", copies=lambda p: p.angle == 0,
    finders=(Finder("Largest even square", "The largest square whose light ranges by under 12 %.", _find_even),),
    words=("cut out", "trim", "region"),
)  # fmt: skip


class Turn(Params):
    quarter: Literal["0", "90", "180", "270"] = choice(
        "0", {"0": "As it is", "90": "90°", "180": "180°", "270": "270°"}, "Turn clockwise", "Exact quarter turns."
    )
    mirror: bool = flag(False, "Mirror left and right", "Afterwards, left and right change places.")
    flip: bool = flag(False, "Mirror top and bottom", "Afterwards, top and bottom change places.")


def _turn_extent(params: Turn, facts: Facts) -> Facts:
    if params.quarter in ("90", "270"):
        return facts.but(width=facts.height, height=facts.width, wrap=facts.wrap[::-1])
    return facts


def _turn_matrix(params: Turn, facts: Facts, autos: Mapping[str, float] = NOTHING) -> Matrix:
    w, h = float(facts.width), float(facts.height)
    m = {
        "0": np.eye(3),
        "90": np.array([[0, -1, h], [1, 0, 0], [0, 0, 1.0]]),
        "180": np.array([[-1, 0, w], [0, -1, h], [0, 0, 1.0]]),
        "270": np.array([[0, 1, 0], [-1, 0, w], [0, 0, 1.0]]),
    }[params.quarter]
    if params.quarter in ("90", "270"):
        w, h = h, w
    if params.mirror:
        m = np.array([[-1, 0, w], [0, 1, 0], [0, 0, 1.0]]) @ m
    if params.flip:
        m = np.array([[1, 0, 0], [0, -1, h], [0, 0, 1.0]]) @ m
    return np.asarray(m, np.float64)


def _turn(raster: Raster, params: Turn, context: StepContext) -> Raster:
    def moved(values: Pixels) -> Pixels:
        values = np.rot90(values, -int(params.quarter) // 90)
        if params.mirror:
            values = values[:, ::-1]
        if params.flip:
            values = values[::-1]
        return np.array(values, order="C")

    cover = None if raster.coverage is None else moved(raster.coverage)
    return raster.but(pixels=moved(raster.pixels), coverage=cover)


TURN = StepKind(
    id="turn", name="Turn", group="frame", help="Quarter turns and mirrors, exact to the bit.",
    params=Turn, apply=_turn, extent=_turn_extent, matrix=_turn_matrix,
    takes="any", gives="any", agreement="scales",
    words=("rotate", "mirror", "flip"),
)  # fmt: skip
