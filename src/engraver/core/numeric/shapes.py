"""Outlines: how deep each pixel lies inside a circle, square or rounded square."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..raster import Pixels

Outline = Literal["circle", "square", "rounded"]


def depth(
    height: int, width: int, outline: Outline, margin: float, *, corner: float = 0.35, stretch: bool = False
) -> Pixels:
    """Distance from each pixel's centre to the outline, positive inside, in pixels.

    Parameters
    ----------
    height, width : int
        Size of the picture; the outline is centred in it.
    outline : {"circle", "square", "rounded"}
    margin : float
        Free ground between the outline and the nearest border, in pixels.
    corner : float
        Radius of a rounded square's corners as a share of its half side, 0..1.
    stretch : bool
        Fill a picture that is not square (ellipse, rectangle). Depth is then
        measured in a picture stretched to a square on its shorter side.

    Notes
    -----
    The rounded square is the exact distance to a box grown by a disc; a square
    is measured to its nearest side, so that its fade has mitred corners.
    """
    short = min(height, width)
    half = short / 2 - margin
    span_x = (width / short) if stretch else 1.0
    span_y = (height / short) if stretch else 1.0
    x = ((np.arange(width, dtype=np.float32) + 0.5) - width / 2) / np.float32(span_x)
    y = (((np.arange(height, dtype=np.float32) + 0.5) - height / 2) / np.float32(span_y))[:, None]
    if outline == "circle":
        round_: Pixels = np.float32(half) - np.sqrt(x * x + y * y)
        return round_
    qx, qy = np.abs(x), np.abs(y)
    if outline == "square":
        square: Pixels = np.float32(half) - np.maximum(qx, qy)
        return square
    radius = np.float32(max(half, 0.0) * corner)
    straight = np.float32(half) - radius
    qx, qy = qx - straight, qy - straight
    outside = np.sqrt(np.maximum(qx, 0) ** 2 + np.maximum(qy, 0) ** 2)
    rounded: Pixels = radius - outside - np.minimum(np.maximum(qx, qy), 0)
    return rounded
