"""Gestures become marks: by arc length, seeded, the same at every density of the surface."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from ..errors import BadValue
from ..surfaces.kind import Geometry
from . import way as ways
from .along import course_of, way_of
from .gesture import Gesture
from .settings import StrokeSettings

Column = NDArray[np.float64]
# What one mark takes of chance: turn, size, roundness, two flips, two ways of scatter.
_CHANCES = 7
# Marks of one gesture.
MOST_MARKS = 200_000


@dataclass(frozen=True, slots=True)
class Marks:
    """Marks in the order in which they are pressed.

    Attributes
    ----------
    place, normal, right : float64 (m, 3)
        The middle on the surface without marks, the surface's normal there, and the mark's own way to the right,
        in scene units.
    radius : float64 (m,)
        Half the side of its square, in scene units.
    ratio : float64 (m,)
        Its height over its width.
    flip_x, flip_y : float64 (m,)
        -1 where it is turned over, else 1.
    strength : float64 (m,)
        Height of white as a share of the mark's width.
    flow : float64 (m,)
        How much of its effect it has, 0..1.
    """

    place: Column
    normal: Column
    right: Column
    radius: Column
    ratio: Column
    flip_x: Column
    flip_y: Column
    strength: Column
    flow: Column

    def __len__(self) -> int:
        return len(self.radius)

    @property
    def nbytes(self) -> int:
        return int(sum(getattr(self, f.name).nbytes for f in fields(self)))

    def part(self, which: slice | NDArray[np.bool_]) -> Marks:
        """Some of them."""
        return Marks(**{f.name: getattr(self, f.name)[which] for f in fields(self)})

    def rows(self) -> Column:
        """All of it as rows for the compiled loops, float64 (m, 15)."""
        return np.ascontiguousarray(np.column_stack([getattr(self, f.name) for f in fields(self)]))

    def same_from(self, other: Marks) -> int:
        """How many marks at the beginning are those of ``other``."""
        count = min(len(self), len(other))
        equal = (self.rows()[:count] == other.rows()[:count]).all(axis=1)
        return count if equal.all() else int(np.argmin(equal))


def fixed_right(normal: Column) -> Column:
    """The way to the right on a surface that stands upright: across the scene's y axis, at its poles along x."""
    right = np.cross(np.array([0.0, 1.0, 0.0]), normal)
    pole = np.abs(normal[:, 1]) > 0.98
    along = np.array([1.0, 0.0, 0.0]) - normal[:, :1] * normal
    right = np.where(pole[:, None], along, right)
    found: Column = right / np.maximum(np.linalg.norm(right, axis=1, keepdims=True), 1e-12)
    return found


def turned(right: Column, normal: Column, clockwise: Column) -> Column:
    """A way to the right turned clockwise about the normal, in radians."""
    up = np.cross(normal, right)
    found: Column = np.cos(clockwise)[:, None] * right - np.sin(clockwise)[:, None] * up
    return found


def _along(heading: Column, normal: Column, otherwise: Column) -> Column:
    """The heading laid into the surface; something else where there is none."""
    flat = heading - (heading * normal).sum(1, keepdims=True) * normal
    size = np.linalg.norm(flat, axis=1, keepdims=True)
    found: Column = np.where(size > 1e-6, flat / np.maximum(size, 1e-12), otherwise)
    return found


def _ruled(share: float, pressure: Column, least: float = 0.0) -> Column:
    """What pressure leaves of a value: all at full pressure, ``least`` at none, where it rules it wholly."""
    ruled: Column = 1 - share + share * (least + (1 - least) * np.clip(pressure, 0, 1))
    return ruled


