"""What lies inside outlines: the exact area of each pixel that they cover, and how far it is to their lines."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import outline_kernels
from .contours import Contours
from .split_rows import split_rows

Edges = NDArray[np.float64]
# From so many pixels on a second thread pays.
_LARGE = 60_000
Bounds = tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class Box:
    """A part of a raster: its first column and row, and its size in pixels."""

    left: int
    top: int
    width: int
    height: int

    @property
    def slices(self) -> tuple[slice, slice]:
        """Rows and columns of it."""
        return slice(self.top, self.top + self.height), slice(self.left, self.left + self.width)


def edges_of(contours: Contours) -> Edges:
    """The edges of closed outlines, (n, 4): x0, y0, x1, y1."""
    edges = np.empty((sum(len(c) for c in contours), 4))
    first = 0
    for points in contours:
        part = edges[first : first + len(points)]
        part[:, :2], part[:-1, 2:], part[-1:, 2:] = points, points[1:], points[:1]
        first += len(points)
    return edges


def bounds(contours: Contours) -> Bounds:
    """Left, top, right and bottom of what outlines surround."""
    found = [outline_kernels.bounds(points) for points in contours]
    return tuple(pick(values) for pick, values in zip((min, min, max, max), zip(*found, strict=True), strict=True))


def box_of(within: Bounds, rows: int, columns: int, grow: float = 0.0, beyond: int = 0) -> Box | None:
    """The pixels that bounds, ``grow`` pixels wider, touch; up to ``beyond`` pixels beside the raster."""
    far = 1e8
    left, top = (max(-beyond, math.floor(max(v - grow, -far))) for v in within[:2])
    right = min(columns + beyond, math.ceil(min(within[2] + grow, far)))
    bottom = min(rows + beyond, math.ceil(min(within[3] + grow, far)))
    return Box(left, top, right - left, bottom - top) if right > left and bottom > top else None


def coverage(contours: Contours, box: Box, even_odd: bool = False) -> Pixels:
    """How much of each pixel lies inside closed outlines, 0..1, float32 (box.height, box.width).

    Exact for polygons whose edges do not cross inside a pixel: the signed areas right of all edges are summed
    along the rows (R. Levien, "font-rs", 2016; so does FreeType's smooth rasteriser).

    Parameters
    ----------
    even_odd : bool
        What is surrounded an even number of times is outside; else what is surrounded at all is inside.
    """
    sums = np.zeros((box.height, box.width + 2))
    outline_kernels.accumulate(edges_of(contours), float(box.left), float(box.top), sums)
    out = np.empty((box.height, box.width), np.float32)
    outline_kernels.covered(sums, even_odd, out)
    return out


def _coarser(contour: NDArray[np.float64]) -> NDArray[np.float64]:
    """Without the points of smooth arcs that lie closer than a pixel: their chords stray less than can be seen."""
    if len(contour) < 64:
        return contour
    step = np.hypot(*np.diff(contour, axis=0, append=contour[:1]).T)
    small = step < 0.7
    if not small.any():
        return contour
    way = np.diff(contour, axis=0, append=contour[:1]) / np.maximum(step, 1e-12)[:, None]
    sharp = (way * np.roll(way, 1, axis=0)).sum(axis=1) < 0.95
    along = np.floor(np.cumsum(step))
    keep = sharp | (along != np.roll(along, 1)) | (step > 1)
    return contour[keep] if keep.sum() >= 3 else contour


def distance(contours: Contours, box: Box) -> Pixels:
    """Distance of every pixel's centre from the nearest line of the outlines, in pixels, float32.

    The nearest pixel of the outline (G. Borgefors, "Distance transformations in digital images", 1986) names an
    edge to begin from; the distance is then taken from the edges themselves, and every pixel tries those of its
    neighbours (P.-E. Danielsson, "Euclidean distance mapping", 1980).
    """
    thin = tuple(_coarser(c) for c in contours)
    edges = edges_of(thin)
    out = np.full((box.height, box.width), np.inf, np.float32)
    if not len(edges):
        return out
    order = np.arange(len(edges))
    after, before, first = order + 1, order - 1, 0
    for contour in thin:
        last = first + len(contour) - 1
        after[last], before[first], first = first, last, last + 1
    cells = np.full((box.height, box.width), -1, np.int32)
    outline_kernels.trace(edges, float(box.left), float(box.top), cells)
    free = (cells < 0).astype(np.uint8)
    if free.all():
        return out
    _, labels = cv2.distanceTransformWithLabels(free, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    there = free == 0
    table = np.zeros(int(labels.max()) + 1, np.int32)
    table[labels[there]] = cells[there]
    left, top, who = float(box.left), float(box.top), np.empty(out.shape, np.int32)
    split_rows(
        lambda a, b: outline_kernels.nearest(edges, after, before, labels, table, left, top, a, b, who, out),
        box.height, None if out.size > _LARGE else box.height,
    )  # fmt: skip
    outline_kernels.relax(edges, left, top, who, out)
    return out


def deepest(contours: Contours, box: Box, inside: Pixels) -> float:
    """How far the place farthest inside lies from the outline, in pixels, to a hundredth of one.

    Parameters
    ----------
    inside : float32 (box.height, box.width)
        Distance from the outline inside it, at most 0 elsewhere.
    """
    row, column = np.unravel_index(int(inside.argmax()), inside.shape)
    edges = edges_of(tuple(_coarser(c) for c in contours))
    if inside[row, column] <= 0:
        return math.ulp(1.0)
    found = outline_kernels.farthest(edges, column + 0.5 + box.left, row + 0.5 + box.top, float(inside.max()))
    return float(found)
