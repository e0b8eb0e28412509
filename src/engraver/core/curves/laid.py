"""A curve laid on a surface, or left in space: its way, with corners rounded as far as is asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import BadValue
from .frames import closing, least_turning
from .model import Curve
from .spline import beziers, distinct, sampled
from .way import Column, Way, even, headings, square_to, turning, unit

# Places of a way at most, and at least.
MOST_PLACES, LEAST_PLACES = 20_000, 24
# Legs of a curve are looked at so many times finer than its way.
_FINER = 3.0
# How often a way is gone over for bends that are too tight, and how near to the radius asked for is round enough.
_PASSES, _NEARLY = 6, 0.985
# Where nearest places are found (k, 3), and the normals there.
Onto = Callable[[Column], tuple[Column, Column]]
# Places between two points along the surface, both ends among them.
Between = Callable[[Column, Column], Column]


@dataclass(frozen=True, eq=False)
class Laid:
    """A way and what had to be done to it.

    Attributes
    ----------
    way : Way
    rounded : float64 (k, 3)
        Where corners tighter than asked were rounded.
    moved : float
        How far a place was moved by that at most, in scene units.
    """

    way: Way
    rounded: Column
    moved: float = 0.0

    @property
    def nbytes(self) -> int:
        return self.way.nbytes


def laid(
    points: Column, curve: Curve, onto: Onto | None = None, between: Between | None = None, *, step: float,
    least: float = 0.0, offset: float = 0.0,
) -> Laid:  # fmt: skip
    """The way of a curve.

    Parameters
    ----------
    points : float64 (n, 3 or more)
        Its points; they lie on the surface, where there is one.
    onto : callable, optional
        Brings places onto the surface; None for a curve in space, whose frames turn as little as can be.
    between : callable, optional
        Where straight ahead does not lead along the surface: the shortest way between two points.
    step : float
        About how far apart places shall lie, in scene units.
    least : float
        The radius to which tighter bends are rounded.
    offset : float
        How far the way lies over the surface.

    Raises
    ------
    BadValue
        There are fewer than two points at different places, or three for a closed curve.
    """
    points, curve = distinct(np.asarray(points, np.float64), curve)
    if len(points) < (3 if curve.closed else 2):
        wanted = "three" if curve.closed else "two"
        raise BadValue(f"A curve needs {wanted} points at different places", f"it has {len(points)}", "Add one")
    told = np.arange(len(points) + curve.closed, dtype=np.float64)
    if between is not None and onto is not None:
        points, curve, told = _carried(points, curve, between)
    legs = beziers(points, curve)
    rough = float(np.linalg.norm(np.diff(legs, axis=1), axis=2).sum())
    step = max(step, rough / MOST_PLACES)
    step = min(step, rough / LEAST_PLACES)
    places, share = sampled(legs, step / _FINER)
    if onto is not None:
        places = onto(places)[0]
    places, share, length = even(places, curve.closed, step, share)
    rounded, moved = np.zeros((0, 3)), 0.0
    if least > 0:
        places, share, length, rounded, moved = _eased(places, share, length, curve.closed, least, step, onto)
    if onto is not None:
        places = onto(places)[0]
        places[-1] = places[0] if curve.closed else places[-1]
    ahead = headings(places, curve.closed)
    up = _upright(places, ahead, curve.closed, onto)
    if offset:
        places, share, length = even(places + offset * up, curve.closed, step, share)
        ahead = headings(places, curve.closed)
        up = _upright(places, ahead, curve.closed, onto)
    share = np.interp(share, told, np.arange(len(told)))  # in legs between the points that were given
    way = Way(places, ahead, up, np.cross(up, ahead), length, curve.closed, share)
    return Laid(way, rounded, moved)


def _upright(places: Column, ahead: Column, closed: bool, onto: Onto | None) -> Column:
    """What is upright along a way: the surface's normals, square to it; in space what turns as little as can be."""
    if onto is None:
        up = least_turning(places, ahead)
        return closing(up, ahead) if closed else up
    up = onto(places)[1]
    if closed:
        up[-1] = up[0]
    return square_to(up, ahead)