def expand(gesture: Gesture, geometry: Geometry, own: object = None, *, live: bool = False) -> Marks:
    """The marks of a gesture, those of its mirror and its arms among them.

    Parameters
    ----------
    own : OwnMesh, optional
        Of a surface that is made from a mesh.
    live : bool
        The hand is still drawing: the last leg, which may still bend, and the taper of the end are left out, so
        that marks that are there stay as they are.
    """
    points = gesture.points
    if not gesture.on or not gesture.declared.points or not len(points):
        return _none()
    how = _on_curve if gesture.declared.curve else _stroke if gesture.declared.along else _placed
    made = how(gesture, points, geometry, own, live)
    repeated = _repeated(made, gesture, geometry.axis)
    if len(repeated) == len(made) or geometry.alike:
        return repeated
    # The likes of a mark lie where the surface is, which is another there.
    place, normal = geometry.onto(repeated.place, own)
    right = _along(repeated.right, normal, fixed_right(normal))
    return replace(repeated, place=place, normal=normal, right=right)


def _on_curve(gesture: Gesture, points: Column, geometry: Geometry, own: object, live: bool) -> Marks:
    """Squares side by side along a curve: what its band takes up, for all that asks where marks lie."""
    try:
        found = way_of(gesture, geometry, own)
    except BadValue:
        return _none()
    way, course = found.way, course_of(gesture.settings, gesture.points, found, gesture.settings.width, 1.0)
    every = max(1, int(float(course.width.max()) / 2 / way.step))
    n = np.unique(np.append(np.arange(0, len(way.place), every), len(way.place) - 1))
    ones = np.ones(len(n))
    strong = course.strong[n] / course.width[n]
    return Marks(
        way.place[n], way.up[n], way.ahead[n], course.width[n] / 2, ones, ones, ones, strong,
        ones * gesture.settings.flow,
    )  # fmt: skip


def _none() -> Marks:
    empty, flat = np.zeros((0, 3)), np.zeros(0)
    return Marks(empty, empty, empty, flat, flat, flat, flat, flat, flat)


def _chance(gesture: Gesture, steps: int, each: int) -> Column:
    """Random numbers 0..1 (steps, 1 + each * _CHANCES), the same for a step however many follow."""
    rng = np.random.Generator(np.random.PCG64(gesture.seed))
    return rng.random((steps, 1 + each * _CHANCES))


def _stroke(gesture: Gesture, points: Column, geometry: Geometry, own: object, live: bool) -> Marks:
    s = gesture.settings
    size = s.width
    held = ways.steadied(ways.distinct(points), s.steady * size)
    way = ways.rounded(held, s.spacing * size / 4)
    if live and len(held) > 2:
        legs = ways.rounded(held[:-1], s.spacing * size / 4)
        way = way[: max(2, len(legs))]
    spacing = max(s.spacing * size, 1e-4, _length(way) * s.count / MOST_MARKS)
    rows, heading, gone = ways.steps(way, spacing)
    chance = _chance(gesture, len(rows), s.count)
    count = np.maximum(1, np.round(s.count * (1 - s.count_jitter * chance[:, 0]))).astype(np.int64)
    each = np.repeat(np.arange(len(rows)), s.count)
    number = np.tile(np.arange(s.count), len(rows))
    kept = number < count[each]
    each, number = each[kept], number[kept]
    dice = chance[:, 1:].reshape(len(rows), s.count, _CHANCES)[each, number]
    rows, heading, gone = rows[each], heading[each], gone[each]
    place, normal = geometry.onto(rows[:, :3], own)
    right = fixed_right(normal)
    ahead = _along(heading, normal, right)
    if s.scatter_across or s.scatter_along:
        up = np.cross(normal, ahead)
        place = place + (2 * dice[:, 5:6] - 1) * s.scatter_across * size * up
        place = place + (2 * dice[:, 6:7] - 1) * s.scatter_along * size * ahead
        place, normal = geometry.onto(place, own)
        right, ahead = fixed_right(normal), _along(ahead, normal, fixed_right(normal))
    if s.direction == "along":
        right = ahead
    clockwise = np.full(len(rows), np.radians(s.turn))
    if s.direction == "pen":
        clockwise = clockwise + rows[:, 5]
    taper = np.minimum(1.0, gone / s.taper_in) if s.taper_in > 0 else np.ones(len(rows))
    if s.taper_out > 0 and not live:
        taper = taper * np.minimum(1.0, (1 - gone) / s.taper_out)
    return _made(s, place, normal, turned(right, normal, clockwise), dice, rows[:, 3], size * taper)


