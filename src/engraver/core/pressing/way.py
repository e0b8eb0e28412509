"""The way of a hand: smoothed, held back by a string, and walked in even steps."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

# Rows of place (x, y, z) and whatever goes with it.
Way = NDArray[np.float64]
# Two points nearer than this are one.
_SAME = 1e-7
_MOST_BETWEEN = 64


def distinct(points: Way) -> Way:
    """Without points that lie where the one before lay."""
    if len(points) < 2:
        return points
    apart = np.linalg.norm(np.diff(points[:, :3], axis=0), axis=1) > _SAME
    kept: Way = points[np.concatenate([[True], apart])]
    return kept


def rounded(points: Way, longest: float) -> Way:
    """A smooth way through all points, in straight legs no longer than ``longest``.

    Places are joined by centripetal Catmull and Rom's curve (E. Catmull and R. Rom, 1974; C. Yuksel and others,
    2011: no loops and no cusps), reckoned by P. Barry and R. Goldman's pyramid (1988). Other columns go evenly.
    """
    points = distinct(points)
    if len(points) < 3:
        return points
    place = points[:, :3]
    ends = np.concatenate([2 * place[:1] - place[1:2], place, 2 * place[-1:] - place[-2:-1]])
    legs = np.linalg.norm(np.diff(place, axis=0), axis=1)
    count = np.clip(np.ceil(legs / max(longest, 1e-9)), 1, _MOST_BETWEEN).astype(np.int64)
    which = np.repeat(np.arange(len(legs)), count)
    first = np.concatenate([[0], np.cumsum(count)[:-1]])
    share = (np.arange(len(which)) - first[which]) / count[which]
    knots = np.sqrt(np.maximum(np.linalg.norm(np.diff(ends, axis=0), axis=1), 1e-12))
    a, b, c = knots[which], knots[which + 1], knots[which + 2]
    t0, t1, t2, t3 = np.zeros_like(a), a, a + b, a + b + c
    t = t1 + share * b
    p = [ends[which + k] for k in range(4)]

    def between(x: Way, y: Way, low: Way, high: Way) -> Way:
        s = ((t - low) / (high - low))[:, None]
        joined: Way = x + s * (y - x)
        return joined

    a1, a2, a3 = between(p[0], p[1], t0, t1), between(p[1], p[2], t1, t2), between(p[2], p[3], t2, t3)
    b1, b2 = between(a1, a2, t0, t2), between(a2, a3, t1, t3)
    smooth = between(b1, b2, t1, t2)
    rest = points[which, 3:] + share[:, None] * (points[which + 1, 3:] - points[which, 3:])
    return np.vstack([np.hstack([smooth, rest]), points[-1:]])


def steadied(points: Way, length: float) -> Way:
    """What is drawn on a string of this length behind the hand: it stays until the string is taut."""
    if length <= 0 or len(points) < 2:
        return points
    from . import tool_kernels

    out = points.copy()
    tool_kernels.steady(out, length)
    return distinct(out)


def steps(way: Way, spacing: float) -> tuple[Way, Way, Way]:
    """Rows of a way at every ``spacing`` along it, from its beginning.

    Returns
    -------
    rows : float64 (m, columns)
    heading : float64 (m, 3)
        The direction of the way there, of length 1; zeros for a way of one point.
    gone : float64 (m,)
        The share of the whole way that lies behind, 0..1.
    """
    legs = np.diff(way[:, :3], axis=0)
    long = np.linalg.norm(legs, axis=1)
    total = float(long.sum())
    if len(way) < 2 or total < 1e-9:
        return way[:1], np.zeros((min(1, len(way)), 3)), np.zeros(min(1, len(way)))
    behind = np.concatenate([[0.0], np.cumsum(long)])
    # A way that is a whole number of steps long has its last one, whatever the rounding.
    at = np.arange(int(total / spacing * (1 + 1e-6)) + 1) * spacing
    at = np.minimum(at, total)
    leg = np.clip(np.searchsorted(behind, at, side="right") - 1, 0, len(long) - 1)
    share = ((at - behind[leg]) / np.maximum(long[leg], 1e-12))[:, None]
    rows = way[leg] + share * (way[leg + 1] - way[leg])
    return rows, legs[leg] / np.maximum(long[leg], 1e-12)[:, None], at / total
