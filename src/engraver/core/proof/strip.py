"""The strip of marks: a short stroke, drawn from straight above."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from ..numeric import blur
from ..raster import Pixels
from .scene import PLASTER_DARK, PLASTER_LIGHT, Lamp

SPACING = 0.82


def strip(
    height: Pixels, strength: float, width: int, rows: int, lamp: Lamp, *, cut: bool = False
) -> NDArray[np.uint8]:
    """A stroke of turned marks on a plain surface.

    The marks are spread evenly along a shallow wave, each turned by its own seeded
    angle; where they overlap the farther departure from zero wins.

    Parameters
    ----------
    height : float32 (H, W)
        Heights of the plate, 1 for white.
    strength : float
        Height of white as a share of the mark's width.
    width, rows : int
        Size of the strip in pixels.

    Returns
    -------
    uint8 (rows, width, 3), RGB
    """
    ground = np.zeros((rows, width), np.float32)
    side = max(8, round(rows * 0.74))
    ratio = side / max(height.shape)
    small = cv2.resize(height, None, fx=ratio, fy=ratio, interpolation=cv2.INTER_AREA) if ratio < 1 else height
    rng = np.random.Generator(np.random.PCG64(7))
    marks = max(2, round((width - side * 0.4) / (side * SPACING)))
    for n in range(marks):
        along = (n + 0.5) / marks
        x = side * 0.55 + along * (width - side * 1.1)
        y = rows / 2 + math.sin(along * 2.2 * math.pi) * rows * 0.06
        angle, size = rng.uniform(0, 360), 0.78 + 0.3 * math.sin(math.pi * along)
        centre = (small.shape[1] / 2 - 0.5, small.shape[0] / 2 - 0.5)
        matrix = cv2.getRotationMatrix2D(centre, angle, size)
        matrix[0, 2] += x - centre[0]
        matrix[1, 2] += y - centre[1]
        mark = cv2.warpAffine(small, matrix, (width, rows), flags=cv2.INTER_LINEAR)
        ground = np.where(np.abs(mark) > np.abs(ground), mark, ground)
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