def _carried(points: Column, curve: Curve, between: Between) -> tuple[Column, Curve, Column]:
    """The curve with more points between those that lie far apart, along the surface; and which of its points are
    those that were given, with the first of a ring again at its end."""
    count, found, numbers = len(points), [points[:1, :3]], [0]
    for n in range(count if curve.closed else count - 1):
        way = between(points[n, :3], points[(n + 1) % count, :3])
        own = curve.handle_of(n) is not None or curve.handle_of((n + 1) % count) is not None
        found.append(way[1:-1] if not own else way[:0])
        if n + 1 < count:
            numbers.append(sum(map(len, found)))
            found.append(points[n + 1 : n + 2, :3])
    made = np.concatenate(found)
    told = np.array([*numbers, len(made)] if curve.closed else numbers, np.float64)
    return made, curve.renumbered(dict(enumerate(numbers))), told


def radii(places: Column, closed: bool, up: Column | None = None) -> NDArray[np.float64]:
    """The radius of the bend at places at even distances, float64 (n,); inf where it is straight, and at free ends.

    With normals ``up`` (n, 3) only what it bends within the surface counts.
    """
    around = np.vstack([places[-2], places, places[1]]) if closed else places
    legs = np.diff(around, axis=0)
    long = np.linalg.norm(legs, axis=1, keepdims=True)
    heads = legs / np.maximum(long, 1e-15)
    bend = 2 * np.diff(heads, axis=0) / np.maximum(long[1:] + long[:-1], 1e-15)
    if up is not None:
        here = up if closed else up[1:-1]
        bend = bend - (bend * here).sum(1, keepdims=True) * here
    with np.errstate(divide="ignore"):
        found: NDArray[np.float64] = 1 / np.linalg.norm(bend, axis=1)
    return found if closed else np.concatenate([[np.inf], found, [np.inf]])


