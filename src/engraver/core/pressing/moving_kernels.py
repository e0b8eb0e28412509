"""The compiled loops that move points by their heights, and find what lies beside those that moved."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from ..numeric.coordinates import coordinates

_kernel: Any = kernel()
_inline: Any = kernel(inline="always")


@_inline
def _stand(points, normals, h, n, out):  # type: ignore[no-untyped-def]
    """One point moved along its normal by a height; each array is a row of coordinates."""
    for k in coordinates(n):
        out[k] = points[k] + normals[k] * h


@_kernel
def displace(points, normals, height, moves, first, end, out):  # type: ignore[no-untyped-def]
    """Where the points ``first`` to ``end`` stand: each moved along its normal by its height, and by its move where
    there are any."""
    p, q, to, also = points.reshape(-1), normals.reshape(-1), out.reshape(-1), moves.reshape(-1)
    for n in range(first, end):
        _stand(p, q, height[np.uintp(n)], n, to)
    if also.shape[0] > 0:
        for at in range(3 * first, 3 * end):
            to[np.uintp(at)] += also[np.uintp(at)]


@_kernel
def displace_some(points, normals, height, moves, which, out):  # type: ignore[no-untyped-def]
    """As :func:`displace`, for some of the points."""
    p, q, to, also = points.reshape(-1), normals.reshape(-1), out.reshape(-1), moves.reshape(-1)
    for n in range(which.shape[0]):
        _stand(p, q, height[np.uintp(which[n])], which[n], to)
        if also.shape[0] > 0:
            for k in coordinates(which[n]):
                to[k] += also[k]


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
