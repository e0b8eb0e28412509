"""The compiled loop that lays marks: each is a turned square of heights, and how they meet what lies there."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from ..numeric.meeting_kernels import met
from .tip_kernels import tip_at, within

_kernel: Any = kernel(fastmath=True)


@_kernel
def _met(here, h, way):  # type: ignore[no-untyped-def]
    if way < 6:
        return met(here, h, way)
    return h if abs(h) > abs(here) else here


@_kernel
def press(tall, wide, starts, sides, marks, which, way, out, built_on, first, end):  # type: ignore[no-untyped-def]
    """Lay marks on rows ``first`` to ``end``.

    ``marks`` (n, 6) are x, y, radius, cosine and sine of the turn, strength; a negative radius is turned over.
    ``tall`` holds the tip's heights at several sizes, one after the other, each in a ring of zeros; ``wide`` how
    much of it is there (empty where all is); ``which`` says the size for each mark. ``way`` below 6 is a place in
    ``meeting.MEETS``; 6: what is farther from zero stands; these count what is built on. 7: the greater stands,
    8: what is farther from zero stands, 9: ``out`` is how bare it is and becomes less.
    """
    columns = out.shape[1]
    whole = wide.shape[0] == 0
    for n in range(marks.shape[0]):
        x, y, radius, c, s, strength = marks[n]
        flip = radius < 0
        radius = max(abs(radius), 1e-6)
        start, side = starts[which[n]], sides[which[n]]
        reach = radius * (abs(c) + abs(s)) + 1
        top, bottom = max(first, int(np.floor(y - reach))), min(end, int(np.ceil(y + reach)) + 1)
        left, right = max(0, int(np.floor(x - reach))), min(columns, int(np.ceil(x + reach)) + 1)
        scale, most = side / (2 * radius), side + 0.999
        middle, strong = side / 2 + 0.5, np.float32(strength)
        across, down = c * scale, -s * scale
        if flip:
            across = -across
        for i in range(top, bottom):
            dy = i + 0.5 - y
            # Places in the tip, its ring counted: a + b * column.
            u0 = middle + (-1.0 if flip else 1.0) * (c * (0.5 - x) + s * dy) * scale
            v0 = middle + (c * dy - s * (0.5 - x)) * scale
            one, two = within(u0, across, most, left, right)
            one, two = within(v0, down, most, one, two)
            if whole and way < 7:  # nothing but heights: half a tip's pixel inside its ring
                one, two = within(u0 - 0.5, across, side - 1e-9, one, two)
                one, two = within(v0 - 0.5, down, side - 1e-9, one, two)
                for j in range(one, two):
                    h = tip_at(tall, start, side + 2, u0 + across * j, v0 + down * j) * strong
                    out[i, j] = _met(out[i, j], h, way)
                    built_on[i, j] = np.float32(1)
                continue
            for j in range(one, two):
                u, v = u0 + across * j, v0 + down * j
                if u < 0 or v < 0 or u > most or v > most:
                    continue
                h = tip_at(tall, start, side + 2, u, v)
                here = out[i, j]
                if way == 7:
                    out[i, j] = max(here, h * strong)
                elif way == 8:
                    h *= strong
                    if abs(h) > abs(here):
                        out[i, j] = h
                elif way == 9:
                    out[i, j] = here * (np.float32(1) - strong * h)
                else:
                    cover = tip_at(wide, start, side + 2, u, v)
                    if cover > np.float32(1e-4):
                        h *= strong / cover
                        out[i, j] = here + cover * (_met(here, h, way) - here)
                        built_on[i, j] += cover * (np.float32(1) - built_on[i, j])
