"""Rolling a turned body out: its axis, its mean radius, and its surface laid flat."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..numeric.ranks import robust_deviation
from .model import Faces, Mesh, Vector
from .pose import Matrix, patches

_ROUNDS = 12
# Tukey's biweight, as for smooth surfaces: flanks of the carving do not turn the axis.
_CUT = 4.685
_OUTWARD = 0.2
# A turned form is found from the middle radius at so many heights, by a spline of so many pieces at most, each of
# which needs so many heights.
_HEIGHTS, _PIECES, _EACH = 96, 8, 5
# What heights stand on.
Form = Literal["cylinder", "cone", "turned"]
Radius = Callable[[Vector], Vector]


@dataclass(frozen=True, slots=True)
class Axis:
    """A line through ``place`` along ``along`` (length 1), relative to the mesh's origin."""

    place: Vector
    along: Vector


@dataclass(frozen=True, slots=True)
class Rolled:
    """A mesh laid out round its axis: x along the turn, y along the axis, z away from the form.

    ``points`` and ``faces`` hold what crosses the cut twice, once at each end, so that the
    picture of width ``width`` goes on over its sides. ``low`` and ``high`` bound y.
    """

    points: NDArray[np.float64]
    faces: Faces
    width: float
    low: float
    high: float


def found_axis(mesh: Mesh) -> Axis:
    """The axis of a surface of revolution.

    All normals of one meet its axis; the line nearest to meeting all of them is the
    smallest eigenvector of a moment matrix of the normals' Plücker coordinates (H. Pottmann
    and T. Randrup, "Rotational and Helical Surface Approximation for Reverse Engineering",
    Computing 60, 1998), found again with weights against what stands off.
    """
    places, area = patches(mesh)
    size = np.linalg.norm(area, axis=1)
    real = size > 1e-12 * max(float(size.max()), 1e-300)
    reach = float(np.abs(places).max()) or 1.0
    n, p, size = area[real] / size[real, None], places[real] / reach, size[real]
    m = np.cross(p, n)
    share = size.copy()
    along, moment = np.array([0.0, 0.0, 1.0]), np.zeros(3)
    for _ in range(_ROUNDS):
        w = share[:, None]
        a, b, c = (n * w).T @ n, (n * w).T @ m, (m * w).T @ m
        inverse = np.linalg.pinv(a, rcond=1e-9)
        _, axes = np.linalg.eigh(c - b.T @ inverse @ b)
        along = axes[:, 0]
        moment = -inverse @ b @ along
        left = np.abs(n @ moment + m @ along)
        scale = robust_deviation(left, 0.0)
        if scale < 1e-9:
            break
        share = size * (1 - np.clip(left / (_CUT * scale), 0, 1) ** 2) ** 2
    moment = moment - (moment @ along) * along
    if along[int(np.argmax(np.abs(along)))] < 0:
        along, moment = -along, -moment
    return Axis(np.cross(along, moment) * reach, along)


def set_axis(name: str) -> Axis:
    """An axis of the file through the middle of the mesh."""
    return Axis(np.zeros(3), np.eye(3)["xyz".index(name)])


def _frame(axis: Axis) -> Matrix:
    """Rows: towards the cut's far side (the front where there is one), across, along."""
    start = np.array([0.0, -1.0, 0.0])
    if abs(float(start @ axis.along)) > 0.9:
        start = np.array([1.0, 0.0, 0.0])
    first = start - (start @ axis.along) * axis.along
    first /= np.linalg.norm(first)
    return np.stack([first, np.cross(axis.along, first), axis.along])


