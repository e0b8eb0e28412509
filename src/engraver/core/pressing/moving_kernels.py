"""The compiled loops that move points by their heights, and find the normals of those that moved."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from ..surfaces.kernels import even_normal

_kernel: Any = numba.njit(cache=True, nogil=True, error_model="numpy")


@_kernel
def displace(points, normals, height, moves, first, end, out):  # type: ignore[no-untyped-def]
    """Points moved along their normals by their heights, and by their moves where there are any."""
    also = moves.shape[0] > 0
    for v in range(first, end):
        for c in range(3):
            out[v, c] = points[v, c] + normals[v, c] * height[v] + (moves[v, c] if also else np.float32(0))


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


@_kernel
def even_normals_some(points, rows, columns, closed, which, count, out):  # type: ignore[no-untyped-def]
    """Normals of some points in even rows and columns; of those after them nothing changes."""
    for n in range(count):
        v = which[n]
        if v < rows * columns:
            out[v, 0], out[v, 1], out[v, 2] = even_normal(points, rows, columns, closed, v)


@_kernel
def normals_some(points, faces, starts, around, which, count, out):  # type: ignore[no-untyped-def]
    """Normals of some points, by the areas of the triangles around."""
    for n in range(count):
        v = which[n]
        x = y = z = np.float32(0)
        for k in range(starts[v], starts[v + 1]):
            f = np.uintp(around[k])
            a, b, c = np.uintp(faces[f, 0]), np.uintp(faces[f, 1]), np.uintp(faces[f, 2])
            ax, ay, az = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
            bx, by, bz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
            x += ay * bz - az * by
            y += az * bx - ax * bz
            z += ax * by - ay * bx
        size = np.sqrt(x * x + y * y + z * z) + np.float32(1e-30)
        out[v, 0], out[v, 1], out[v, 2] = x / size, y / size, z / size