def _length(way: Column) -> float:
    return float(np.linalg.norm(np.diff(way[:, :3], axis=0), axis=1).sum()) if len(way) > 1 else 0.0


def _placed(gesture: Gesture, points: Column, geometry: Geometry, own: object, live: bool) -> Marks:
    """One mark: at the first point, or dragged out from there to the last."""
    s, size = gesture.settings, gesture.settings.width
    place, normal = geometry.onto(points[:1, :3], own)
    right = fixed_right(normal)
    clockwise = np.full(1, np.radians(s.turn))
    drag = points[-1:, :3] - points[:1, :3]
    drag = drag - (drag * normal).sum(1, keepdims=True) * normal
    away = float(np.linalg.norm(drag))
    if gesture.kind == "drag-out" and away > 1e-6:
        up = np.cross(normal, right)
        across, down = float((drag * right).sum()), -float((drag * up).sum())
        angle = np.arctan2(down, across)
        if gesture.corner:
            place, normal = geometry.onto(points[:1, :3] + drag / 2, own)
            right = fixed_right(normal)
            size, angle = away / np.sqrt(2), angle - np.pi / 4
        else:
            size = 2 * away
        clockwise = clockwise + angle
    dice = _chance(gesture, 1, 1)[:, 1:]
    return _made(s, place, normal, turned(right, normal, clockwise), dice, points[:1, 3], np.full(1, size))


def _made(
    s: StrokeSettings, place: Column, normal: Column, right: Column, dice: Column, pressure: Column, size: Column
) -> Marks:
    """Marks with their sizes, turns and flips by chance and by pressure."""
    right = turned(right, normal, np.pi * s.turn_jitter * (2 * dice[:, 0] - 1))
    by_chance = np.maximum(1 - s.size_jitter * dice[:, 1], s.size_least)
    ruled = _ruled(s.press_size, pressure, s.press_least)
    ruled = np.where(s.press_size > 0, np.maximum(ruled, min(s.size_least, s.press_least)), 1.0)
    ratio = np.maximum(s.roundness * (1 - s.round_jitter * dice[:, 2]), 0.02)
    return Marks(
        place, normal, right, size * by_chance * ruled / 2, ratio,
        np.where(dice[:, 3] < s.flip_across, -1.0, 1.0), np.where(dice[:, 4] < s.flip_down, -1.0, 1.0),
        s.strength * _ruled(s.press_strength, pressure), s.flow * _ruled(s.press_flow, pressure),
    )  # fmt: skip


def symmetry(mirror: bool, arms: int, axis: int) -> list[Column]:
    """Where the likes of a mark stand: matrices float64 (3, 3) that take its place there, its own first.

    ``mirror`` is at the plane x = 0; arms stand evenly round a scene axis. A matrix that mirrors has a determinant
    of -1.
    """
    own = [np.eye(3), np.diag([-1.0, 1.0, 1.0])] if mirror else [np.eye(3)]
    found = list(own)
    for n in range(1, arms):
        spin, a, b = np.eye(3), (axis + 1) % 3, (axis + 2) % 3
        angle = 2 * np.pi * n / arms
        spin[a, a] = spin[b, b] = np.cos(angle)
        spin[a, b], spin[b, a] = -np.sin(angle), np.sin(angle)
        found += [spin @ one for one in own]
    return found


def _repeated(marks: Marks, gesture: Gesture, axis: int) -> Marks:
    """Each mark followed by its likes."""
    to = symmetry(gesture.mirror, gesture.arms, axis)
    if len(to) == 1:
        return marks
    sets = [
        replace(
            marks, place=marks.place @ one.T, normal=marks.normal @ one.T, right=marks.right @ one.T,
            flip_y=marks.flip_y * (-1 if np.linalg.det(one) < 0 else 1),
        ) for one in to
    ]  # fmt: skip
    together = [np.stack([getattr(one, f.name) for one in sets], axis=1) for f in fields(Marks)]
    return Marks(*(t.reshape(-1, *t.shape[2:]) for t in together))
