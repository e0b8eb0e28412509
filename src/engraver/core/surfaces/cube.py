"""The six sides of a cube as one grid of points, for the surfaces that are made from it."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .ground import Faces, Places, grid_faces

# The axis that each side looks along, its sign, and the axes that lie to its right and up, with their signs,
# so that right, up and out are right-handed.
_SIDES = (
    (2, 1, (0, 1), (1, 1)), (2, -1, (0, -1), (1, 1)), (0, 1, (2, -1), (1, 1)),
    (0, -1, (2, 1), (1, 1)), (1, 1, (0, 1), (2, -1)), (1, -1, (0, 1), (2, 1)),
)  # fmt: skip


def cube_side(points: int, step: int) -> int:
    """Squares along an edge for about so many points; a whole number of steps."""
    side = max(4, round(math.sqrt(points / 6)))
    return max(step, round(side / step) * step)


def cube_points(side: int) -> tuple[Places, NDArray[np.int64]]:
    """Points of the cube's surface in -1..1, those on its edges once, and their numbers.

    Returns
    -------
    places : float64 (6 * side**2 + 2, 3)
    number : int64 (6, side + 1, side + 1)
        Of each side, row by row from the top, as seen from outside.
    """
    across, down = np.meshgrid(np.arange(side + 1), np.arange(side + 1))
    whole = np.empty((6, side + 1, side + 1, 3), np.int64)
    for n, (out, sign, (right, right_sign), (up, up_sign)) in enumerate(_SIDES):
        whole[n, ..., out] = side * (sign > 0)
        whole[n, ..., right] = across if right_sign > 0 else side - across
        whole[n, ..., up] = side - down if up_sign > 0 else down
    flat = whole.reshape(-1, 3)
    key = (flat[:, 0] * (side + 1) + flat[:, 1]) * (side + 1) + flat[:, 2]
    _, first, number = np.unique(key, return_index=True, return_inverse=True)
    places = (2.0 * flat[first] - side) / side
    return places, number.reshape(6, side + 1, side + 1)


def cube_faces(side: int, step: int, number: NDArray[np.int64]) -> tuple[Faces, Faces]:
    """Triangles of the cube, all of them and those of every ``step``-th point."""
    sets: list[Any] = []
    for kept in (np.arange(side + 1), np.arange(0, side + 1, step)):
        sets.append(np.concatenate([grid_faces(kept, kept, one) for one in number]))
    return sets[0], sets[1]
