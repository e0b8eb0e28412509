"""Straight ruled lines and scanner streaks: their direction, and their profile across it."""

from __future__ import annotations

import math
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels

# Directions are looked for on a picture reduced to this many pixels on its shorter side.
SIDE = 512
SEGMENTS = 8


def _turned(
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
    turned: Pixels = cv2.warpAffine(values, shifted, (w, h), flags=how, borderMode=border)
    return turned, matrix


def _fine(values: Pixels, width: float) -> Pixels:
    """What is narrower than about ``width`` pixels."""
    fine: Pixels = values - cv2.blur(values, (max(3, round(width)) | 1,) * 2, borderType=cv2.BORDER_REFLECT)
    return fine


def _sharpness(values: Pixels, angle: float) -> float:
    turned, _ = _turned(values, angle, border=cv2.BORDER_CONSTANT, how=cv2.INTER_LINEAR)
    there, _ = _turned(np.ones_like(values), angle, border=cv2.BORDER_CONSTANT, how=cv2.INTER_NEAREST)
    count = there.sum(axis=1)
    rows = turned.sum(axis=1)[count > 0.4 * count.max()] / count[count > 0.4 * count.max()]
    return float(np.square(rows).mean())


def _best(values: Pixels, near: tuple[float, float]) -> tuple[float, float]:
    """The direction within a range along which row sums vary most, and how much they do."""
    ratio = min(1.0, SIDE / min(values.shape))
    size = (max(8, round(values.shape[1] * ratio)), max(8, round(values.shape[0] * ratio)))
    small = _fine(cv2.resize(values, size, interpolation=cv2.INTER_AREA), 15)
    small = np.clip(small, *np.percentile(small, (2, 98)))  # thick ink must not outvote thin lines
    coarse = cv2.resize(small, (size[0] // 2, size[1] // 2), interpolation=cv2.INTER_AREA)
    best, step, strength = 0.0, 1.0, 0.0
    for picture, rough in ((coarse, True), (small, False), (small, False), (small, False)):
        tried = np.arange(near[0], near[1] + 1e-9) if rough else best + step * np.linspace(-1, 1, 9)
        step = step if rough else step / 4
        scores = [_sharpness(picture, float(a)) for a in tried]
        best, strength = float(tried[int(np.argmax(scores))]), max(scores)
    return best, strength


def direction(values: Pixels) -> float:
    """The direction of the lines in degrees, clockwise from level, -90..90.

    The one along which row sums of the fine part of the picture vary most (a discrete
    Radon transform), first to one degree, then to a fiftieth.
    """
    return (_best(values, (-90.0, 90.0))[0] + 90) % 180 - 90


def skew(values: Pixels, most: float = 15.0) -> float:
    """How far a sheet lies turned clockwise, in degrees within ``most``, by its lines, borders and rows."""
    level, strong = _best(values, (-most, most))
    upright, other = _best(np.ascontiguousarray(np.rot90(values)), (-most, most))
    return level if strong >= other else upright


def transmission(values: Pixels, angle: float, widest: float, *, bright: bool, limit: float) -> Pixels:
    """By how much lines at ``angle`` change each pixel, (H, W), 1 where there is none.

    For dark lines the share of light that they let through; for bright ones the share of
    darkness. Medians along the lines, in pieces so that a line may fade or lean a little,
    against what is wider than ``widest`` pixels across (a closing or an opening).

    Parameters
    ----------
    values : float32 (H, W)
    angle : float
        Degrees clockwise from level.
    limit : float
        Lines weaker than this in tone are none, as are those seen in under half of the pieces.
    """
    height, width = values.shape
    turned, matrix = _turned(values, angle)
    columns = turned.shape[1]
    count = min(SEGMENTS, columns)
    edges = np.linspace(0, columns, count + 1).astype(int)
    stride = max(1, columns // (count * 256))
    pieces = [np.median(turned[:, a:b:stride], axis=1) for a, b in pairwise(edges)]
    medians = np.stack(pieces, axis=1).astype(np.float32)
    element = np.ones((max(3, round(widest) + 2) | 1, 1), np.uint8)
    how = cv2.MORPH_OPEN if bright else cv2.MORPH_CLOSE
    ground = cv2.morphologyEx(medians, how, element, borderType=cv2.BORDER_REFLECT)
    seen = cv2.dilate((np.abs(ground - medians) > limit).astype(np.uint8), np.ones((5, 1), np.uint8))
    line = (seen.mean(axis=1) >= 0.5)[:, None]
    through = np.maximum(1 - medians if bright else medians, 0.02)
    before = np.maximum(1 - ground if bright else ground, 0.02)
    share = through / before
    # Where ink covers a piece of a line its median is the ink's: no piece is much deeper than the usual one.
    usual = np.nanmedian(np.where(seen > 0, share, np.nan)[line[:, 0]], axis=1, keepdims=True)
    share[line[:, 0]] = np.maximum(share[line[:, 0]], 1 - 1.3 * (1 - usual))
    found = np.where(line & (seen > 0), share, 1).astype(np.float32)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32) + np.float32(0.5)
    m = matrix.astype(np.float32)
    along = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) * np.float32(count / columns) - np.float32(0.5)
    across = m[1, 0] * x + m[1, 1] * y + m[1, 2] - np.float32(0.5)
    spread: Pixels = cv2.remap(found, along, across, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.clip(spread, 0.02, 1)
