"""Outlines: how deep each pixel lies inside a circle, oval, square, rounded square or polygon."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..raster import Pixels
from .split_rows import rows_at_once, split_rows

Outline = Literal["circle", "oval", "square", "rounded", "polygon"]
# Left, top, right, bottom.
Sides = tuple[bool, bool, bool, bool]
ALL_SIDES: Sides = (True, True, True, True)
# A side that is off lies so many shorter sides away.
_AWAY = 8.0


@dataclass(frozen=True, slots=True)
class Form:
    """An outline, in shares, so that it is the same at every scale.

    Attributes
    ----------
    outline : {"circle", "oval", "square", "rounded", "polygon"}
    margin : float
        Free ground between the outline and the nearest border, as a share of the shorter side.
    corner : float
        Radius of a rounded square's corners as a share of its shorter half side, 0..1.
    fill : bool
        A square reaches all borders of a picture that is not square.
    sides : four bools
        Left, top, right, bottom: a square's side that is off has no border.
    corners : int
        Of a polygon; one points upwards.
    turn : float
        Degrees clockwise.
    centre : (float, float)
        Shares of width and height.
    """

    outline: Outline = "circle"
    margin: float = 0.0
    corner: float = 0.35
    fill: bool = False
    sides: Sides = ALL_SIDES
    corners: int = 6
    turn: float = 0.0
    centre: tuple[float, float] = (0.5, 0.5)

    @property
    def walled(self) -> Sides:
        """At which borders of the picture it ends."""
        return self.sides if self.outline in ("square", "rounded") else ALL_SIDES


def _box(x: Pixels, y: Pixels, form: Form, half: tuple[float, float], short: int) -> Pixels:
    """Depth in a box: to its nearest side (mitred corners), or exact with rounded corners."""
    hx, hy = half
    left, top, right, bottom = (reach if on else _AWAY * short for on, reach in zip(form.sides, (hx, hy, hx, hy),
                                                                                    strict=True))  # fmt: skip
    inner_x = np.minimum(x + np.float32(left), np.float32(right) - x)
    inner_y = np.minimum(y + np.float32(top), np.float32(bottom) - y)
    if form.outline == "square":
        square: Pixels = np.minimum(inner_x, inner_y)
        return square
    radius = np.float32(max(min(hx, hy), 0.0) * form.corner)
    qx, qy = radius - inner_x, radius - inner_y
    outside = np.sqrt(np.maximum(qx, 0) ** 2 + np.maximum(qy, 0) ** 2)
    rounded: Pixels = radius - outside - np.minimum(np.maximum(qx, qy), 0)
    return rounded


def _oval(x: Pixels, y: Pixels, hx: float, hy: float) -> Pixels:
    """Distance to an ellipse, to the first order (G. Taubin, 1991); at most its shorter half axis."""
    if min(hx, hy) <= 0:
        return np.full(np.broadcast_shapes(x.shape, y.shape), -1, np.float32)
    u, v = x / np.float32(hx), y / np.float32(hy)
    share = np.sqrt(u * u + v * v)
    slope = np.sqrt((u / np.float32(hx)) ** 2 + (v / np.float32(hy)) ** 2)
    reach = np.float32(min(hx, hy))
    deep: Pixels = np.minimum((1 - share) * share / np.maximum(slope, np.float32(1e-9)), reach)
    deep[share < 1e-6] = reach
    return deep


def inset(share: float, side: int) -> float:
    """A share of a side in pixels, whole where it was meant to be: 8 of 500 px are 8, not 8.0000001."""
    return round(share * side * 1024) / 1024


def depth(height: int, width: int, form: Form, ring: float = 0.0) -> Pixels:
    """Distance from each pixel's centre to the outline, positive inside, in pixels.

    Parameters
    ----------
    height, width : int
    form : Form
    ring : float
        No pixel within so many pixels of the picture's own borders lies inside.

    Notes
    -----
    A square is measured to its nearest side, so that its fade has mitred corners; an oval to
    the first order; a polygon to its nearest side. Nothing is deeper than it lies from the
    picture's own borders, wherever the outline was moved to.
    """
    out = np.empty((height, width), np.float32)

    def part(first: int, end: int) -> None:
        rows = slice(first, end)
        np.minimum(
            _deep(height, width, form, rows), from_borders(height, width, form.walled, ring, rows), out=out[rows]
        )

    split_rows(part, height, rows_at_once(height, width))
    return out


def _deep(height: int, width: int, form: Form, rows: slice) -> Pixels:
    """Some rows of the distance inside the outline alone."""
    short = min(height, width)
    margin = inset(form.margin, short)
    cx, cy = form.centre[0] * width, form.centre[1] * height
    x: Pixels = np.arange(width, dtype=np.float32) + np.float32(0.5 - cx)
    y: Pixels = (np.arange(rows.start, rows.stop, dtype=np.float32) + np.float32(0.5 - cy))[:, None]
    if form.turn % 360:
        c, s = (np.float32(f(np.radians(form.turn))) for f in (np.cos, np.sin))
        x, y = x * c + y * s, y * c - x * s
    full = form.fill or form.outline == "oval"
    hx, hy = ((width if full else short) / 2 - margin, (height if full else short) / 2 - margin)
    half = np.float32(short / 2 - margin)
    if form.outline == "circle":
        far = x * x + y * y
        return np.subtract(half, np.sqrt(far, out=far), out=far)
    if form.outline == "oval":
        return _oval(x, y, hx, hy)
    if form.outline == "polygon":
        apothem = half * np.float32(np.cos(np.pi / form.corners))
        deep = np.full(np.broadcast_shapes(x.shape, y.shape), np.inf, np.float32)
        for k in range(form.corners):
            angle = 2 * np.pi * (k + 0.5) / form.corners
            np.minimum(deep, apothem - (x * np.float32(np.sin(angle)) - y * np.float32(np.cos(angle))), out=deep)
        return deep
    return _box(x, y, form, (hx, hy), short)


def from_borders(
    height: int, width: int, sides: Sides = ALL_SIDES, less: float = 0.0, rows: slice = slice(None)
) -> Pixels:
    """Distance of pixels' centres from the picture's borders that count, ``less`` some; in pixels, float32 (H, W).

    ``rows`` picks some of the H rows.
    """
    far = np.float32(_AWAY * min(height, width))
    x = np.arange(width, dtype=np.float32) + np.float32(0.5 - less)
    y = np.arange(height, dtype=np.float32) + np.float32(0.5 - less)
    left, top, right, bottom = sides
    across = np.minimum(x if left else far, x[::-1] if right else far)
    down = np.minimum(y if top else far, y[::-1] if bottom else far)
    near: Pixels = np.minimum(np.broadcast_to(across, (width,)), np.broadcast_to(down, (height,))[rows, None])
    return near
