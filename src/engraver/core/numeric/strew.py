"""Places strewn over a plate: at random with a least distance, in rows, on a six-sided grid, round rings."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from . import strew_kernels

Places = NDArray[np.float64]
# Most places of one plate.
MOST = 100_000
# Tries round each place before it counts as surrounded (Bridson's own number).
_TRIES = 30


def draws(seed: int, count: int, channel: int) -> NDArray[np.float64]:
    """Random numbers 0..1 (count,): the n-th is the same whatever the count."""
    out = np.empty(count)
    strew_kernels.draws(np.uint64(seed & 0xFFFFFFFFFFFFFFFF), count, channel, out)
    return out


def at_random(count: int, width: float, height: float, least: float, wrap: tuple[bool, bool], seed: int) -> Places:
    """Places at random, no two nearer than ``least``, over the sides that wrap too.

    With a least distance the plate is filled (R. Bridson, "Fast Poisson disk sampling in arbitrary dimensions",
    2007) and as many of its places are taken, in an order of their own; so a greater count only adds.

    Parameters
    ----------
    count : int
        How many are wanted; fewer come back where no more fit.
    width, height, least : float
        In one unit.
    wrap : (bool, bool)
        Over which sides distances go on.

    Returns
    -------
    float64 (n, 2)
        In the unit of ``width``; at most ``count`` and at most ``MOST``.
    """
    if count < 1:
        return np.zeros((0, 2))
    if least <= 0:
        return np.column_stack([draws(seed, count, 0) * width, draws(seed, count, 1) * height])
    # No packing is denser than the six-sided one.
    room = min(MOST, int((width + least) * (height + least) / (least * least * math.sqrt(3) / 2)) + 8)
    side = least / math.sqrt(2)
    columns, rows = max(1, math.ceil(width / side)), max(1, math.ceil(height / side))
    grid = np.full((rows, columns), -1, np.int64)
    points = np.empty((room, 2))
    wrap = (wrap[0] and width >= least, wrap[1] and height >= least)
    found = strew_kernels.poisson(
        width, height, least, wrap[0], wrap[1], np.uint64(seed & 0xFFFFFFFFFFFFFFFF), _TRIES, grid, points
    )
    order = np.argsort(draws(seed, found, 5), kind="stable")
    return points[:found][order][:count]


def in_rows(count: int, width: float, height: float, six_sided: bool) -> Places:
    """About ``count`` places (n, 2) in rows that close over the plate's borders; every second row of a six-sided grid
    lies half a step to the right, and there is an even number of them. Width and height in one unit."""
    if count < 1:
        return np.zeros((0, 2))
    tall = math.sqrt(3) / 2 if six_sided else 1.0
    columns = max(1, round(math.sqrt(count * tall * width / height)))
    rows = max(1, round(count / columns))
    if six_sided:
        rows = max(2, 2 * round(rows / 2))
    i, j = np.divmod(np.arange(rows * columns), columns)
    shift = np.where(i % 2, 0.5, 0.0) if six_sided else 0.0
    return np.column_stack(
        [(j + 0.25 + shift if six_sided else j + 0.5) * width / columns, (i + 0.5) * height / rows]
    )


def in_rings(count: int, width: float, height: float) -> tuple[Places, NDArray[np.float64]]:
    """About ``count`` places (n, 2) on rings round the middle, evenly on each, and the direction in which each looks
    outwards, in degrees (n,); the outermost ring touches the nearer borders. Width and height in one unit."""
    rings = max(1, round((math.sqrt(1 + 4 * max(count, 1) / math.pi) - 1) / 2))
    far = min(width, height) / 2 / (rings + 0.5)
    made, looks = [np.array([(width / 2, height / 2)])], [np.zeros(1)]
    for n in range(1, rings + 1):
        many = max(1, round(2 * math.pi * n))
        angle = 2 * math.pi * np.arange(many) / many
        made.append(np.column_stack([width / 2 + n * far * np.cos(angle), height / 2 + n * far * np.sin(angle)]))
        looks.append(np.degrees(angle))
    return np.concatenate(made)[:count], np.concatenate(looks)[:count]
