"""The hand: strokes that raise, cut, level, smooth, smudge or bring to zero. They stay data."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..numeric import blur
from ..params import Params, Stroke, Strokes
from ..params import strokes as stroke_field
from ..pressing.marks import along
from ..raster import ZERO_LEVEL, Pixels, Raster
from .kind import StepContext, StepKind, renamed
from .placed import LEAST, placed, stamped, tip_heights

TAGS = ("raise", "cut", "level", "smooth", "smudge", "zero")
Path = NDArray[np.float64]
# Standard deviation of the smoothing, and the way between two dabs of a smudge, as shares of the radius.
_SMOOTH, _DAB = 0.45, 0.22


class HandWork(Params):
    strokes: Strokes = stroke_field("Strokes", "What the hand did, stroke by stroke, in the order it was done.")


@dataclass(frozen=True, slots=True)
class _Touch:
    """One stroke on this raster: its box, and how strongly every pixel of it is touched."""

    stroke: Stroke
    box: tuple[slice, slice]
    mask: Pixels
    path: NDArray[np.float64]
    radius: float


def _touch(stroke: Stroke, context: StepContext, height: int, width: int) -> _Touch | None:
    from ..numeric import shape_kernels

    here = placed(stroke, context)
    left, top, right, bottom = here.box(1.0 + (here.radius * 0.5 if stroke.tipped else 0.0))
    rows = slice(max(0, int(top)), min(height, int(np.ceil(bottom)) + 1))
    columns = slice(max(0, int(left)), min(width, int(np.ceil(right)) + 1))
    if rows.start >= rows.stop or columns.start >= columns.stop:
        return None
    mask = np.zeros((rows.stop - rows.start, columns.stop - columns.start), np.float32)
    pressure = np.clip(stroke.points[:, 2].astype(np.float64), 0, 1)
    path = here.points - (columns.start, rows.start)
    if stroke.tipped:
        stamped(stroke, tip_heights(stroke, context), path, pressure, here.radius, mask)
    else:
        shape_kernels.brush(np.column_stack([path, pressure]), here.radius, LEAST, max(stroke.soft, 0.02), mask)
    mask *= np.float32(stroke.strength)
    return _Touch(stroke, (rows, columns), mask, path, here.radius)


def _smudged(part: Pixels, touch: _Touch) -> Pixels:
    """Carries the tones along the path, dab by dab."""
    path = along(touch.path, touch.radius * _DAB)
    whole = part.copy()
    reach = int(touch.radius) + 2
    keep = np.float32(touch.stroke.strength)
    for here, there in pairwise(path):
        x0, y0 = int(there[0]) - reach, int(there[1]) - reach
        rows = slice(max(0, y0), min(whole.shape[0], y0 + 2 * reach + 1))
        columns = slice(max(0, x0), min(whole.shape[1], x0 + 2 * reach + 1))
        if rows.start >= rows.stop or columns.start >= columns.stop:
            continue
        dx, dy = there - here
        spot = np.ascontiguousarray(whole[rows, columns])
        moved = cv2.warpAffine(
            spot, np.array([[1, 0, dx], [0, 1, dy]]), (spot.shape[1], spot.shape[0]), borderMode=cv2.BORDER_REPLICATE
        )
        y, x = np.ogrid[rows, columns]
        away = np.hypot(x + 0.5 - there[0], y + 0.5 - there[1]) / touch.radius
        t = np.clip((1 - away) / max(touch.stroke.soft, 0.02), 0, 1)
        share = (t * t * (3 - 2 * t)).astype(np.float32) * keep
        whole[rows, columns] = spot + (moved - spot) * share
    return whole


def _one(pixels: Pixels, touch: _Touch, zero: float, wrap: tuple[bool, bool]) -> None:
    part = pixels[touch.box]
    mask, tag = touch.mask, touch.stroke.tag
    if tag in ("raise", "cut"):
        part += mask if tag == "raise" else -mask
    elif tag == "zero":
        part += (np.float32(zero) - part) * mask
    elif tag == "level":
        r, c = (int(min(max(v, 0), n - 1)) for v, n in zip(touch.path[0][::-1], part.shape, strict=True))
        part += (part[r, c] - part) * mask
    elif tag == "smooth":
        sigma = touch.radius * _SMOOTH
        deep = int(3 * sigma) + 2
        rows, columns = touch.box
        wide = (
            slice(max(0, rows.start - deep), min(pixels.shape[0], rows.stop + deep)),
            slice(max(0, columns.start - deep), min(pixels.shape[1], columns.stop + deep)),
        )
        soft = blur.gaussian(np.ascontiguousarray(pixels[wide]), sigma)
        r, c = rows.start - wide[0].start, columns.start - wide[1].start
        part += (soft[r : r + part.shape[0], c : c + part.shape[1]] - part) * mask
    elif tag == "smudge":
        part[:] = _smudged(part, touch)


def _hand(raster: Raster, params: HandWork, context: StepContext) -> Raster:
    pixels = blur.spread(raster.pixels, raster.coverage).copy()
    zero = ZERO_LEVEL[raster.zero]
    for stroke in params.strokes:
        if stroke.tag not in TAGS:
            continue
        context.check()
        touch = _touch(stroke, context, raster.height, raster.width)
        if touch is not None:
            _one(pixels, touch, zero, raster.wrap)
    return raster.but(pixels=pixels)


def _migrate(version: int, values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 called its strokes marks."""
    return renamed(values, "marks", "strokes") if version < 2 else values


HAND = StepKind(
    id="hand", name="By hand", group="relief", help="Raises, cuts, levels, smooths, smudges: strokes stay data.",
    params=HandWork, apply=_hand, version=2, migrate=_migrate, agreement="tone", only_here=True, editor="hand",
    one_by_one="strokes",
    words=("paint", "draw", "sculpt", "brush"),
)  # fmt: skip
