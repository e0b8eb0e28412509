"""Edits of a curve: each takes its points and what they are, and returns new ones. Points are rows that begin with
their place (x, y, z); the rest of a row goes with its point."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .model import Curve, End
from .spline import beziers, distinct, handles_at, sampled

Points = NDArray[np.float64]
Place = NDArray[np.float64]
# A drawn curve strays at most so far from its points, as a share of the width of what lies along it.
STRAY = 0.06
# A drawn ring is true where it strays from a circle by less than this share of its radius.
_RING, _RING_POINTS = 0.14, 16
# Places of a stroke that are looked at to find few, and points that it becomes at most.
_LOOKED_AT, _MOST_CHOSEN = 240, 60


def _held(curve: Curve, count: int) -> tuple[int, ...]:
    if curve.closed:
        return ()
    return tuple(n for end, n in (("start", 0), ("end", count - 1)) if end in curve.held)


def moved(points: Points, curve: Curve, n: int, to: Place, reach: float = 0.0) -> Points:
    """A point somewhere else; what lies within ``reach`` along the curve is pulled along, the less the farther, and
    ends that are held stay.

    Parameters
    ----------
    reach : float
        In the points' own units; 0 moves the point alone.
    """
    out, count = points.copy(), len(points)
    if n in _held(curve, count):
        return out
    by = to - points[n, :3]
    share = np.zeros(count)
    share[n] = 1.0
    if reach > 0:
        legs = np.linalg.norm(np.diff(points[:, :3], axis=0), axis=1)
        gone = np.concatenate([[0.0], np.cumsum(legs)])
        away = np.abs(gone - gone[n])
        if curve.closed:
            whole = float(gone[-1] + np.linalg.norm(points[0, :3] - points[-1, :3]))
            away = np.minimum(away, whole - away)
        t = np.clip(1 - away / reach, 0, 1)
        share = t * t * (3 - 2 * t)
    for held in _held(curve, count):
        share[held] = 0.0
    out[:, :3] += share[:, None] * by
    return out


def with_handle(points: Points, curve: Curve, n: int, side: int, to: Place) -> Curve:
    """A handle of a point somewhere else: ``side`` 0 is the one before, 1 the one after. At a smooth point the other
    one turns with it and keeps its length; at a corner it stays."""
    both = handles_at(points, curve, n).copy()
    both[side] = to - points[n, :3]
    if n not in curve.sharp:
        long = float(np.linalg.norm(both[1 - side]))
        size = float(np.linalg.norm(both[side]))
        if size > 1e-9:
            both[1 - side] = -both[side] / size * long
    return curve.with_handles({**curve.all_handles(), n: both})


def found_again(curve: Curve, n: int) -> Curve:
    """A point without handles of its own: the curve finds its way there."""
    return curve.with_handles({k: h for k, h in curve.all_handles().items() if k != n})


def inserted(points: Points, curve: Curve, leg: int, place: Place, share: float = 0.5) -> tuple[Points, Curve]:
    """A point more, on the leg that begins at a point; what goes with it lies between its neighbours'."""
    after = (leg + 1) % len(points)
    row = points[leg] + share * (points[after] - points[leg])
    row[:3] = place
    to = {n: n if n <= leg else n + 1 for n in range(len(points))}
    return np.insert(points, leg + 1, row, axis=0), curve.renumbered(to)


def removed(points: Points, curve: Curve, n: int) -> tuple[Points, Curve]:
    """A point less; the last two stay, and the last three of a ring."""
    if len(points) <= (3 if curve.closed else 2):
        return points, curve
    to = {k: k if k < n else k - 1 for k in range(len(points)) if k != n}
    return np.delete(points, n, axis=0), curve.renumbered(to)


def sharpened(curve: Curve, n: int) -> Curve:
    """A corner where the curve was smooth, or the other way round."""
    sharp = set(curve.sharp) ^ {n}
    return curve.but(sharp=tuple(sorted(sharp)))


def holding(curve: Curve, end: End) -> Curve:
    """An end held, or let go."""
    held = set(curve.held) ^ {end}
    return curve.but(held=tuple(e for e in ("start", "end") if e in held))


def straightened(points: Points, curve: Curve, n: int | None) -> tuple[Points, Curve]:
    """A point on the straight between its neighbours; all of them between both ends where none is named. Their own
    handles go."""
    out, count = points.copy(), len(points)
    if n is None:
        out[:, :3] = points[0, :3] + np.linspace(0, 1, count)[:, None] * (points[-1, :3] - points[0, :3])
        return out, curve.with_handles({}).but(sharp=())
    if not curve.closed and n in (0, count - 1):
        return points, curve
    a, b = points[(n - 1) % count, :3], points[(n + 1) % count, :3]
    along = b - a
    share = float(np.clip((points[n, :3] - a) @ along / max(float(along @ along), 1e-15), 0.05, 0.95))
    out[n, :3] = a + share * along
    return out, found_again(curve, n)


def turned_round(points: Points, curve: Curve) -> tuple[Points, Curve]:
    """The same the other way: its end is its start."""
    count = len(points)
    handles = {count - 1 - n: h[::-1].copy() for n, h in curve.all_handles().items()}
    held = tuple(e for e, other in (("start", "end"), ("end", "start")) if other in curve.held)
    sharp = tuple(sorted(count - 1 - n for n in curve.sharp))
    return points[::-1].copy(), curve.but(sharp=sharp, held=held, handled=(), handles=b"").with_handles(handles)


