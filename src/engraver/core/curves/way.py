"""A way: places at even distances along a curve, with the frame in which something stands there."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Column = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Way:
    """Places along a curve with frames, at even arc lengths. Of a closed one the last place is the first again.

    Attributes
    ----------
    place, ahead, up, left : float64 (n, 3)
        Where it runs; the direction of the way there; upright on what it lies on; and to the left. All of length 1
        and square to each other.
    length : float
        Along all of it.
    closed : bool
    share : float64 (n,)
        Where each place lies in the curve, counted in its legs.
    """

    place: Column
    ahead: Column
    up: Column
    left: Column
    length: float
    closed: bool
    share: Column

    @property
    def step(self) -> float:
        """Between neighbouring places."""
        return self.length / (len(self.place) - 1)

    @property
    def gone(self) -> Column:
        """How far along each place lies, float64 (n,)."""
        return np.linspace(0.0, self.length, len(self.place))

    def moved(self, to: Column) -> Way:
        """Its like, taken elsewhere by a matrix (3, 3) that turns or mirrors."""
        return replace(
            self, place=self.place @ to.T, ahead=self.ahead @ to.T, up=self.up @ to.T, left=self.left @ to.T
        )

    @property
    def nbytes(self) -> int:
        return int(4 * self.place.nbytes + self.share.nbytes)


def unit(vectors: Column) -> Column:
    """Of length 1; zeros stay zeros."""
    found: Column = vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-15)
    return found


def square_to(vectors: Column, ahead: Column) -> Column:
    """What of vectors (n, 3) is square to directions (n, 3) of length 1, itself of length 1."""
    return unit(vectors - (vectors * ahead).sum(1, keepdims=True) * ahead)


def even(places: Column, closed: bool, step: float, share: Column) -> tuple[Column, Column, float]:
    """A fine polyline at even arc lengths about ``step`` apart: places, shares, and the whole length.

    Between the points of the polyline places lie on a cubic through them (an Akima curve, 1970, which does not
    swing), so that evenly spaced places lie on the curve and not on its chords.
    """
    from scipy.interpolate import Akima1DInterpolator

    legs = np.linalg.norm(np.diff(places, axis=0), axis=1)
    kept = np.concatenate([[True], legs > 1e-12])
    places, share = places[kept], share[kept]
    legs = legs[legs > 1e-12]
    gone = np.concatenate([[0.0], np.cumsum(legs)])
    total = float(gone[-1])
    count = max(2 if not closed else 8, int(np.ceil(total / max(step, 1e-9))))
    if len(places) > 4:
        edge = min(3, len(places) - 2)
        if closed:  # some of the other end on either side, so that the cubic goes round
            knots = np.concatenate([gone[-1 - edge : -1] - total, gone, gone[1 : 1 + edge] + total])
            wide = np.vstack([places[-1 - edge : -1], places, places[1 : 1 + edge]])
        else:
            knots, wide = gone, places
        curve = Akima1DInterpolator(knots, wide)
        # The arc is longer than its chords: reckoned by Gauss's two-point rule on each leg.
        middle, half = (gone[1:] + gone[:-1]) / 2, (gone[1:] - gone[:-1]) / 2
        ends = half / np.sqrt(3.0)
        slope = curve.derivative()
        arc = half * sum(np.linalg.norm(slope(middle + k * ends), axis=1) for k in (-1, 1))
        along = np.concatenate([[0.0], np.cumsum(arc)])
        total = float(along[-1])
        at = np.interp(np.linspace(0, total, count + 1), along, gone)
        found = curve(np.clip(at, knots[0], knots[-1]))
    else:
        at = np.linspace(0, total, count + 1)
        found = np.column_stack([np.interp(at, gone, places[:, k]) for k in range(3)])
    if closed:
        found[-1] = found[0]
    return found, np.interp(at, gone, share), total


def headings(places: Column, closed: bool) -> Column:
    """Directions at places at even distances, (n, 3): by differences of the fourth order, of the second at ends."""
    n = len(places)
    if closed:
        ring = places[:-1]
        found = 8 * (np.roll(ring, -1, 0) - np.roll(ring, 1, 0)) - (np.roll(ring, -2, 0) - np.roll(ring, 2, 0))
        return _unit_ahead(np.vstack([found, found[:1]]) / 12, places)
    found = np.gradient(places, axis=0, edge_order=2 if n > 2 else 1)
    if n > 4:
        found[2:-2] = (8 * (places[3:-1] - places[1:-3]) - (places[4:] - places[:-4])) / 12
    return _unit_ahead(found, places)


def _unit_ahead(found: Column, places: Column) -> Column:
    """Directions of length 1; where a way turns right back it has that of what follows."""
    legs = np.diff(places, axis=0)
    lost = np.linalg.norm(found, axis=1) < 0.05 * float(np.linalg.norm(legs, axis=1).mean())
    return unit(np.where(lost[:, None], np.vstack([legs, legs[-1:]]), found))


def turning(way: Way) -> Column:
    """How much the way turns at each place, in radians to a scene unit, float64 (n, 3): along ``left``, along
    ``up``, and in all."""
    d = np.gradient(way.ahead, axis=0) / way.step
    if way.closed:
        ring = way.ahead[:-1]
        d = (np.roll(ring, -1, 0) - np.roll(ring, 1, 0)) / (2 * way.step)
        d = np.vstack([d, d[:1]])
    across, upward = (d * way.left).sum(1), (d * way.up).sum(1)
    return np.column_stack([across, upward, np.linalg.norm(d, axis=1)])
