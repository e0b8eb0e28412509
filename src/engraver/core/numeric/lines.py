"""Straight lines that run through the whole picture: found by their rows, and the share of light they let through."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import ruled
from .ranks import median

SEGMENTS = 8
# Rows are judged by so many of their pixels.
SAMPLES = 600
# A line is so much further from the rows beside it than rows of this picture usually are from each other.
STANDS_OUT = 2.5
# It is seen in so many of a row's pixels and pieces, on both sides.
OF_PIXELS, OF_PIECES = 0.75, 0.6
# Rows of its surroundings on either side.
BESIDE = 2
# The soft rims of a line, in rows.
SKIRT = 1
_WIDTHS = (1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 48, 64)


@dataclass(frozen=True, slots=True)
class Band:
    """A line: its rows from ``first`` up to ``end``, which is no longer its own."""

    first: int
    end: int
    score: float


def _means(rows: Pixels, count: int) -> Pixels:
    """Of ``count`` rows from each one on."""
    sums = np.cumsum(np.vstack([np.zeros((1, rows.shape[1]), np.float32), rows]), axis=0, dtype=np.float64)
    found: Pixels = ((sums[count:] - sums[:-count]) / count).astype(np.float32)
    return found


def _usual(values: NDArray[np.floating]) -> float:
    """The standard deviation of what most values are, were they normal: lines are the few."""
    return float(np.quantile(np.abs(values), 0.4)) / 0.524


def _middles(values: Pixels) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
    """The median of each row, and the mean of its middle half: rows are sorted once for both."""
    ordered, width = np.sort(values, axis=1), values.shape[1]
    cut = width // 4
    halfway = (ordered[:, (width - 1) // 2] + ordered[:, width // 2]) / 2
    return halfway, ordered[:, cut : -cut or None].mean(axis=1)


def bands(rows: Pixels, widest: float, *, bright: tuple[bool, ...], limit: float) -> list[list[Band]]:
    """The level lines in a picture: for each of ``bright`` the bright or the dark ones, the plainest first.

    A row is part of a line when the medians of its differences from the rows above and from
    those below both stand out, among the medians of all rows, and nearly all of its pixels
    agree: texture has no such rows, the border of an area differs on one side only.

    Parameters
    ----------
    rows : float32 (H, W)
    widest : float
        Pixels across, of the widest line.
    bright : tuple of bool
        Whether bright lines are looked for, or dark ones.
    limit : float
        Lines weaker than this in tone are none.

    Returns
    -------
    list of list of Band
        As many as ``bright`` has.
    """
    height, width = rows.shape
    edges = np.linspace(0, width, min(SEGMENTS, width) + 1).astype(int)
    beside = _means(rows, BESIDE)
    found: list[list[tuple[float, int, int]]] = [[] for _ in bright]
    for count in (n for n in _WIDTHS if n <= max(1.0, widest)):
        first = np.arange(BESIDE + SKIRT, height - count - BESIDE - SKIRT)
        if len(first) < 8:
            break
        inside = _means(rows, count)[first]
        sides = inside - beside[first - BESIDE - SKIRT], inside - beside[first + count + SKIRT]
        medians, halves = zip(*(_middles(side) for side in sides), strict=True)
        usual = max(_usual(np.concatenate(medians)), _usual(np.concatenate(halves)))
        for way, listed in zip(bright, found, strict=True):
            sign = np.float32(1 if way else -1)
            strength = np.minimum(*(sign * middle for middle in medians))
            is_line = strength > max(limit, STANDS_OUT * usual)
            for n in np.flatnonzero(is_line):
                above, below = (sign * side[n] for side in sides)
                parts = [min(median(above[a:b]), median(below[a:b])) > limit / 2 for a, b in pairwise(edges)]
                seen = min((above > 0).mean(), (below > 0).mean()) > OF_PIXELS
                is_line[n] = seen and np.mean(parts) >= OF_PIECES
            score = strength / (usual + 0.2 * limit) * math.sqrt(count)
            listed += [(float(score[n]), int(first[n]), count) for n in np.flatnonzero(is_line)]
    return [_apart(listed, height) for listed in found]


def _apart(found: list[tuple[float, int, int]], height: int) -> list[Band]:
    """Of scored lines those that no plainer one lies beside."""
    taken, lines = np.zeros(height, bool), []
    for weight, start, count in sorted(found, reverse=True):
        if not taken[start - SKIRT : start + count + SKIRT].any():
            taken[start : start + count] = True
            lines.append(Band(start, start + count, weight))
    return lines


def direction(values: Pixels, widest: float, *, bright: tuple[bool, ...], limit: float) -> float:
    """The direction of the lines in degrees, clockwise from level, -90..90.

    Of level, upright and the direction of :func:`ruled.direction` the one with most lines, so
    that neither a row of edges nor another thing that is long and straight decides.
    """
    ratio = min(1.0, SAMPLES / min(values.shape))
    size = (max(8, round(values.shape[1] * ratio)), max(8, round(values.shape[0] * ratio)))
    small = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
    seen = ruled.direction(small)
    best, most = seen, 0.0
    for angle in (seen, 0.0, 90.0):
        rows, _ = ruled.turned(small, angle)
        found = bands(rows, widest * ratio, bright=bright, limit=limit)
        if (score := sum(b.score for one in found for b in one)) > most:
            best, most = angle, score
    return (best + 90) % 180 - 90


def _regression(values: Pixels, ground: Pixels) -> float:
    """The share s for which the sum of |value - s ground| is least: the median of the ratios, weighted."""
    ratios = values / ground
    order = np.argsort(ratios)
    weights = np.cumsum(ground[order])
    return float(ratios[order][int(np.searchsorted(weights, weights[-1] / 2))])


def _let_through(row: Pixels, sides: tuple[Pixels, Pixels], place: float) -> float:
    """The share of a row against its two sides; where they disagree, the one nearer to none."""
    between = sides[0] * np.float32(1 - place) + sides[1] * np.float32(place)
    above, below, both = (_regression(row, ground) for ground in (*sides, between))
    return both if abs(above - below) <= 0.5 * (1 - both) else max(above, below)


def _shares(light: Pixels, band: Band, edges: NDArray[np.int_]) -> Pixels:
    """How much each row of a band and its soft rims lets through, piece by piece, (rows, pieces).

    A piece has its own share as far as the pieces differ by more than they are uncertain
    (empirical Bayes): a line may fade along its way.
    """
    start, end = max(0, band.first - SKIRT), min(len(light), band.end + SKIRT)
    sides = light[max(0, start - BESIDE) : start].mean(axis=0), light[end : end + BESIDE].mean(axis=0)
    found = np.ones((end - start, len(edges) - 1), np.float32)
    for n, row in enumerate(light[start:end]):
        place = (n + 1) / (end - start + 1)
        whole = _let_through(row, sides, place)
        parts = [slice(a, b) for a, b in pairwise(edges)]
        each = np.array([_let_through(row[p], (sides[0][p], sides[1][p]), place) for p in parts])
        off = np.abs(row / (0.5 * (sides[0] + sides[1])) - whole)
        # Neighbours are alike: about a quarter of the pixels count.
        unsure = np.array([1.85 * median(off[p]) / math.sqrt(max(1.0, (p.stop - p.start) / 4)) for p in parts])
        true = max(0.0, each.var() - float(np.square(unsure).mean()))
        share = whole + true / (true + np.square(unsure) + 1e-12) * (each - whole)
        skirt = not band.first <= start + n < band.end
        if not skirt or 1 - whole > 2 * unsure.mean() / math.sqrt(len(parts)):
            found[n] = np.minimum(share, 1)
    return found


def transmission(values: Pixels, angle: float, widest: float, *, bright: bool, limit: float) -> Pixels:
    """By how much lines at ``angle`` change each pixel, (H, W), 1 where there is none.

    For dark lines the share of light that they let through; for bright ones the share of
    darkness that they leave. The lines are those of :func:`bands`; their share is a regression
    of least absolute deviations against the rows beside them.

    Parameters
    ----------
    values : float32 (H, W)
    angle : float
        Degrees clockwise from level.
    widest : float
        Pixels across.
    limit : float
        Lines weaker than this in tone are none, as are those seen in under most of the pieces.
    """
    height, width = values.shape
    level, matrix = ruled.turned(values, angle)
    rows = np.ascontiguousarray(level[:, :: max(1, level.shape[1] // SAMPLES)])
    count = min(SEGMENTS, rows.shape[1])
    edges = np.linspace(0, rows.shape[1], count + 1).astype(int)
    light = np.maximum(1 - rows if bright else rows, np.float32(1e-3))
    found = np.ones((len(rows), count), np.float32)
    for band in bands(rows, widest, bright=(bright,), limit=limit)[0]:
        start = max(0, band.first - SKIRT)
        shares = _shares(light, band, edges)
        found[start : start + len(shares)] = np.minimum(found[start : start + len(shares)], shares)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32) + np.float32(0.5)
    m = matrix.astype(np.float32)
    along = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) * np.float32(count / level.shape[1]) - np.float32(0.5)
    across = m[1, 0] * x + m[1, 1] * y + m[1, 2] - np.float32(0.5)
    spread: Pixels = cv2.remap(found, along, across, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.clip(spread, 0.02, 1)
