"""Curves through points: cubic Béziers whose tangents make them smooth, or are the hand's own."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .model import Curve

Places = NDArray[np.float64]
# Two points nearer than this are one.
SAME = 1e-7


def distinct(points: Places, curve: Curve) -> tuple[Places, Curve]:
    """Without points that lie where the one before lay, the last on the first of a closed curve among them."""
    if len(points) < 2:
        return points, curve
    apart = np.concatenate([[True], np.linalg.norm(np.diff(points[:, :3], axis=0), axis=1) > SAME])
    if curve.closed and len(points) > 2 and float(np.linalg.norm(points[-1, :3] - points[0, :3])) <= SAME:
        apart[-1] = False
    if apart.all():
        return points, curve
    numbers = np.flatnonzero(apart)
    return points[numbers], curve.renumbered({int(old): new for new, old in enumerate(numbers)})


def _runs(count: int, curve: Curve) -> list[list[int]]:
    """Points from corner to corner, counted on over the end of a closed curve; a smooth ring is one run."""
    corners = [n for n in curve.sharp if n < count]
    if not curve.closed:
        ends = sorted({0, count - 1, *corners})
        return [list(range(a, b + 1)) for a, b in pairwise(ends)]
    if not corners:
        return [list(range(count + 1))]
    return [list(range(a, b + 1)) for a, b in zip(corners, [*corners[1:], corners[0] + count], strict=True)]


def _tangents(places: Places, ring: bool) -> tuple[Places, Places]:
    """Tangents at the points of a smooth run, and the length of each leg in the curve's own measure.

    A cubic spline with centripetal knots (E. T. Y. Lee, "Choosing nodes in parametric curve interpolation", 1989):
    its curvature is continuous, at free ends it is none.
    """
    from scipy.interpolate import CubicSpline

    legs = np.sqrt(np.maximum(np.linalg.norm(np.diff(places, axis=0), axis=1), 1e-12))
    if len(places) == 2 and not ring:
        return np.repeat(np.diff(places, axis=0) / legs[:, None], 2, axis=0), legs
    knots = np.concatenate([[0.0], np.cumsum(legs)])
    spline = CubicSpline(knots, places, bc_type="periodic" if ring else "natural")
    return spline(knots, 1), legs


def beziers(points: Places, curve: Curve) -> Places:
    """The curve as cubic Béziers, float64 (legs, 4, 3), in order; a closed one's last ends where the first begins.

    Parameters
    ----------
    points : float64 (n, 3 or more)
        At least two, no two beside each other at one place.
    """
    count, places = len(points), points[:, :3]
    made = np.empty((count if curve.closed else count - 1, 4, 3))
    for run in _runs(count, curve):
        at = places[[n % count for n in run]]
        ring = curve.closed and len(run) == count + 1 and not any(n < count for n in curve.sharp)
        tangents, legs = _tangents(at, ring)
        for k, n in enumerate(run[:-1]):
            made[n % count] = (
                at[k], at[k] + tangents[k] * legs[k] / 3, at[k + 1] - tangents[k + 1] * legs[k] / 3, at[k + 1],
            )  # fmt: skip
    for n, (before, after) in curve.all_handles().items():
        if n >= count:
            continue
        if n < len(made):
            made[n, 1] = places[n] + after
        if n or curve.closed:
            made[(n - 1) % count, 2] = places[n] + before
    return made


def handles_at(points: Places, curve: Curve, n: int) -> Places:
    """The handles (2, 3) of a point as the curve has them now, its own or found, from the point."""
    own = curve.handle_of(n)
    if own is not None:
        return own
    made, count = beziers(points, curve), len(points)
    here = points[n, :3]
    after = made[n, 1] - here if n < len(made) else None
    before = made[(n - 1) % count, 2] - here if n or curve.closed else None
    if after is None:
        assert before is not None
        after = -before
    found: Places = np.stack([-after if before is None else before, after])
    return found


def sampled(legs: Places, longest: float, most: int = 400) -> tuple[Places, Places]:
    """Places along Béziers, no farther apart than ``longest``.

    Returns
    -------
    places : float64 (m, 3)
    share : float64 (m,)
        Where each lies, counted in legs: 2.5 is half-way along the third.
    """
    rough = np.linalg.norm(np.diff(legs, axis=1), axis=2).sum(1)
    count = np.clip(np.ceil(rough / max(longest, 1e-9)), 1, most).astype(np.int64)
    which = np.repeat(np.arange(len(legs)), count)
    first = np.concatenate([[0], np.cumsum(count)[:-1]])
    t = ((np.arange(len(which)) - first[which]) / count[which])[:, None]
    p = legs[which]
    s = 1 - t
    places = s**3 * p[:, 0] + 3 * s * s * t * p[:, 1] + 3 * s * t * t * p[:, 2] + t**3 * p[:, 3]
    share = which + t[:, 0]
    return np.vstack([places, legs[-1:, 3]]), np.append(share, float(len(legs)))
