"""Compiled loops over noise: gradient noise, cells, waves, one octave added at a time."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel(fastmath=True)


# The squares round a square, the nearest first.
_ROUND = np.array(sorted(((m, k) for m in range(-2, 3) for k in range(-2, 3)), key=lambda p: p[0] ** 2 + p[1] ** 2))


@_kernel
def _place(y, x, plane, bend, by):  # type: ignore[no-untyped-def]
    """Where a pixel lies in the octave's cells."""
    u = plane[0] * (x + np.float32(0.5)) + plane[1] * (y + np.float32(0.5)) + plane[2]
    v = plane[3] * (x + np.float32(0.5)) + plane[4] * (y + np.float32(0.5)) + plane[5]
    if by != 0:
        u += by * bend[0, y, x]
        v += by * bend[1, y, x]
    return u, v


@_kernel
def _eased(f):  # type: ignore[no-untyped-def]
    """6t^5 - 15t^4 + 10t^3."""
    return f * f * f * (f * (f * np.float32(6) - np.float32(15)) + np.float32(10))


@_kernel
def _between(slopes, i, k, j, m, fu, fv, s, t, form):  # type: ignore[no-untyped-def]
    """Gradient noise in the cell of columns i, k and rows j, m, at shares fu, fv, eased s, t, in its form."""
    one = np.float32(1)
    gu, gv = fu - one, fv - one
    a = slopes[0, j, i] * fu + slopes[1, j, i] * fv
    b = slopes[0, j, k] * gu + slopes[1, j, k] * fv
    c = slopes[0, m, i] * fu + slopes[1, m, i] * gv
    d = slopes[0, m, k] * gu + slopes[1, m, k] * gv
    upper, lower = a + s * (b - a), c + s * (d - c)
    n = np.float32(1.4142135) * (upper + t * (lower - upper))
    if form == 1:
        n = np.float32(2) * abs(n) - one
    elif form == 2:
        n = one - abs(n)
        n = np.float32(2) * n * n - one
    return n


@_kernel
def gradient(first, end, plane, bend, by, slopes, form, gain, out):  # type: ignore[no-untyped-def]
    """Adds gradient noise to rows; ``form`` 0 as it is, 1 its size, 2 what is left of its size, squared."""
    tall, wide = slopes.shape[1], slopes.shape[2]
    for y in range(first, end):
        for x in range(out.shape[1]):
            u, v = _place(y, x, plane, bend, by)
            i, j = int(np.floor(u)), int(np.floor(v))
            fu, fv = np.float32(u - i), np.float32(v - j)
            i, j, k, m = i % wide, j % tall, (i + 1) % wide, (j + 1) % tall
            out[y, x] += gain * _between(slopes, i, k, j, m, fu, fv, _eased(fu), _eased(fv), form)


@_kernel
def gradient_straight(first, end, plane, slopes, form, gain, out):  # type: ignore[no-untyped-def]
    """As :func:`gradient`, where rows and columns run along those of the cells: each column is placed once."""
    tall, wide, count = slopes.shape[1], slopes.shape[2], out.shape[1]
    left, right = np.empty(count, np.int64), np.empty(count, np.int64)
    near, eased = np.empty(count, np.float32), np.empty(count, np.float32)
    for x in range(count):
        u = plane[0] * (x + np.float32(0.5)) + plane[2]
        i = int(np.floor(u))
        left[x], right[x], near[x] = i % wide, (i + 1) % wide, np.float32(u - i)
        eased[x] = _eased(near[x])
    for y in range(first, end):
        v = plane[4] * (y + np.float32(0.5)) + plane[5]
        j = int(np.floor(v))
        fv = np.float32(v - j)
        j, m, t = j % tall, (j + 1) % tall, _eased(fv)
        for x in range(count):
            out[y, x] += gain * _between(slopes, left[x], right[x], j, m, near[x], fv, eased[x], t, form)


@_kernel
def cells(first, end, plane, bend, by, points, which, gain, out):  # type: ignore[no-untyped-def]
    """Adds a height by the distances to the nearest points; ``which`` 0 the first, 1 the second, 2 between."""
    tall, wide = points.shape[1], points.shape[2]
    for y in range(first, end):
        for x in range(out.shape[1]):
            u, v = _place(y, x, plane, bend, by)
            i, j = int(np.floor(u)), int(np.floor(v))
            fu, fv = np.float32(u - i), np.float32(v - j)
            near, next_ = np.float32(1e9), np.float32(1e9)
            for turn in range(25):
                if turn == 9:  # what lies beyond the squares next to it is further than this
                    rim = np.float32(1) + min(min(fu, np.float32(1) - fu), min(fv, np.float32(1) - fv))
                    if next_ <= rim * rim:
                        break
                down, across = _ROUND[turn, 0], _ROUND[turn, 1]
                row, column = j + down, i + across
                row = row if 0 <= row < tall else row % tall
                column = column if 0 <= column < wide else column % wide
                dx = np.float32(across) + points[0, row, column] - fu
                dy = np.float32(down) + points[1, row, column] - fv
                away = dx * dx + dy * dy
                next_ = min(next_, max(near, away))
                near = min(near, away)
            near, next_ = np.sqrt(near), np.sqrt(next_)
            if which == 0:
                n = np.float32(1) - np.float32(2) * near
            elif which == 1:
                n = np.float32(1) - np.float32(1.5) * next_
            else:
                n = np.float32(2) * (next_ - near) - np.float32(1)
            out[y, x] += gain * n


@_kernel
def waves(first, end, plane, bend, by, phase, gain, out):  # type: ignore[no-untyped-def]
    """Adds waves that run along u."""
    turn, half = 2 * np.pi, 0.5
    if by == 0:  # the sine of a sum: one for each column and each row
        count = out.shape[1]
        rise, fall = np.empty(count, np.float32), np.empty(count, np.float32)
        for x in range(count):
            angle = turn * (plane[0] * (x + half))
            rise[x], fall[x] = np.sin(angle), np.cos(angle)
        for y in range(first, end):
            angle = turn * (plane[1] * (y + half) + plane[2] + phase)
            up, along = np.float32(gain * np.sin(angle)), np.float32(gain * np.cos(angle))
            for x in range(count):
                out[y, x] += rise[x] * along + fall[x] * up
        return
    for y in range(first, end):
        for x in range(out.shape[1]):
            u, _ = _place(y, x, plane, bend, by)
            out[y, x] += gain * np.float32(np.sin(turn * (u - np.floor(u) + phase)))
