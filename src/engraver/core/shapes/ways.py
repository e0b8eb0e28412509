"""The places of a drawn way on the plate: moved, added, taken out, given handles."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from .kinds import SHAPES
from .layout import turned
from .model import Shape

Spot = tuple[float, float]
Part = Literal["place", "in", "out"]
_NO_HANDLES = 3


def _to_plate(shape: Shape, local: Spot, rows: int, columns: int) -> Spot:
    short = min(rows, columns)
    place = (shape.x * columns, shape.y * rows, shape.turn)
    (found,) = turned((np.array([local]) * short,), place)
    return float(found[0, 0]), float(found[0, 1])


def _to_local(shape: Shape, spot: Spot, rows: int, columns: int) -> Spot:
    short, a = min(rows, columns), math.radians(shape.turn)
    x, y = (spot[0] - shape.x * columns) / short, (spot[1] - shape.y * rows) / short
    return x * math.cos(a) + y * math.sin(a), -x * math.sin(a) + y * math.cos(a)


def spots(shape: Shape, rows: int, columns: int) -> dict[tuple[Part, int], Spot]:
    """Where the places of a way and their handles lie, in pixels of the plate."""
    found: dict[tuple[Part, int], Spot] = {}
    for n, point in enumerate(shape.points if SHAPES[shape.kind].drawn else ()):
        x, y = point[:2]
        found["place", n] = _to_plate(shape, (x, y), rows, columns)
        if len(point) > _NO_HANDLES:
            found["in", n] = _to_plate(shape, (x + point[3], y + point[4]), rows, columns)
            found["out", n] = _to_plate(shape, (x + point[5], y + point[6]), rows, columns)
    return found


def _with(shape: Shape, n: int, point: tuple[float, ...]) -> Shape:
    return shape.but(points=(*shape.points[:n], tuple(round(v, 6) for v in point), *shape.points[n + 1 :]))


def moved(shape: Shape, part: Part, n: int, spot: Spot, rows: int, columns: int) -> Shape:
    """A way with a place, or one of its handles, at a spot of the plate; the handle across stays in line."""
    x, y = _to_local(shape, spot, rows, columns)
    point = shape.points[n]
    if part == "place":
        return _with(shape, n, (x, y, *point[2:]))
    dx, dy = x - point[0], y - point[1]
    across = point[5:7] if part == "in" else point[3:5]
    far = math.hypot(*across)
    near = max(math.hypot(dx, dy), 1e-9)
    other = (-dx / near * far, -dy / near * far)
    handles = (dx, dy, *other) if part == "in" else (*other, dx, dy)
    return _with(shape, n, (*point[:3], *handles))


def added(shape: Shape, spot: Spot, rows: int, columns: int) -> Shape:
    """A way with one more place: between the two whose line is nearest, or beyond its end."""
    at = np.array(_to_local(shape, spot, rows, columns))
    places = np.array([p[:2] for p in shape.points])
    ends = np.concatenate([places[1:], places[:1]]) if shape.closed else places[1:]
    starts = places[: len(ends)]
    leg = ends - starts
    t = np.clip(((at - starts) * leg).sum(axis=1) / np.maximum((leg * leg).sum(axis=1), 1e-12), 0, 1)
    away = np.hypot(*(starts + t[:, None] * leg - at).T)
    n = int(away.argmin())
    if not shape.closed and n == len(ends) - 1 and t[n] == 1:
        n += 1
    elif not shape.closed and n == 0 and t[n] == 0:
        n = -1
    new = (round(float(at[0]), 6), round(float(at[1]), 6))
    return shape.but(points=(*shape.points[: n + 1], new, *shape.points[n + 1 :]))


def removed(shape: Shape, n: int) -> Shape:
    """A way without one of its places; two are left at least."""
    if len(shape.points) <= 2:
        return shape
    return shape.but(points=(*shape.points[:n], *shape.points[n + 1 :]))


def handed(shape: Shape, n: int) -> Shape:
    """A place gets handles along its neighbours, or loses them and is a corner among handled ones."""
    point = shape.points[n]
    press = point[2] if len(point) > 2 else 1.0
    if len(point) > _NO_HANDLES:
        return _with(shape, n, (point[0], point[1], press))
    last = len(shape.points) - 1
    before = shape.points[n - 1] if n > 0 or shape.closed else point
    after = shape.points[(n + 1) % (last + 1)] if n < last or shape.closed else point
    dx, dy = (after[0] - before[0]) / 4, (after[1] - before[1]) / 4
    return _with(shape, n, (point[0], point[1], press, -dx, -dy, dx, dy))
