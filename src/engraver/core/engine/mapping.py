"""Places of the source and of what the steps make of it, mapped to each other."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..steps import kind_of
from ..steps.kind import NOTHING, Matrix
from .line import Line
from .plan import Autos, Plan


def to_place(line: Line, plan: Plan, place: int, found: Callable[[str], Autos | None]) -> Matrix:
    """Full-size pixels of the source (x, y, 1) to full-size pixels at a place of the line: a 3x3 matrix.

    What steps have ``found`` by themselves is taken as known now, by its key; else they count as doing nothing.
    """
    total: Matrix = np.eye(3)
    for j in range(place):
        step, kind = line.steps[j], kind_of(line.steps[j].kind)
        if step.on and kind.matrix is not None:
            autos = plan.known[j] or found(f"provisional {plan.keys[j + 1]}") or NOTHING
            total = kind.matrix(step.params, line.facts[j], autos) @ total
    return total


def between(line: Line, plan: Plan, places: tuple[int, int], found: Callable[[str], Autos | None]) -> Matrix:
    """Shares of the picture at the first place to shares of that at the second: a 3x3 matrix on (x, y, 1).

    Where a step between them lays the picture out anew, in a way that no matrix tells, shares stay shares.
    """
    sizes = [(line.facts[place].width, line.facts[place].height) for place in places]
    for j in range(min(places), max(places)):
        before, after = line.facts[j], line.facts[j + 1]
        resized = (before.width, before.height) != (after.width, after.height)
        if resized and line.steps[j].on and kind_of(line.steps[j].kind).matrix is None:
            return np.eye(3)
    one, two = (to_place(line, plan, place, found) for place in places)
    if abs(np.linalg.det(one)) < 1e-12:
        return np.eye(3)
    spread, gather = np.diag([*sizes[0], 1.0]), np.diag([1 / sizes[1][0], 1 / sizes[1][1], 1.0])
    there: Matrix = gather @ two @ np.linalg.inv(one) @ spread
    return there