def _eased(
    places: Column, share: Column, length: float, closed: bool, least: float, step: float, onto: Onto | None
) -> tuple[Column, Column, float, Column, float]:
    """Bends tighter than ``least`` replaced by arcs that leave the way and come back to it in its direction.

    The arc is the cubic that is nearest to a circle's (M. Goldapp, 1991), over as little of the way as will do. What
    cannot be rounded, since the way turns back in less room than that, stays as it is.
    """
    found: list[Column] = []
    started = places
    for _ in range(_PASSES):
        tight = _bends(places, closed, onto) < least * _NEARLY
        if not tight.any():
            break
        if closed:  # cut open in the middle of the longest stretch that is well
            places, share, tight = _rolled(places, share, tight)
        runs = np.split(np.flatnonzero(tight), np.flatnonzero(np.diff(np.flatnonzero(tight)) > 1) + 1)
        free, done = len(places), 0
        for run in reversed(runs):
            made = _arc_over(places, share, int(run[0]), min(int(run[-1]), free - 3), least, step, onto, free)
            if made is not None:
                found.append(places[int(run[len(run) // 2])])
                places, share, free, done = *made, done + 1
        if closed:
            begin = int(np.argmin(share))
            places, share = np.roll(places, -begin, axis=0), np.roll(share, -begin)
            places, share = np.vstack([places, places[:1]]), np.append(share, np.ceil(share[-1] + 1e-9))
        if not done:
            break
        places, share, length = even(places, closed, step, share)
    if not found:
        return places, share, length, np.zeros((0, 3)), 0.0
    from scipy.spatial import cKDTree

    moved = float(cKDTree(places).query(started)[0].max())
    apart = [p for n, p in enumerate(found) if all(np.linalg.norm(p - q) > least for q in found[:n])]
    return places, share, length, np.array(apart), moved


def _bends(places: Column, closed: bool, onto: Onto | None) -> NDArray[np.float64]:
    return radii(places, closed, None if onto is None else onto(places)[1])


def _rolled(places: Column, share: Column, tight: NDArray[np.bool_]) -> tuple[Column, Column, NDArray[np.bool_]]:
    """A ring without its last place, begun in the middle of the longest stretch that is not tight."""
    places, share, tight = places[:-1], share[:-1], tight[:-1]
    numbers = np.flatnonzero(tight)
    gaps = np.diff(np.append(numbers, numbers[0] + len(tight)))
    widest = int(np.argmax(gaps))
    begin = (int(numbers[widest]) + int(gaps[widest]) // 2) % len(tight)
    return np.roll(places, -begin, axis=0), np.roll(share, -begin), np.roll(tight, -begin)


def _arc_over(
    places: Column, share: Column, first: int, last: int, least: float, step: float, onto: Onto | None, free: int
) -> tuple[Column, Column, int] | None:
    """The way with an arc over a tight run, over as little of it as will do, and where the arc begins; None where
    none will. From the place ``free`` on the way is not touched."""
    room = 2.0
    while True:
        a, b = first - round(room), last + round(room)
        if a < 1 or b > free - 2 or room * step > 8 * least:
            return None
        t0, t1 = unit(places[a] - places[a - 1]), unit(places[b + 1] - places[b])
        chord = float(np.linalg.norm(places[b] - places[a]))
        angle = float(np.arccos(np.clip(t0 @ t1, -1, 1)))
        reach = 4 / 3 * np.tan(angle / 4) * chord / (2 * max(np.sin(angle / 2), 1e-6))
        # An arc of that angle over that chord has this radius: what is far from enough need not be drawn.
        if chord / (2 * max(np.sin(angle / 2), 1e-6)) >= least * 0.9:
            legs = np.stack([places[a], places[a] + reach * t0, places[b] - reach * t1, places[b]])[None]
            arc, at = sampled(legs, step / 2)
            if onto is not None:
                arc = onto(arc)[0]
            around = np.vstack([places[a - 1 : a], arc[1:-1], places[b + 1 : b + 2]])
            if len(around) > 4 and _bends(around, False, onto)[1:-1].min() >= least * (_NEARLY + 0.002):
                along = share[a] + at * max(0.0, share[b] - share[a])
                made = np.vstack([places[:a], arc, places[b + 1 :]])
                return made, np.concatenate([share[:a], along, share[b + 1 :]]), a
        room *= 1.12 if room > 8 else 1.3


def crossings(way: Way, width: float) -> Column:
    """Where a way comes nearer to itself than its width, (k, 3): where it crosses itself or lies too close."""
    from scipy.spatial import cKDTree

    stride = max(1, int(width / 4 / way.step))
    some = way.place[: -1 if way.closed else None : stride]
    if len(some) < 4:
        return np.zeros((0, 3))
    pairs = cKDTree(some).query_pairs(width * 0.98, output_type="ndarray")
    if not len(pairs):
        return np.zeros((0, 3))
    apart = np.abs(pairs[:, 0] - pairs[:, 1]).astype(float) * stride * way.step
    if way.closed:
        apart = np.minimum(apart, way.length - apart)
    far = pairs[apart > width * np.pi / 2 * 1.1]
    if not len(far):
        return np.zeros((0, 3))
    numbers = np.unique(far[:, 0])
    runs = np.split(numbers, np.flatnonzero(np.diff(numbers) > 2) + 1)
    return np.array([some[run[len(run) // 2]] for run in runs])


def tightest(way: Way, *, flat: bool = False) -> NDArray[np.float64]:
    """The radius of the bend at each place, float64 (n,), inf where it is straight; ``flat``: of what it bends within
    the surface alone."""
    with np.errstate(divide="ignore"):
        found: NDArray[np.float64] = 1 / np.abs(turning(way)[:, 0 if flat else 2])
    return found