def carried_on(points: Points, curve: Curve, end: End, rows: Points) -> tuple[Points, Curve]:
    """More points from either end on, in the order in which the hand made them."""
    if end == "end":
        return np.vstack([points, rows]), curve
    more = len(rows)
    return np.vstack([rows[::-1], points]), curve.renumbered({n: n + more for n in range(len(points))})


def nearest_leg(points: Points, curve: Curve, place: Place, step: float) -> tuple[int, float, float]:
    """The leg of a curve that comes nearest to a place: its number, the share of it, and how far away it is."""
    if len(points) < 2:
        return 0, 0.0, float(np.linalg.norm(points[0, :3] - place))
    at, share = sampled(beziers(points, curve), step)
    away = np.linalg.norm(at - place, axis=1)
    n = int(np.argmin(away))
    legs = len(points) if curve.closed else len(points) - 1
    leg = min(int(share[n]), legs - 1)
    return leg, float(share[n]) - leg, float(away[n])


def fewest(rows: Points, stray: float) -> Points:
    """Few points of a stroke, such that the smooth curve through them strays from it by no more than ``stray``: one
    more at a time, where it strays most."""
    chosen, last = [0, len(rows) - 1], len(rows) - 1
    some = np.unique(np.linspace(0, last, min(len(rows), _LOOKED_AT)).round().astype(np.int64))
    gone = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(rows[:, :3], axis=0), axis=1))])
    while len(chosen) < min(len(rows), _MOST_CHOSEN):
        made, share = sampled(beziers(rows[chosen], Curve()), stray / 2, 300)
        # Each place of the stroke against the curve on the same leg, by how far along it lies.
        along = np.interp(share, np.arange(len(chosen)), gone[chosen])
        near = np.clip(np.searchsorted(along, gone[some]), 1, len(along) - 1)
        away = np.min([
            np.linalg.norm(made[np.clip(near + k, 0, len(made) - 1)] - rows[some, :3], axis=1) for k in range(-12, 12)
        ], axis=0)  # fmt: skip
        away[np.isin(some, chosen)] = 0.0
        worst = int(np.argmax(away))
        if away[worst] <= stray:
            break
        chosen = sorted({*chosen, int(some[worst])})
    return rows[chosen]


def drawn(rows: Points, width: float, join: float) -> tuple[Points, Curve]:
    """The curve of one stroke of the hand: few points, smooth through them; closed where its end comes back to its
    start, and then a true ring where it was meant for one.

    Parameters
    ----------
    width : float
        Of what will lie along it.
    join : float
        How near its end has to come to its start.
    """
    rows = distinct(rows, Curve())[0]
    # The hand's own tremor goes: a mean over what lies within a fifth of the width.
    rows = _steady(rows, width / 5)
    long = float(np.linalg.norm(np.diff(rows[:, :3], axis=0), axis=1).sum())
    gap = float(np.linalg.norm(rows[-1, :3] - rows[0, :3]))
    closed = len(rows) > 8 and gap < join and long > 4 * join
    if closed:
        ring = ring_of(rows)
        if ring is not None:
            return ring, Curve(closed=True)
    fewer = fewest(rows, width * STRAY)
    if closed and len(fewer) > 4:
        return fewer[:-1] if gap < width * 0.5 else fewer, Curve(closed=True)
    return fewer, Curve()


def _steady(rows: Points, spread: float) -> Points:
    """Places as the mean of those near along the way; ends stay."""
    if len(rows) < 5 or spread <= 0:
        return rows
    gone = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(rows[:, :3], axis=0), axis=1))])
    total = np.vstack([np.zeros(3), np.cumsum(rows[:, :3], axis=0)])
    half = np.minimum(spread, np.minimum(gone, gone[-1] - gone))
    a = np.searchsorted(gone, gone - half, side="left")
    b = np.searchsorted(gone, gone + half, side="right")
    out = rows.copy()
    out[:, :3] = (total[b] - total[a]) / (b - a)[:, None]
    out[0], out[-1] = rows[0], rows[-1]
    return out


def ring_of(rows: Points) -> Points | None:
    """Points of the circle that a closed stroke was meant for, the first where it began; None where it strays.

    The circle is that of least squares in the plane of least squares (I. Kåsa, 1976).
    """
    places = rows[:, :3]
    middle = places.mean(axis=0)
    _, _, axes = np.linalg.svd(places - middle, full_matrices=False)
    flat = (places - middle) @ axes[:2].T
    system = np.column_stack([2 * flat, np.ones(len(flat))])
    a, b, c = np.linalg.lstsq(system, (flat**2).sum(1), rcond=None)[0]
    radius = float(np.sqrt(max(c + a * a + b * b, 1e-18)))
    away = np.hypot(flat[:, 0] - a, flat[:, 1] - b)
    height = np.abs((places - middle) @ axes[2])
    if np.abs(away / radius - 1).max() > _RING or height.max() > _RING * radius:
        return None
    turn = np.unwrap(np.arctan2(flat[:, 1] - b, flat[:, 0] - a))
    sign = 1.0 if turn[-1] > turn[0] else -1.0
    if abs(turn[-1] - turn[0]) < np.radians(290):
        return None
    angle = turn[0] + sign * 2 * np.pi * np.arange(_RING_POINTS) / _RING_POINTS
    out = np.repeat(rows[:1], _RING_POINTS, axis=0)
    if rows.shape[1] > 3:
        out[:, 3] = rows[:, 3].mean()
    across, down = a + radius * np.cos(angle), b + radius * np.sin(angle)
    out[:, :3] = middle + across[:, None] * axes[0] + down[:, None] * axes[1]
    return out
