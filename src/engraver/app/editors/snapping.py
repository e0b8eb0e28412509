"""Where a moved frame holds: at the middle, at thirds and margins of the plate, and at its neighbours."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from engraver.core.numeric.outlined import Bounds

# The margin at which frames hold, as a share of the plate's side: eight pixels of 512.
MARGIN = 1 / 64


@dataclass(frozen=True, slots=True)
class Line:
    """A line at which something holds: across the plate at x, or along it at y, in pixels; and what it is."""

    upright: bool
    at: float
    words: str


def lines_of(size: tuple[float, float], others: Iterable[tuple[str, Bounds]]) -> tuple[Line, ...]:
    """The lines of a plate and of the boxes that lie on it."""
    found: list[Line] = []
    margin = min(size) * MARGIN
    for upright in (True, False):
        whole = size[0] if upright else size[1]
        shares = ((0.5, "middle"), (1 / 3, "third"), (2 / 3, "third"), (0.0, "border"), (1.0, "border"))
        found += [Line(upright, whole * share, words) for share, words in shares]
        found += [Line(upright, at, "margin") for at in (margin, whole - margin)]
        k = 0 if upright else 1
        for name, box in others:
            middle = (box[k] + box[k + 2]) / 2
            found += [Line(upright, at, name) for at in (box[k], middle, box[k + 2])]
    return tuple(found)


def snap(box: Bounds, lines: Iterable[Line], near: float) -> tuple[float, float, tuple[Line, ...]]:
    """How far a box moves to hold, and at which lines; its sides and its middle hold within ``near`` pixels."""
    by, held = [0.0, 0.0], []
    for axis in (0, 1):
        marks = (box[axis], (box[axis] + box[axis + 2]) / 2, box[axis + 2])
        best: tuple[float, Line] | None = None
        for line in lines:
            if line.upright != (axis == 0):
                continue
            off = min((line.at - mark for mark in marks), key=abs)
            if abs(off) <= near and (best is None or abs(off) < abs(best[0])):
                best = off, line
        if best is not None:
            by[axis] = best[0]
            held.append(best[1])
    return by[0], by[1], tuple(held)
