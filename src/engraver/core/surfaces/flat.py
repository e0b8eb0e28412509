"""The flat surface: a square seen at a slant."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .ground import Even, Ground, Places, grid_faces, ground_of, stride, thinned
from .kind import Geometry, Single, SurfaceKind

# The mark's width as a share of the surface's.
FLAT_MARK = 0.86


def square_points(count: int) -> Places:
    """Places of a square grid of ``count`` by ``count`` points in the plane z = 0, where pixels have their middles:
    float64 (count * count, 3), row by row from the top."""
    axis = (2.0 * np.arange(count) + 1 - count) / count
    x, y = np.meshgrid(axis, -axis)
    return np.stack([x, y, np.zeros_like(x)], -1).reshape(-1, 3)


def square_grid(count: int) -> NDArray[np.int64]:
    """The numbers of such a grid's points, (count, count)."""
    return np.arange(count * count).reshape(count, count)


def square_faces(count: int, step: int) -> tuple[Any, Any]:
    """Triangles of such a grid, all of them and a few."""
    number = square_grid(count)
    every, few = np.arange(count), thinned(count, step)
    return grid_faces(every, every, number), grid_faces(few, few, number)


def square_rows(count: int) -> Even:
    """How the points of such a grid stand."""
    return Even(count, count, 1 / count - 1, 1 - 1 / count, 2 / count, -2 / count)


def build(points: int, own: Any) -> Ground:
    """The square, with about so many points."""
    count = max(8, round(math.sqrt(points)))
    places = square_points(count)
    up = np.broadcast_to(np.array([0.0, 0.0, 1.0]), places.shape)
    return ground_of(
        places, up, *square_faces(count, stride(points)), "plane", even=square_rows(count), grids=[square_grid(count)]
    )


def onto(places: Places, own: Any) -> tuple[Places, Places]:
    """Straight down onto the plane."""
    on, up = places.copy(), np.zeros_like(places)
    on[:, 2], up[:, 2] = 0, 1
    return on, up


def chart(x: Places, y: Places) -> Places:
    """The square from its upper left corner."""
    return np.stack([2 * x - 1, 1 - 2 * y, np.zeros_like(x)], -1)


def uncharted(places: Places) -> tuple[Places, Places]:
    """Shares of the square."""
    return (places[:, 0] + 1) / 2, (1 - places[:, 1]) / 2


GEOMETRY = Geometry(build, onto, chart, uncharted, axis=2, reach=1.3)
FLAT = SurfaceKind(
    id="flat", name="Flat", help="A plain square, pressed exactly.", geometry=GEOMETRY, command="Proof on flat",
    key="2", single=Single(FLAT_MARK, covered=1 / FLAT_MARK, reach=1.04, upright=1.1),
)  # fmt: skip
