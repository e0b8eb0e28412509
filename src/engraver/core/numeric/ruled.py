"""The direction of straight lines in a picture, and a picture turned so that they lie level."""

from __future__ import annotations

import math
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels

# Directions are looked for on a picture reduced to this many pixels on its shorter side.
SIDE = 512


def turned(
    values: Pixels, angle: float, *, border: int = cv2.BORDER_REFLECT, how: int = cv2.INTER_LANCZOS4
) -> tuple[Pixels, NDArray[np.float64]]:
    """The picture turned so that lines at ``angle`` lie level, whole, and the matrix that did it."""
    height, width = values.shape
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    w, h = math.ceil(abs(c) * width + abs(s) * height), math.ceil(abs(s) * width + abs(c) * height)
    matrix = np.array(
        [[c, s, w / 2 - c * width / 2 - s * height / 2], [-s, c, h / 2 + s * width / 2 - c * height / 2]]
    )
    # OpenCV counts from pixel centres: shift by half a pixel on both sides.
    shifted = matrix.copy()
    shifted[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5
    if angle == 0:
        return values, matrix
    level: Pixels = cv2.warpAffine(values, shifted, (w, h), flags=how, borderMode=border)
    return level, matrix


def _fine(values: Pixels, width: float) -> Pixels:
    """What is narrower than about ``width`` pixels."""
    fine: Pixels = values - cv2.blur(values, (max(3, round(width)) | 1,) * 2, borderType=cv2.BORDER_REFLECT)
    return fine


@lru_cache(maxsize=1024)
def _lengths(height: int, width: int, angle: float) -> NDArray[np.float32]:
    """How many pixels of a picture (height, width) each row has, turned by so many degrees, float32 (rows,):
    the same for every picture of this size."""
    there, _ = turned(np.ones((height, width), np.float32), angle, border=cv2.BORDER_CONSTANT, how=cv2.INTER_NEAREST)
    count: NDArray[np.float32] = there.sum(axis=1)
    count.flags.writeable = False
    return count


def _row_means(values: Pixels, angle: float) -> NDArray[np.float32]:
    """The mean of each line of pixels at an angle, where it is long enough to tell."""
    level, _ = turned(values, angle, border=cv2.BORDER_CONSTANT, how=cv2.INTER_LINEAR)
    count = _lengths(*values.shape, angle)
    long = count > 0.4 * count.max()
    rows: NDArray[np.float32] = level.sum(axis=1)[long] / count[long]
    return rows


def _best(values: Pixels, near: tuple[float, float]) -> tuple[float, float]:
    """The direction within a range along which row means vary most, and how much they do."""
    ratio = min(1.0, SIDE / min(values.shape))
    size = (max(8, round(values.shape[1] * ratio)), max(8, round(values.shape[0] * ratio)))
    small = _fine(cv2.resize(values, size, interpolation=cv2.INTER_AREA), 15)
    small = np.clip(small, *np.percentile(small, (2, 98)))  # thick ink must not outvote thin lines
    coarse = cv2.resize(small, (size[0] // 2, size[1] // 2), interpolation=cv2.INTER_AREA)
    tried = np.arange(near[0], near[1] + 1e-9)
    # Absolute values to begin with: many thin lines outvote one thick one, as with squares they would not.
    best = float(tried[int(np.argmax([float(np.abs(_row_means(coarse, float(a))).mean()) for a in tried]))])
    step, strength = 1.0, 0.0
    for _ in range(3):
        tried, step = best + step * np.linspace(-1, 1, 9), step / 4
        scores = [float(np.square(_row_means(small, float(a))).mean()) for a in tried]
        best, strength = float(tried[int(np.argmax(scores))]), max(scores)
    return best, strength


def direction(values: Pixels) -> float:
    """The direction of the lines in degrees, clockwise from level, -90..90.

    The one along which row means of the fine part of the picture are largest (a discrete
    Radon transform), first to one degree, then to a fiftieth.
    """
    return (_best(values, (-90.0, 90.0))[0] + 90) % 180 - 90


def skew(values: Pixels, most: float = 15.0) -> float:
    """How far a sheet lies turned clockwise, in degrees within ``most``, by its lines, borders and rows."""
    level, strong = _best(values, (-most, most))
    upright, other = _best(np.ascontiguousarray(np.rot90(values)), (-most, most))
    return level if strong >= other else upright
