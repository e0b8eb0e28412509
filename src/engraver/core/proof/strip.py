"""A short stroke of the plate, drawn from straight above: marks, a strip along it, or a tile seen through it."""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..numeric import blur, resample
from ..pressing.marks import Mark, lay
from ..pressing.tip import squared
from ..raster import Pixels, Wrap
from ..surfaces.view import Lamp
from .plaster import PLASTER_DARK, PLASTER_LIGHT

SPACING = 0.82


def strip(
    height: Pixels,
    strength: float,
    width: int,
    rows: int,
    lamp: Lamp,
    *,
    cut: bool = False,
    wrap: Wrap = (False, False),
) -> NDArray[np.uint8]:
    """A stroke on a plain surface.

    Parameters
    ----------
    height : float32 (H, W)
        Heights of the plate, 1 for white.
    strength : float
        Height of white as a share of the mark's width.
    width, rows : int
        Size of the strip in pixels.
    wrap : (bool, bool)
        Along which axes the plate repeats: along one it runs on along the stroke, along both it lies
        still and the stroke lets it through.

    Returns
    -------
    uint8 (rows, width, 3), RGB
    """
    side = max(8, round(rows * 0.74))
    if all(wrap):
        ground = _through(height, width, rows, side)
    elif any(wrap):
        ground, side = _along(height if wrap[0] else np.ascontiguousarray(height.T), width, rows, side)
    else:
        ground = _marks(height, width, rows, side)
    amount = strength * side * (-1 if cut else 1)
    dx = cv2.Sobel(ground, cv2.CV_32F, 1, 0, scale=amount / 8)
    dy = cv2.Sobel(ground, cv2.CV_32F, 0, 1, scale=amount / 8)
    light = lamp.direction()
    size_of = np.sqrt(dx * dx + dy * dy + 1)
    lit = (-dx * light[0] + dy * light[1] + light[2]) / size_of
    dent = (ground - blur.gaussian(ground, side * 0.02)) * np.float32(amount / (side * 0.02))
    tone = np.clip((0.2 + 0.8 * np.maximum(lit, 0)) * (1 + np.clip(dent * 0.6, -0.5, 0.25)), 0, 1.15) / 1.15
    drawn: NDArray[np.uint8] = (
        PLASTER_DARK + tone[..., None].astype(np.float32) * (PLASTER_LIGHT - PLASTER_DARK)
    ).astype(np.uint8)
    return drawn


def _wave(along: NDArray[Any], rows: int) -> NDArray[Any]:
    """How far the stroke lies below the middle, at a share of its way."""
    bow: NDArray[Any] = np.sin(along * 2.2 * math.pi) * rows * 0.06
    return bow


def _marks(height: Pixels, width: int, rows: int, side: int) -> Pixels:
    """Marks spread evenly along a shallow wave, each turned by its own seeded angle; the farther from zero stands."""
    ground = np.zeros((rows, width), np.float32)
    rng = np.random.Generator(np.random.PCG64(7))
    marks = max(2, round((width - side * 0.4) / (side * SPACING)))
    placed = []
    for along in (np.arange(marks) + 0.5) / marks:
        x = side * 0.55 + along * (width - side * 1.1)
        size = side / 2 * (0.78 + 0.3 * math.sin(math.pi * along))
        turn = -rng.uniform(0, 360)
        placed.append(Mark(float(x), rows / 2 + float(_wave(along, rows)), size, turn))
    lay(squared(height), placed, ground, "farther")
    return ground


def _along(height: Pixels, width: int, rows: int, side: int) -> tuple[Pixels, int]:
    """The plate run on along the wave, by the way gone and the distance from the middle; and its length."""
    length = max(8, round(side * height.shape[1] / height.shape[0]))
    small = resample.at_most(height, max(length, side))
    x = np.arange(width, dtype=np.float64)
    inset = side * 0.3
    middle = rows / 2 + _wave((x - inset) / (width - 2 * inset), rows)
    slope = np.gradient(middle)
    way = np.concatenate([[0.0], np.cumsum(np.hypot(1, np.diff(middle)))])
    off = (np.arange(rows)[:, None] - middle) / np.hypot(1, slope)
    gone = way + off * slope  # a point beside the stroke belongs to the foot of its perpendicular
    tall, long = small.shape
    over = np.pad(small, ((1, 1), (1, 1)), mode="constant")
    over[1:-1, 0], over[1:-1, -1] = small[:, -1], small[:, 0]
    at_x = np.mod(gone / length, 1.0) * long + 0.5
    at_y = (off / side + 0.5) * tall + 0.5
    ground = cv2.remap(over, at_x.astype(np.float32), at_y.astype(np.float32), cv2.INTER_LINEAR)
    ends = (x >= inset) & (x <= width - inset)
    return np.where(ends, ground, 0).astype(np.float32), length


def _through(height: Pixels, width: int, rows: int, side: int) -> Pixels:
    """The tile lying still, seen through a soft stroke."""
    small = resample.at_most(height, side)
    sheet = np.tile(small, (-(-rows // small.shape[0]), -(-width // small.shape[1])))[:rows, :width]
    inset, reach = side * 0.55, side * 0.5
    x, y = np.arange(width)[None], np.arange(rows)[:, None]
    middle = rows / 2 + _wave((x - inset) / (width - 2 * inset), rows)
    beyond = np.maximum(0, np.maximum(inset - x, x - (width - inset)))
    share = np.clip((reach - np.hypot(y - middle, beyond)) / (0.35 * side), 0, 1)
    shown: Pixels = (sheet * share * share * (3 - 2 * share)).astype(np.float32)
    return shown
