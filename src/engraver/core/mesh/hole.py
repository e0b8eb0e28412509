"""A hole that runs away with the depth range: a few deep places leave little of it to all the others."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

# A hole is at most so much of what is seen, and takes at least so much of the range; what is left of it is a relief
# of its own when it takes at least that much, else the deep places are what the artist came for.
MOST, TAKES, LEFT = 0.08, 0.4, 0.08
# Of fewer places nothing is said.
_FEW = 200
# Of more, evenly taken ones stand for all.
_MANY = 250_000


@dataclass(frozen=True, slots=True)
class Hole:
    """Where the others begin (in the unit of the heights), and what lies deeper: shares 0..1 of the places and of
    the range."""

    edge: float
    places: float
    range: float


def hole_in(heights: NDArray[np.floating], lo: float, hi: float) -> Hole | None:
    """The hole in heights (float, any shape, finite, in any unit) between ``lo`` and ``hi``, if there is one.

    Its edge is the knee of the sorted heights of the lowest part, where its walls end: the place farthest above
    the line from their first to their last.
    """
    if hi <= lo or heights.size < _FEW:
        return None
    found = np.sort(heights.reshape(-1)[:: max(1, heights.size // _MANY)])
    most = int(MOST * found.size)
    low = np.clip(found[: most + 1], lo, hi).astype(np.float64)
    k = int(np.argmax((low - low[0]) - np.linspace(0, low[-1] - low[0], most + 1)))
    edge = float(low[k])
    taken, rest = (edge - lo) / (hi - lo), float(np.percentile(found, 95)) - edge
    if taken < TAKES or rest < LEFT * (hi - lo):
        return None
    return Hole(edge, k / found.size, taken)