def roll_out(mesh: Mesh, axis: Axis, *, form: Form = "cylinder", turn: float = 0.0) -> Rolled:
    """Lay the surface out.

    Parameters
    ----------
    mesh : Mesh
    axis : Axis
    form : {"cylinder", "cone", "turned"}
        Heights stand on the cylinder or the cone that fits best, or on the form as it was turned: round the axis, of
        another radius at every height.
    turn : float
        Degrees the picture is moved along the turn; at 0 the front (-y) is in its middle.

    Notes
    -----
    A triangle is drawn between its corners' angles and radii: what lies between them is
    taken as part of the round form, not as a flat facet. Triangles round the axis itself
    (the middle of a lid) have no place in the picture and are left out.
    """
    local = (mesh.points.astype(np.float64) - axis.place) @ _frame(axis).T
    angle = np.arctan2(local[:, 1], local[:, 0]) + math.radians(turn)
    angle -= np.round(angle / (2 * math.pi)) * (2 * math.pi)
    radius, along = np.hypot(local[:, 0], local[:, 1]), local[:, 2]
    mean, stands_on = _form(mesh, axis, form)
    points = np.stack([angle * mean, along, radius - stands_on(along)], axis=1)
    corner = angle[mesh.faces]
    crossing = np.ptp(corner, axis=1) > math.pi
    faces, width = mesh.faces[~crossing], 2 * math.pi * mean
    ends = mesh.faces[crossing]
    if len(ends):
        shifted = corner[crossing]
        shifted = np.where(shifted < 0, shifted + 2 * math.pi, shifted)
        kept = np.ptp(shifted, axis=1) < math.pi
        x = (shifted[kept] * mean).ravel()
        twice = points[ends[kept]].reshape(-1, 3)
        copies = [np.column_stack([x - way, twice[:, 1:]]) for way in (0.0, width)]
        first = len(points) + np.arange(2 * len(x), dtype=np.int32).reshape(-1, 3)
        points = np.concatenate([points, *copies])
        faces = np.ascontiguousarray(np.concatenate([faces, first.astype(np.int32)]))
    return Rolled(points, faces, width, float(along.min()), float(along.max()))


def _form(mesh: Mesh, axis: Axis, form: Form) -> tuple[float, Radius]:
    """Mean radius of the outer surface, by area, and the form's radius at places along the axis."""
    places, area = patches(mesh)
    away = places - axis.place
    along = away @ axis.along
    out = away - along[:, None] * axis.along
    radius = np.linalg.norm(out, axis=1)
    size = np.linalg.norm(area, axis=1)
    facing = (area * out).sum(axis=1) > _OUTWARD * size * radius
    if not facing.any():  # an inner wall, or faces that point inwards
        facing = np.ones(len(radius), bool)
    radius, along, weight = radius[facing], along[facing], size[facing] + 1e-300
    mean = max(float(weight @ radius / weight.sum()), 1e-12)
    if form == "cylinder":
        return mean, lambda at: np.full(len(at), mean)
    if form == "turned":
        found = _turned(along, radius, weight)
        if found is not None:
            return mean, found
    middle = float(weight @ along / weight.sum())
    off = along - middle
    slope = float((weight * off) @ radius / max(float(weight @ off**2), 1e-300))
    return mean, lambda at: mean + slope * (at - middle)


def _turned(along: Vector, radius: Vector, weight: Vector) -> Radius | None:
    """The radius at every height of a body of revolution; None where there are too few heights.

    At each of many heights the middle radius, half of the area lying inside it, so that what is carved on less than
    half of the way round does not count; through these the least-squares cubic spline of few pieces (C. de Boor,
    "A Practical Guide to Splines", 1978, chapter XIV). It goes on straight beyond its ends.
    """
    from scipy.interpolate import make_lsq_spline

    low, high = float(along.min()), float(along.max())
    tall = (high - low) / _HEIGHTS
    if not tall > 0:
        return None
    at = np.minimum(((along - low) / tall).astype(np.intp), _HEIGHTS - 1)
    order = np.lexsort((radius, at))
    total = np.bincount(at, weight, _HEIGHTS)
    there = np.flatnonzero(total > 1e-6 * total.max())
    pieces = min(_PIECES, len(there) // _EACH)
    if pieces < 1:
        return None
    # Where the area inside, summed height by height, has reached half of the height's own.
    inside = np.cumsum(weight[order])
    half = np.cumsum(total)[there] - total[there] / 2
    middle = radius[order][np.minimum(np.searchsorted(inside, half), len(order) - 1)]
    heights = low + (there + 0.5) * tall
    inner = np.quantile(heights, np.arange(1, pieces) / pieces)
    knots = np.concatenate([[heights[0]] * 4, inner, [heights[-1]] * 4])
    spline = make_lsq_spline(heights, middle, knots, 3, np.sqrt(total[there]))
    slope = spline.derivative()

    def at_height(places: Vector) -> Vector:
        within = np.clip(places, heights[0], heights[-1])
        found: Vector = spline(within) + slope(within) * (places - within)
        return found

    return at_height
