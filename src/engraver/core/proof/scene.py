"""Pressing a plate into a surface and drawing it in plaster."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..numeric import blur, resample
from ..numeric.split_rows import split_rows
from ..pressing.tip import squared
from ..raster import Pixels, Wrap
from ..surfaces.kind import Body, Sheet
from ..surfaces.view import CAMERA

# Plaster from its darkest hollow to its brightest flank, slightly warm; a neutral ground behind.
PLASTER_DARK = np.array([38, 36, 34], np.float32)
PLASTER_LIGHT = np.array([226, 222, 214], np.float32)


def _bands(work: Callable[..., Any], rows: int, *arguments: Any, out: NDArray[Any]) -> None:
    """Run a kernel over its rows on both cores."""
    split_rows(lambda a, b: work(*arguments, a, b, out), rows)


def pressed(body: Body, sheet: Sheet, check: Watch = unwatched) -> tuple[Pixels, Pixels]:
    """Points of the surface with the mark in it (n, n, 3), and the heights there (n, n)."""
    from . import kernels

    count = max(8, round(math.sqrt(sheet.points)))
    ground = body.grid(count)
    source = np.clip(sheet.height, -1, 1).astype(np.float32, copy=False)
    u, v, width = ground.u, ground.v, ground.mark_width
    if sheet.repeats:  # the mark grows to all that tiles cover
        source = covered(source, sheet.repeats, count, sheet.wrap)
        u, v = ((p - np.float32(0.5)) * np.float32(body.covered) + np.float32(0.5) for p in (u, v))
        width = width / body.covered / sheet.repeats
    source = squared(source)
    across = body.mark_share * count
    if max(source.shape) > 1.3 * across:  # more pixels than points: average, or it would sparkle
        source = resample.at_most(source, across)
    heights = np.empty((count, count), np.float32)
    _bands(kernels.press, count, np.ascontiguousarray(source), u, v, out=heights)
    check()
    amount = np.float32(sheet.strength * width * (-1 if sheet.cut else 1))
    points = np.empty((count, count, 3), np.float32)
    _bands(kernels.displace, count, ground.points, ground.normals, heights, amount, out=points)
    return points, heights * np.sign(amount)


def covered(tile: Pixels, repeats: int, points: int, wrap: Wrap = (True, True)) -> Pixels:
    """A square sheet of tiles, ``repeats`` across, in about as many pixels as the surface has points.

    Of a strip one row, or one column, along the axis that repeats.
    """
    if wrap == (False, True):
        return np.ascontiguousarray(covered(tile.T, repeats, points, (True, False)).T)
    across = max(4, -(-points // repeats))
    down = max(4, round(across * tile.shape[0] / tile.shape[1]))
    way = cv2.INTER_AREA if across <= tile.shape[1] else cv2.INTER_LINEAR
    one = cv2.resize(tile, (across, down), interpolation=way)
    rows = -(-across * repeats // down) if wrap[1] else 1
    sheet = np.tile(one, (rows, repeats))
    return np.ascontiguousarray(sheet[: across * repeats])


def _cavity(heights: Pixels, strength: float) -> Pixels:
    """Below 0 in hollows, above 0 on ridges, at two sizes, in terms of the local slope."""
    count = heights.shape[0]
    fine = heights - blur.gaussian(heights, max(1.0, count * 0.0025))
    broad = heights - blur.gaussian(heights, count * 0.012)
    # Height differences become angles: strength over the width they are taken across.
    result: Pixels = (fine * np.float32(strength / 0.0025) + broad * np.float32(strength / 0.012)) * np.float32(0.8)
    return result


def in_plaster(body: Body, sheet: Sheet, check: Watch = unwatched) -> NDArray[np.uint8]:
    """Draw a plate pressed into plaster: uint8 (height, width, 3), RGB."""
    from . import kernels

    points, heights = pressed(body, sheet, check)
    check()
    count = points.shape[0]
    rotation = sheet.eye.rotation()
    lamp = sheet.lamp.direction()
    fill = np.array([-lamp[0] * 0.8, -lamp[1] * 0.8, 0.6], np.float32)
    if not body.lamp_turns:
        lamp, fill = rotation.T @ lamp, rotation.T @ fill
    shade = np.empty((count, count), np.float32)
    steep = sheet.strength / max(1, sheet.repeats)
    _bands(
        kernels.light, count, points, _cavity(heights, steep), lamp, fill / np.linalg.norm(fill),
        np.float32(0.2), np.float32(1.0), out=shade,
    )  # fmt: skip
    check()
    factor, (width, height) = (2 if sheet.smooth else 1), sheet.size
    columns, rows = width * factor, height * factor
    fit = min(columns, rows * body.upright)
    scale = np.float32(fit / body.reach / 2 * CAMERA * sheet.eye.zoom)
    grid = np.empty((count, count, 3), np.float32)
    _bands(
        kernels.project, count, points, rotation, scale, np.float32(CAMERA),
        np.float32(columns / 2), np.float32(rows / 2), out=grid,
    )  # fmt: skip
    check()
    image = np.full((rows, columns), -1, np.float32)
    depth = np.full((rows, columns), -1e9, np.float32)
    split_rows(lambda a, b: kernels.draw(grid, shade, depth, image, a, b), rows)
    check()
    result = np.empty((height, width, 3), np.uint8)
    ground = np.array(sheet.surround, np.float32)
    _bands(kernels.colour, height, image, factor, plaster_ramp(), ground, out=result)
    return result


@lru_cache(maxsize=1)
def plaster_ramp() -> Pixels:
    """Colours of plaster by brightness 0..1 in 1,024 steps, a little contrast in the middle."""
    tone = np.clip(np.linspace(0, 1, 1024, dtype=np.float32) / np.float32(1.12), 0, 1)[:, None]
    tone = tone * tone * (3 - 2 * tone) * np.float32(0.35) + tone * np.float32(0.65)
    ramp: Pixels = PLASTER_DARK + tone * (PLASTER_LIGHT - PLASTER_DARK)
    return ramp
