"""The ball."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import numpy as np

from .cube import cube_faces, cube_points, cube_side
from .ground import Ground, Places, ground_of, stride
from .kind import Body, Geometry, Grid, SurfaceKind
from .view import Eye

# The mark's half angle on the ball.
BALL_HALF_ANGLE = np.deg2rad(58.0)
_RADIUS = 0.95


@lru_cache(maxsize=3)
def ball_grid(count: int) -> Grid:
    """A ball of radius 0.95 as an equal-area grid round the point that faces the eye.

    The square is mapped to a disc by P. Shirley and K. Chiu's concentric map (1997)
    and the disc to the ball by Lambert's equal-area projection, so that the points
    are equally dense all over.
    """
    axis = np.linspace(-1, 1, count, dtype=np.float64)
    a, b = np.meshgrid(axis, -axis)
    steep = np.abs(a) > np.abs(b)
    safe_a, safe_b = np.where(a == 0, 1, a), np.where(b == 0, 1, b)
    r = np.where(steep, a, b)
    phi = np.where(steep, np.pi / 4 * (b / safe_a), np.pi / 2 - np.pi / 4 * (a / safe_b))
    phi = np.where((a == 0) & (b == 0), 0, phi)
    dx, dy = np.cos(phi) * np.sign(r), np.sin(phi) * np.sign(r)
    theta = 2 * np.arcsin(np.clip(np.abs(r), 0, 1))
    normals = np.stack([np.sin(theta) * dx, np.sin(theta) * dy, np.cos(theta)], axis=-1)
    u = theta * dx / (2 * BALL_HALF_ANGLE) + 0.5
    v = -theta * dy / (2 * BALL_HALF_ANGLE) + 0.5
    to = np.float32
    return Grid(
        np.ascontiguousarray(_RADIUS * normals, to), np.ascontiguousarray(normals, to), u.astype(to), v.astype(to),
        float(_RADIUS * 2 * BALL_HALF_ANGLE),
    )  # fmt: skip


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
    return ground_of(_RADIUS * normals, normals, *cube_faces(side, step, number), "bent")


def onto(places: Places, own: Any) -> tuple[Places, Places]:
    """Straight in or out; the ball's middle becomes its front."""
    size = np.linalg.norm(places, axis=1, keepdims=True)
    normals = np.where(size > 1e-9, places / np.maximum(size, 1e-9), np.array([0.0, 0.0, 1.0]))
    return _RADIUS * normals, normals


def chart(x: Places, y: Places) -> Places:
    """Its length from the back round to the back, its breadth from the top down."""
    long, broad = (x - 0.5) * 2 * math.pi, (0.5 - y) * math.pi
    across = np.cos(broad)
    return _RADIUS * np.stack([np.sin(long) * across, np.sin(broad), np.cos(long) * across], -1)


def uncharted(places: Places) -> tuple[Places, Places]:
    """Length and breadth."""
    up = np.clip(places[:, 1] / _RADIUS, -1, 1)
    return np.arctan2(places[:, 0], places[:, 2]) / (2 * math.pi) + 0.5, 0.5 - np.arcsin(up) / math.pi


# Tiles cover the ball to 120 degrees from its front.
BODY = Body(ball_grid, covered=58.0 / 120.0, mark_share=0.5, reach=1.16)
GEOMETRY = Geometry(build, onto, chart, uncharted, reach=1.16)
BALL = SurfaceKind(
    id="ball", name="Ball", help="A ball, for marks that have to follow a bend.", geometry=GEOMETRY,
    command="Proof on a ball", key="3", eye=Eye(tilt=14.0, turn=-12.0), tilts=(-170.0, 170.0), body=BODY,
)  # fmt: skip
