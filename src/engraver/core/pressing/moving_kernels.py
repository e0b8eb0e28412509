"""The compiled loops that move points by their heights, and find what lies beside those that moved."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()


@_kernel
def displace(points, normals, height, moves, first, end, out):  # type: ignore[no-untyped-def]
    """Where the points ``first`` to ``end`` stand: each moved along its normal by its height, and by its move where
    there are any."""
    # One coordinate after the other: rows of a length that the compiler does not know are not gone through at once.
    p, q, to, also = points.reshape(-1), normals.reshape(-1), out.reshape(-1), moves.reshape(-1)
    for n in range(first, end):
        i, h = np.uintp(3) * np.uintp(n), height[np.uintp(n)]
        for c in range(3):
            k = i + np.uintp(c)
            to[k] = p[k] + q[k] * h
    if also.shape[0] > 0:
        for at in range(3 * first, 3 * end):
            to[np.uintp(at)] += also[np.uintp(at)]


@_kernel
def displace_some(points, normals, height, moves, which, out):  # type: ignore[no-untyped-def]
    """As :func:`displace`, for some of the points."""
    also = moves.shape[0] > 0
    for n in range(which.shape[0]):
        v = which[n]
        for c in range(3):
            out[v, c] = points[v, c] + normals[v, c] * height[v] + (moves[v, c] if also else np.float32(0))


@_kernel
def widen(which, faces, starts, around, mark, out):  # type: ignore[no-untyped-def]
    """Some points and those beside them, each once; ``mark`` (n,) is zero before and after. Returns how many."""
    count = 0
    for n in range(which.shape[0]):
        for k in range(starts[which[n]], starts[which[n] + 1]):
            for c in range(3):
                v = faces[around[k], c]
                if mark[v] == 0:
                    mark[v] = 1
                    out[count] = v
                    count += 1
    for n in range(count):
        mark[out[n]] = 0
    return count
