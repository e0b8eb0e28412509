"""The ball: one mark on the side that faces the eye."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from ..scene import in_plaster
from ..view import Eye
from .kind import Body, Grid, SurfaceKind

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


# Tiles cover the ball to 120 degrees from its front.
BODY = Body(ball_grid, covered=58.0 / 120.0, mark_share=0.5, reach=1.16)
BALL = SurfaceKind(
    id="ball", name="Ball", command="Proof on a ball", key="3",
    draw=lambda sheet, check: in_plaster(BODY, sheet, check), eye=Eye(tilt=14.0, turn=-12.0), tilts=(-170.0, 170.0),
    body=BODY,
)  # fmt: skip
