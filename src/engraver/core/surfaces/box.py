"""The box with rounded edges."""

from __future__ import annotations

from typing import Any

import numpy as np

from .cube import cube_faces, cube_points, cube_side
from .ground import Ground, Places, ground_of, stride
from .kind import Geometry, SurfaceKind
from .view import Eye

# Half its size along x, y and z, and the radius of its edges.
HALF = np.array([0.92, 0.7, 0.7])
EDGE = 0.16


def build(points: int, own: Any) -> Ground:
    """The box: a cube's points drawn in to an inner box and out again by the radius of the edges."""
    step = stride(points)
    side = cube_side(points, step)
    on_cube, number = cube_points(side)
    inner = HALF - EDGE
    core = np.clip(on_cube * HALF, -inner, inner)
    away = on_cube * HALF - core
    normals = away / np.linalg.norm(away, axis=1, keepdims=True)
    return ground_of(core + EDGE * normals, normals, *cube_faces(side, step, number), "bent", grids=list(number))


def onto(places: Places, own: Any) -> tuple[Places, Places]:
    """The nearest place; what lies inside goes out by the nearest side."""
    inner = HALF - EDGE
    core = np.clip(places, -inner, inner)
    away = places - core
    size = np.linalg.norm(away, axis=1)
    inside = np.nonzero(size < 1e-9)[0]
    if len(inside):
        gap = inner - np.abs(places[inside])
        axis = np.argmin(gap, axis=1)
        sign = np.where(places[inside, axis] < 0, -1.0, 1.0)
        core[inside, axis] = sign * inner[axis]
        away[inside] = 0
        away[inside, axis] = sign
        size[inside] = 1
    normals = away / size[:, None]
    return core + EDGE * normals, normals


def chart(x: Places, y: Places) -> Places:
    """Its front, from the upper left corner; towards its border it is rounded."""
    across, up = (2 * x - 1) * HALF[0], (1 - 2 * y) * HALF[1]
    over = [np.maximum(0, np.abs(v) - (half - EDGE)) for v, half in zip((across, up), HALF, strict=False)]
    deep = np.sqrt(np.maximum(0, EDGE**2 - over[0] ** 2 - over[1] ** 2))
    return np.stack([across, up, HALF[2] - EDGE + deep], -1)


def uncharted(places: Places) -> tuple[Places, Places]:
    """As it is seen from the front."""
    return (places[:, 0] / HALF[0] + 1) / 2, (1 - places[:, 1] / HALF[1]) / 2


BOX = SurfaceKind(
    id="box", name="Box", help="A block with rounded edges, for marks that go over an edge.",
    geometry=Geometry(build, onto, chart, uncharted, alike=False, reach=1.3), eye=Eye(tilt=24.0, turn=0.0),
    tilts=(-170.0, 170.0),
)  # fmt: skip
