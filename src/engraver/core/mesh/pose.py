"""Which way a mesh is looked at: straight views, the flat view, and turns from them.

The eye's axes are x to the right, y up and z towards the eye. A pose is a rotation whose
rows are these axes in the mesh's own ones.

Plain sines, held to SciPy's ``Rotation`` by the tests: importing that takes 0.3 s of the start.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..numeric import surface
from ..raster import Pixels
from .model import Mesh, Vector

Matrix = NDArray[np.float64]
View = Literal["top", "bottom", "front", "back", "left", "right", "flat"]
_ROWS: Mapping[str, tuple[tuple[int, int, int], tuple[int, int, int]]] = MappingProxyType({
    "top": ((1, 0, 0), (0, 1, 0)), "bottom": ((1, 0, 0), (0, -1, 0)),
    "front": ((1, 0, 0), (0, 0, 1)), "back": ((-1, 0, 0), (0, 0, 1)),
    "left": ((0, -1, 0), (0, 0, 1)), "right": ((0, 1, 0), (0, 0, 1)),
})  # fmt: skip
STRAIGHT = tuple(_ROWS)
OUTER = 0.1
SAMPLES = 40_000
SNAP_BELOW = 3.0
# An outline that fills this much of the smallest rectangle round it has sides worth squaring to.
_HAS_SIDES = 0.85


@dataclass(frozen=True, slots=True)
class Turn:
    """Turned about the view's up, tilted about the eye's right, rolled about the eye, in degrees."""

    turn: float = 0.0
    tilt: float = 0.0
    roll: float = 0.0


@lru_cache(maxsize=8)
def straight(view: str) -> Matrix:
    """The rotation of a straight view: *top* looks down z, *front* along +y."""
    right, up = (np.array(axis, np.float64) for axis in _ROWS[view])
    rows = np.stack([right, up, np.cross(right, up)])
    rows.flags.writeable = False
    return rows


def _about(axis: int, degrees: float) -> Matrix:
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    matrix = np.eye(3)
    i, j = (axis + 1) % 3, (axis + 2) % 3
    matrix[i, i], matrix[i, j], matrix[j, i], matrix[j, j] = c, -s, s, c
    return matrix


def turned(base: Matrix, by: Turn) -> Matrix:
    """A view, turned, tilted and rolled; positive roll is clockwise in the picture."""
    return _about(2, -by.roll) @ _about(0, by.tilt) @ _about(1, by.turn) @ base


def turn_of(pose: Matrix, base: Matrix) -> Turn:
    """The turn, tilt and roll that lead from a view to a pose."""
    m = pose @ base.T
    tilt = math.degrees(math.asin(max(-1.0, min(1.0, float(m[2, 1])))))
    if abs(abs(tilt) - 90) < 1e-4:
        return Turn(0.0, tilt, -math.degrees(math.atan2(float(m[1, 0]), float(m[0, 0]))))
    turn = math.degrees(math.atan2(float(-m[2, 0]), float(m[2, 2])))
    roll = -math.degrees(math.atan2(float(-m[0, 1]), float(m[1, 1])))
    return Turn(turn, tilt, roll)


def onto(normal: Vector, axis: Vector) -> Matrix:
    """The smallest rotation that brings a direction onto an axis (both of length 1)."""
    cross, dot = np.cross(normal, axis), float(normal @ axis)
    if dot < -1 + 1e-12:
        other = np.eye(3)[int(np.argmin(np.abs(normal)))]
        side = np.cross(normal, other)
        side /= np.linalg.norm(side)
        return np.asarray(2 * np.outer(side, side) - np.eye(3))
    skew = np.array([[0, -cross[2], cross[1]], [cross[2], 0, -cross[0]], [-cross[1], cross[0], 0]])
    return np.asarray(np.eye(3) + skew + skew @ skew / (1 + dot))


def patches(mesh: Mesh) -> tuple[Matrix, Matrix]:
    """Middles and area vectors (half the cross product) of evenly taken triangles, float64 (n, 3) each."""
    faces = mesh.faces[:: max(1, len(mesh.faces) // SAMPLES)]
    a, b, c = (mesh.points[faces[:, k]].astype(np.float64) for k in range(3))
    return (a + b + c) / 3, np.cross(b - a, c - a) / 2


def best_plane(places: Matrix, weight: Vector) -> tuple[Vector, Vector]:
    """Total least squares plane with the outer tenth (by weight) set aside: its middle and normal.

    The plane is that of the smallest principal axis (K. Pearson, "On lines and planes of
    closest fit", 1901); the points farthest from it are left out and it is found again.
    """
    kept = np.ones(len(places), bool)
    middle = normal = np.zeros(3)
    for _ in range(8):
        share = weight * kept
        middle = share @ places / share.sum()
        away = places - middle
        _, axes = np.linalg.eigh((away * share[:, None]).T @ away)
        normal = axes[:, 0]
        distance = np.abs(away @ normal)
        order = np.argsort(distance)
        whole = np.cumsum(weight[order])
        last = int(np.searchsorted(whole, (1 - OUTER) * whole[-1]))
        fresh = distance <= distance[order[min(last, len(order) - 1)]]
        if bool((fresh == kept).all()):
            break
        kept = fresh
    return middle, normal


def flatness(mesh: Mesh) -> float:
    """How thin a mesh is across its best plane: the smallest principal spread as a share of the middle one."""
    places, area = patches(mesh)
    weight = np.linalg.norm(area, axis=1) + 1e-300
    away = places - weight @ places / weight.sum()
    spread = np.sqrt(np.maximum(np.linalg.eigvalsh((away * weight[:, None]).T @ away), 0))
    return float(spread[0] / max(spread[1], 1e-300))


def flat(mesh: Mesh) -> Matrix:
    """The pose that lays the mesh flat: its best plane square to the eye, its carved side up.

    Of the two sides the one with more surface to see is taken: carving has flanks, a plain
    back has none, and an open scan shows its faces. The picture is turned as little as may
    be from the nearest straight view, then squared to its own sides where it has some.
    """
    places, area = patches(mesh)
    size = np.linalg.norm(area, axis=1)
    _, normal = best_plane(places, size + 1e-300)
    towards = area @ normal
    seen = [float(size[way * towards > 0].sum()) for way in (1, -1)]
    even = abs(seen[1] - seen[0]) <= seen[0] * 1e-4
    if normal[np.argmax(np.abs(normal))] < 0 if even else seen[1] > seen[0]:
        normal = -normal
    near = max(STRAIGHT, key=lambda view: float(straight(view)[2] @ normal))
    pose = straight(near) @ onto(normal, straight(near)[2])
    return _about(2, _squaring(places @ pose.T)) @ pose


def _squaring(seen: Matrix) -> float:
    """Degrees (counter-clockwise, at most 45) that bring the sides of an outline upright; 0 for a round one."""
    hull = cv2.convexHull(seen[:, :2].astype(np.float32))
    (_, (width, height), angle) = cv2.minAreaRect(hull)
    if width * height <= 0 or cv2.contourArea(hull) < _HAS_SIDES * width * height:
        return 0.0
    return -float((angle + 45) % 90 - 45)


def levelled(pose: Matrix, height: Pixels, cover: Pixels, pixel: float) -> Matrix:
    """A pose without the tilt that is left in what it shows.

    Parameters
    ----------
    height : float32 (H, W)
        Small; towards the eye, in units.
    cover : float32 (H, W)
    pixel : float
        Width of a pixel in units.

    Raises
    ------
    ValueError
        When too little is covered.
    """
    found, _ = surface.fit_polynomial(height, 1, (cover > 0.99).astype(np.float32))
    plane = surface.polynomial(height.shape[0], height.shape[1], found, 1).astype(np.float64)
    across = (plane[0, -1] - plane[0, 0]) / (max(1, height.shape[1] - 1) * pixel)
    down = (plane[-1, 0] - plane[0, 0]) / (max(1, height.shape[0] - 1) * pixel)
    normal = np.array([-across, down, 1.0])
    return onto(normal / np.linalg.norm(normal), np.array([0.0, 0.0, 1.0])) @ pose


def off_straight(pose: Matrix, base: Matrix | None = None) -> tuple[str, float]:
    """The nearest straight view, or "flat" for the pose ``base``, and the degrees between its eye and this one."""
    views = {view: straight(view) for view in STRAIGHT}
    if base is not None:
        views["flat"] = base
    name = max(views, key=lambda view: float(views[view][2] @ pose[2]))
    return name, math.degrees(math.acos(max(-1.0, min(1.0, float(views[name][2] @ pose[2])))))
