"""Finding a frame: the sheet in a photo, the largest square of even light, the box of what is there."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import blur, matte, resample

Corners = tuple[tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]]
_SIDE = 400
_GRID = 64
_SMALLEST = 0.15
# What stands less than this share of the range off the ground is none of the subject: half a level of 8 bits.
NOTHING = 0.5 / 255


def _in_order(quad: NDArray[np.float64]) -> NDArray[np.float64]:
    """Corners clockwise on the picture from the one nearest the top left."""
    centre = quad.mean(axis=0)
    quad = quad[np.argsort(np.arctan2(quad[:, 1] - centre[1], quad[:, 0] - centre[0]))]
    return np.roll(quad, -int(np.argmin(quad.sum(axis=1))), axis=0)


def sheet_corners(values: Pixels) -> Corners | None:
    """The corners of a bright sheet on a darker ground, as shares, clockwise from the top left, or None.

    The largest bright region (Otsu's cut on a softened picture), its convex hull
    simplified until four corners are left.
    """
    small = cv2.GaussianBlur(resample.at_most(values, _SIDE, 4), (0, 0), 2.0)
    region = (small > matte.otsu(small)).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(region, connectivity=4)
    if count < 2:
        return None
    best = 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
    if stats[best, cv2.CC_STAT_AREA] < _SMALLEST * region.size:
        return None
    outlines, _ = cv2.findContours((labels == best).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    hull = cv2.convexHull(max(outlines, key=len))
    length = cv2.arcLength(hull, True)
    for share in np.linspace(0.01, 0.12, 23):
        quad = cv2.approxPolyDP(hull, share * length, True)
        if len(quad) == 4:
            height, width = small.shape
            found = _in_order((quad[:, 0].astype(np.float64) + 0.5) / (width, height))
            a, b, c, d = ((float(x), float(y)) for x, y in np.clip(found, 0, 1))
            return a, b, c, d
        if len(quad) < 4:
            return None
    return None


def largest_even_square(values: Pixels, tolerance: float) -> tuple[float, float, float] | None:
    """The largest square whose light is even: its centre (x, y) as shares, its side as a share of the shorter side.

    Parameters
    ----------
    values : float32 (H, W)
    tolerance : float
        How far the light may range within it, as a share of its mean.
    """
    ratio = _GRID / min(values.shape)
    size = (max(4, round(values.shape[1] * ratio)), max(4, round(values.shape[0] * ratio)))
    light = blur.gaussian(cv2.resize(values, size, interpolation=cv2.INTER_AREA), _GRID / 12)
    height, width = light.shape
    for side in range(min(height, width), max(3, _GRID // 8), -1):
        element = np.ones((side, side), np.uint8)
        rows, columns = height - side + 1, width - side + 1
        anchor = (0, 0)
        high = cv2.dilate(light, element, anchor=(side - 1, side - 1))[side - 1 :, side - 1 :]
        low = cv2.erode(light, element, anchor=anchor)[:rows, :columns]
        high = high[:rows, :columns]
        mean = cv2.boxFilter(light, cv2.CV_32F, (side, side), anchor=anchor)[:rows, :columns]
        good = high - low <= tolerance * np.maximum(mean, 1e-6)
        if good.any():
            y, x = np.nonzero(good)
            away = np.hypot(x + side / 2 - width / 2, y + side / 2 - height / 2)
            best = int(np.argmin(away))
            centre = (x[best] + side / 2) / width, (y[best] + side / 2) / height
            return float(centre[0]), float(centre[1]), side / min(height, width)
    return None


def what_is_there(values: Pixels, coverage: Pixels | None, zero: float) -> Pixels:
    """How much each pixel belongs to what the picture shows, 0..1: its coverage, else its distance from the ground.

    Without coverage the ground is the median of the outermost ring, and all that differs
    from it by more than Otsu's cut is there.
    """
    if coverage is not None and float(coverage.min()) < 0.5:
        return coverage
    far = apart(values, coverage, zero)
    if float(far.max()) < 1e-4:
        return np.ones_like(values)
    cut = matte.otsu(far)
    found: Pixels = (far > cut).astype(np.float32)
    return found


def rim(values: Pixels, wide: int = 1) -> Pixels:
    """The outermost pixels of an (H, W) array, ``wide`` of them on each side, in one row; corners count twice."""
    w = wide
    return np.concatenate([values[:w].ravel(), values[-w:].ravel(), values[:, :w].ravel(), values[:, -w:].ravel()])


def apart(values: Pixels, coverage: Pixels | None, zero: float) -> Pixels:
    """How far each pixel stands off the ground: zero where there is coverage, else the ring's median."""
    if coverage is not None and float(coverage.min()) < 0.5:
        ground = zero
    else:
        ground = float(np.median(rim(values)))
    found: Pixels = np.abs(values - np.float32(ground))
    return found if coverage is None else found * coverage


def reach_of(apart: Pixels) -> tuple[float, float, float, float] | None:
    """Left, top, right, bottom, as shares, outside of which the picture lies within :data:`NOTHING` of its ground.

    None when there is no such box: the subject runs over the border, or the ground is uneven.
    """
    there = (apart > NOTHING * float(apart.max())).astype(np.float32)
    return None if rim(there).any() else box_of(there)


def box_of(weight: Pixels) -> tuple[float, float, float, float] | None:
    """Left, top, right, bottom of what weighs over a half, as shares; None when nothing does."""
    there = weight > 0.5
    rows, columns = np.nonzero(there.any(axis=1))[0], np.nonzero(there.any(axis=0))[0]
    if not len(rows):
        return None
    height, width = weight.shape
    return columns[0] / width, rows[0] / height, (columns[-1] + 1) / width, (rows[-1] + 1) / height
