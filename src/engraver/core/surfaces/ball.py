"""The ball."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from .cube import cube_faces, cube_points, cube_side
from .ground import Ground, Places, ground_of, stride
from .kind import Geometry, Single, SurfaceKind
from .view import Eye

# The mark's half angle on the ball.
BALL_HALF_ANGLE = np.deg2rad(58.0)
RADIUS = 0.95


def build(points: int, own: Any) -> Ground:
    """The ball as a cube blown up, its squares even in angle, so that no place of it is a pole.

    The map is the tangent-adjusted one that J. Philip Schneider's and others' "gnomonic equiangular" cube uses
    (C. Ronchi and others, 1996): great circles of even angles, which differ by 1.41 in area at most.
    """
    step = stride(points)
    side = cube_side(points, step)
    on_cube, number = cube_points(side)
    bent = np.tan(on_cube * (math.pi / 4))
    normals = bent / np.linalg.norm(bent, axis=1, keepdims=True)
    return ground_of(RADIUS * normals, normals, *cube_faces(side, step, number), "bent", grids=list(number))


def onto(places: Places, own: Any) -> tuple[Places, Places]:
    """Straight in or out; the ball's middle becomes its front."""
    size = np.linalg.norm(places, axis=1, keepdims=True)
    normals = np.where(size > 1e-9, places / np.maximum(size, 1e-9), np.array([0.0, 0.0, 1.0]))
    return RADIUS * normals, normals


def chart(x: Places, y: Places) -> Places:
    """Its length from the back round to the back, its breadth from the top down."""
    long, broad = (x - 0.5) * 2 * math.pi, (0.5 - y) * math.pi
    across = np.cos(broad)
    return RADIUS * np.stack([np.sin(long) * across, np.sin(broad), np.cos(long) * across], -1)


def uncharted(places: Places) -> tuple[Places, Places]:
    """Length and breadth."""
    up = np.clip(places[:, 1] / RADIUS, -1, 1)
    return np.arctan2(places[:, 0], places[:, 2]) / (2 * math.pi) + 0.5, 0.5 - np.arcsin(up) / math.pi


GEOMETRY = Geometry(build, onto, chart, uncharted, reach=1.16)
BALL = SurfaceKind(
    id="ball", name="Ball", help="A ball, for marks that have to follow a bend.", geometry=GEOMETRY,
    command="Proof on a ball", key="3", eye=Eye(tilt=14.0, turn=-12.0), tilts=(-170.0, 170.0),
    # Tiles cover the ball to 120 degrees from its front.
    single=Single(float(RADIUS * BALL_HALF_ANGLE), covered=120.0 / 58.0, reach=1.16),
)  # fmt: skip
