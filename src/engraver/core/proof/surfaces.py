"""Surfaces to press a plate into, as grids of points with normals and mark coordinates."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from ..raster import Pixels

SurfaceKind = Literal["flat", "ball"]
# What a plate is tried on: plaster in some form, or paper.
Trial = SurfaceKind | Literal["paper"]
# The mark's width as a share of the flat surface's, and its half angle on the ball.
FLAT_MARK = 0.86
BALL_HALF_ANGLE = np.deg2rad(58.0)
# By so much a mark shrinks in u and v when tiles cover the ball, to 120 degrees from its front.
BALL_COVERED = 58.0 / 120.0


@dataclass(frozen=True, slots=True)
class Surface:
    """A square grid of points.

    Attributes
    ----------
    points, normals : float32 (n, n, 3)
        In scene units: the surface is about 2 wide, z towards the eye.
    u, v : float32 (n, n)
        Place in the mark: 0..1 inside it, x right and y down; outside it elsewhere.
    mark_width : float
        Width of the mark in scene units: strength is a share of it.
    """

    points: Pixels
    normals: Pixels
    u: Pixels
    v: Pixels
    mark_width: float


@lru_cache(maxsize=6)
def surface(kind: SurfaceKind, count: int) -> Surface:
    """A surface of ``count`` by ``count`` points."""
    return _flat(count) if kind == "flat" else _ball(count)


def _flat(count: int) -> Surface:
    axis = np.linspace(-1, 1, count, dtype=np.float32)
    x, y = np.meshgrid(axis, -axis)
    points = np.stack([x, y, np.zeros_like(x)], axis=-1)
    normals = np.zeros_like(points)
    normals[..., 2] = 1
    u = x / np.float32(2 * FLAT_MARK) + np.float32(0.5)
    v = -y / np.float32(2 * FLAT_MARK) + np.float32(0.5)
    return Surface(points, normals, u, v, 2 * FLAT_MARK)


def _ball(count: int) -> Surface:
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
    r = np.abs(r)
    theta = 2 * np.arcsin(np.clip(r, 0, 1))
    normals = np.stack([np.sin(theta) * dx, np.sin(theta) * dy, np.cos(theta)], axis=-1)
    points = 0.95 * normals
    u = theta * dx / (2 * BALL_HALF_ANGLE) + 0.5
    v = -theta * dy / (2 * BALL_HALF_ANGLE) + 0.5
    width = 0.95 * 2 * BALL_HALF_ANGLE
    to = np.float32
    return Surface(
        np.ascontiguousarray(points, to), np.ascontiguousarray(normals, to), u.astype(to), v.astype(to), float(width)
    )
