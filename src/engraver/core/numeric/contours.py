"""Closed outlines as points: primitives, rounded corners, curves.

Elementary geometry but where a source is named. All lie about the origin, in pixels, y down; angles are in radians,
clockwise from the right; what is made is float64 (n, 2), or several such.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
# Closed polygons (n, 2); holes run the other way round.
Contours = tuple[Points, ...]

# An arc's chord strays so far from it at most, in pixels.
_STRAY = 1e-3
# An inscribed polygon of so many sides lacks 5 in 100,000 of a circle's area.
_LEAST_PARTS = 384


def arc(rx: float, ry: float, start: float, end: float, middle: tuple[float, float] = (0.0, 0.0)) -> Points:
    """Points of an arc of an ellipse, its ends included, angles in radians clockwise from the right."""
    far = max(rx, ry, 1e-9)
    widest = 2 * math.acos(max(0.0, 1 - min(1.0, _STRAY / far)))
    sweep = abs(end - start)
    parts = max(1, math.ceil(sweep / max(widest, 1e-4)), math.ceil(_LEAST_PARTS * sweep / (2 * math.pi)))
    angle = start + (end - start) / parts * np.arange(parts + 1)
    made = np.empty((parts + 1, 2))
    made[:, 0] = middle[0] + rx * np.cos(angle)
    made[:, 1] = middle[1] + ry * np.sin(angle)
    return made


def oval(rx: float, ry: float) -> Points:
    """A whole ellipse; its points lie so little outside it that the polygon has its area."""
    around = arc(rx, ry, 0.0, 2 * math.pi)[:-1]
    part = 2 * math.pi / len(around)
    return around * math.sqrt(part / math.sin(part))


def regular(sides: int, rx: float, ry: float) -> Points:
    """A polygon with equal sides whose first corner points up."""
    angle = np.arange(sides) * (2 * math.pi / sides) - math.pi / 2
    return np.column_stack([rx * np.cos(angle), ry * np.sin(angle)])


def star(points: int, rx: float, ry: float, inner: float) -> Points:
    """A star whose first point is up; ``inner`` is where it is hollow, as a share of its reach."""
    angle = np.arange(2 * points) * (math.pi / points) - math.pi / 2
    reach = np.where(np.arange(2 * points) % 2, inner, 1.0)
    return np.column_stack([rx * reach * np.cos(angle), ry * reach * np.sin(angle)])


def box(width: float, height: float) -> Points:
    """A rectangle, from its top left clockwise."""
    x, y = width / 2, height / 2
    return np.array([(-x, -y), (x, -y), (x, y), (-x, y)])


def cross(width: float, height: float, arm: float) -> Points:
    """Two bars of breadth ``arm`` that cross in the middle."""
    x, y, a = width / 2, height / 2, min(arm, width, height) / 2
    return np.array([
        (-a, -y), (a, -y), (a, -a), (x, -a), (x, a), (a, a), (a, y), (-a, y), (-a, a), (-x, a), (-x, -a), (-a, -a),
    ])  # fmt: skip


def capsule(length: float, left: float, right: float) -> Points:
    """Two round ends of radii ``left`` and ``right`` and the lines that touch both, ``length`` long in all."""
    far = length - left - right
    if far <= abs(left - right):
        return oval(max(left, right), max(left, right))
    first, second = -length / 2 + left, length / 2 - right
    # Where the lines touch, from the sine of their slope.
    lean = math.asin((left - right) / far)
    touch = math.pi / 2 - lean
    return np.concatenate([
        arc(right, right, -touch, touch, (second, 0.0)),
        arc(left, left, touch, 2 * math.pi - touch, (first, 0.0)),
    ])  # fmt: skip


def sector(rx: float, ry: float, inner: float, start: float, sweep: float) -> Contours:
    """A slice from the middle, or from ``inner`` of its reach on; a whole turn is a disc or a ring."""
    if sweep >= 2 * math.pi - 1e-9:
        outside = oval(rx, ry)
        return (outside, oval(rx * inner, ry * inner)[::-1]) if inner > 0 else (outside,)
    outer = arc(rx, ry, start, start + sweep)
    within = arc(rx * inner, ry * inner, start + sweep, start) if inner > 0 else np.zeros((1, 2))
    return (np.concatenate([outer, within]),)


def band(radius: float, inner: float, start: float, sweep: float) -> Contours:
    """A bent capsule: a part of a ring with round ends, within ``radius`` and outside ``inner`` of it."""
    if sweep >= 2 * math.pi - 1e-9:
        return sector(radius, radius, inner, start, sweep)
    half, middle = radius * (1 - inner) / 2, radius * (1 + inner) / 2
    end = start + sweep
    tail, head = ((middle * math.cos(a), middle * math.sin(a)) for a in (start, end))
    return (np.concatenate([
        arc(radius, radius, start, end), arc(half, half, end, end + math.pi, head),
        arc(radius * inner, radius * inner, end, start), arc(half, half, start + math.pi, start + 2 * math.pi, tail),
    ]),)  # fmt: skip


def rounded(points: Points, radius: float | Sequence[float]) -> Points:
    """A polygon whose corners are arcs that touch both sides; none takes more than half a side."""
    radii = [float(radius)] * len(points) if isinstance(radius, int | float) else list(radius)
    if not any(r > 0 for r in radii):
        return points
    found: list[Points] = []
    for n, (x, y) in enumerate(points):
        before, after = points[n - 1] - (x, y), points[(n + 1) % len(points)] - (x, y)
        sides = float(np.hypot(*before)), float(np.hypot(*after))
        if radii[n] <= 0 or min(sides) < 1e-9:
            found.append(np.array([(x, y)]))
            continue
        u, v = before / sides[0], after / sides[1]
        half = math.acos(min(1.0, max(-1.0, float(u @ v)))) / 2
        if half < 1e-6 or half > math.pi / 2 - 1e-6:
            found.append(np.array([(x, y)]))
            continue
        away = min(radii[n] / math.tan(half), min(sides) / 2)
        size = away * math.tan(half)
        ends = (x, y) + u * away, (x, y) + v * away
        middle = (x, y) + (u + v) / np.hypot(*(u + v)) * (away / math.cos(half))
        first, last = (math.atan2(*(end - middle)[::-1]) for end in ends)
        turn = (last - first + math.pi) % (2 * math.pi) - math.pi
        found.append(arc(size, size, first, first + turn, (float(middle[0]), float(middle[1]))))
    return np.concatenate(found)


def bezier(ends: Points, stray: float = 2e-3) -> Points:
    """Points of a cubic Bézier curve (4, 2) without its first, straying at most ``stray`` pixels from it.

    The number of parts is by G. Wang, "The subdivision method for finding the intersection between two
    Bézier curves" (1984).
    """
    bend = float(np.abs(ends[:-2] - 2 * ends[1:-1] + ends[2:]).max())
    parts = min(2048, max(1, math.ceil(math.sqrt(0.75 * math.sqrt(2) * bend / stray))))
    t = (np.arange(1, parts + 1) / parts)[:, None]
    s = 1 - t
    made: Points = s**3 * ends[0] + 3 * s * s * t * ends[1] + 3 * s * t * t * ends[2] + t**3 * ends[3]
    return made


def through(points: Points, closed: bool, stray: float = 2e-3) -> tuple[Points, Points]:
    """A smooth curve through places: its points, and for each the place it belongs to, counted in fractions.

    Catmull and Rom's curve with centripetal knots, which makes no loops (C. Yuksel, S. Schaefer and J. Keyser,
    "Parameterization and applications of Catmull-Rom curves", 2011).
    """
    count = len(points)
    if count < 3:
        return points, np.arange(count, dtype=np.float64)
    around = np.concatenate([points[-1:], points, points[:2]]) if closed else np.concatenate([
        2 * points[:1] - points[1:2], points, 2 * points[-1:] - points[-2:-1]
    ])  # fmt: skip
    knots = np.maximum(np.hypot(*np.diff(around, axis=0).T) ** 0.5, 1e-9)
    made, where = [points[:1]], [np.zeros(1)]
    for n in range(count if closed else count - 1):
        p = around[n : n + 4]
        a, b, c = knots[n : n + 3]
        first = (p[1] - p[0]) / a - (p[2] - p[0]) / (a + b) + (p[2] - p[1]) / b
        last = (p[2] - p[1]) / b - (p[3] - p[1]) / (b + c) + (p[3] - p[2]) / c
        part = bezier(np.stack([p[1], p[1] + first * b / 3, p[2] - last * b / 3, p[2]]), stray)
        made.append(part)
        where.append(n + np.arange(1, len(part) + 1) / len(part))
    return np.concatenate(made), np.concatenate(where)


def handled(points: Points, handles: Points, closed: bool, stray: float = 2e-3) -> tuple[Points, Points]:
    """A curve through places with handles (n, 4: in x, y, out x, y from the place); as :func:`through` gives it."""
    count = len(points)
    made, where = [points[:1]], [np.zeros(1)]
    for n in range(count if closed else count - 1):
        a, b = points[n], points[(n + 1) % count]
        part = bezier(np.stack([a, a + handles[n, 2:], b + handles[(n + 1) % count, :2], b]), stray)
        made.append(part)
        where.append(n + np.arange(1, len(part) + 1) / len(part))
    return np.concatenate(made), np.concatenate(where)
