"""The compiled loops that order the triangles of a surface and find what lies beside what."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from ..numeric.coordinates import coordinates

_kernel: Any = kernel()
_inline: Any = kernel(inline="always")


@_kernel
def _spread(v):  # type: ignore[no-untyped-def]
    """The lowest ten bits of a number, two empty ones between each."""
    v &= 0x3FF
    v = (v | (v << 16)) & 0x030000FF
    v = (v | (v << 8)) & 0x0300F00F
    v = (v | (v << 4)) & 0x030C30C3
    return (v | (v << 2)) & 0x09249249


@_kernel
def morton(points, faces, low, scale, out):  # type: ignore[no-untyped-def]
    """The place of each triangle's middle along a Z-shaped curve through space (G. M. Morton, 1966)."""
    for f in range(faces.shape[0]):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        code = 0
        for k in range(3):
            middle = (points[a, k] + points[b, k] + points[c, k]) / 3
            code |= _spread(int((middle - low[k]) * scale)) << k
        out[f] = code


@_kernel
def count_faces(faces, starts):  # type: ignore[no-untyped-def]
    """How many triangles meet at each point; ``starts`` has one place more than there are points, and is zero."""
    for f in range(faces.shape[0]):
        for k in range(3):
            starts[faces[f, k] + 1] += 1
    for n in range(1, starts.shape[0]):
        starts[n] += starts[n - 1]


@_kernel
def list_faces(faces, starts, at, out):  # type: ignore[no-untyped-def]
    """The triangles at each point, one point after the other; ``at`` is a copy of ``starts`` and is used up."""
    for f in range(faces.shape[0]):
        for k in range(3):
            v = faces[f, k]
            out[at[v]] = f
            at[v] += 1


@_kernel
def cells_of(points, low, per, dims, out):  # type: ignore[no-untyped-def]
    """The cell of each point, counted along x, then y, then z."""
    for n in range(points.shape[0]):
        cell, times = 0, 1
        for k in range(3):
            i = int((points[n, k] - low[k]) * per)
            cell += min(max(i, 0), dims[k] - 1) * times
            times *= dims[k]
        out[n] = cell


@_kernel
def fill_cells(cell, starts, at, out):  # type: ignore[no-untyped-def]
    """Points by cell; ``starts`` is filled with where each cell begins, ``at`` is used up."""
    for n in range(cell.shape[0]):
        starts[cell[n] + 1] += 1
    for n in range(1, starts.shape[0]):
        starts[n] += starts[n - 1]
    # One by one: to say how two arrays differ in length, Numba compiles texts, which takes it five seconds.
    for n in range(at.shape[0]):
        at[n] = starts[n]
    for n in range(cell.shape[0]):
        out[at[cell[n]]] = n
        at[cell[n]] += 1


@_kernel
def grid_faces(number, one, two):  # type: ignore[no-untyped-def]
    """Both triangles of every square of a grid of points, ``number`` int32 (R, C), into (R - 1, C - 1, 3) each.

    The diagonal changes from square to square, so that no direction is favoured.
    """
    for i in range(one.shape[0]):
        for j in range(one.shape[1]):
            a, b, c, d = number[i, j], number[i, j + 1], number[i + 1, j], number[i + 1, j + 1]
            even = (i + j) % 2 == 0
            one[i, j, 0], one[i, j, 1], one[i, j, 2] = a, c, b if even else d
            two[i, j, 0], two[i, j, 1], two[i, j, 2] = b if even else a, c if even else d, d if even else b


@_inline
def _slant(points, faces, f):  # type: ignore[no-untyped-def]
    """The normal of a triangle, as long as twice its area."""
    a, b, c = np.uintp(faces[f, 0]), np.uintp(faces[f, 1]), np.uintp(faces[f, 2])
    ax, ay, az = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
    bx, by, bz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
    return ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx


@_inline
def _unit(x, y, z):  # type: ignore[no-untyped-def]
    size = np.sqrt(x * x + y * y + z * z) + np.float32(1e-30)
    return x / size, y / size, z / size


@_inline
def _crossed(points, left, right, up, down):  # type: ignore[no-untyped-def]
    """The normal across the ways between two pairs of points, in ``points`` one coordinate after the other."""
    a, b, c, d = coordinates(left), coordinates(right), coordinates(up), coordinates(down)
    ax, bx = points[b[0]] - points[a[0]], points[c[0]] - points[d[0]]
    ay, by = points[b[1]] - points[a[1]], points[c[1]] - points[d[1]]
    az, bz = points[b[2]] - points[a[2]], points[c[2]] - points[d[2]]
    return _unit(ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx)


@_inline
def fan_normal(points, faces, starts, around, v):  # type: ignore[no-untyped-def]
    """The normal at a point: that of the triangles around it, by their areas (H. Gouraud, 1971)."""
    x = y = z = np.float32(0)
    for n in range(starts[v], starts[v + 1]):
        sx, sy, sz = _slant(points, faces, np.uintp(around[n]))
        x, y, z = x + sx, y + sy, z + sz
    return _unit(x, y, z)


@_kernel
def slants(points, faces, first, end, out):  # type: ignore[no-untyped-def]
    """Normals of the triangles ``first`` to ``end``, as long as twice their areas."""
    for f in range(first, end):
        out[f, 0], out[f, 1], out[f, 2] = _slant(points, faces, f)


@_kernel
def slants_in(points, faces, starts, which, out):  # type: ignore[no-untyped-def]
    """As :func:`slants`, for the triangles of some tiles."""
    for n in range(which.shape[0]):
        slants(points, faces, starts[which[n]], starts[which[n] + 1], out)


@_inline
def _joined(slant, starts, around, v):  # type: ignore[no-untyped-def]
    """As :func:`fan_normal`, from :func:`slants`, there one coordinate after the other."""
    x = y = z = np.float32(0)
    for n in range(starts[v], starts[v + 1]):
        i, j, k = coordinates(around[np.uintp(n)])
        x, y, z = x + slant[i], y + slant[j], z + slant[k]
    return _unit(x, y, z)


@_kernel
def normals(slant, starts, around, first, end, out):  # type: ignore[no-untyped-def]
    """As :func:`fan_normal` at points ``first`` to ``end``, from :func:`slants`: each triangle is looked at once."""
    flat = slant.reshape(-1)
    for v in range(first, end):
        out[v, 0], out[v, 1], out[v, 2] = _joined(flat, starts, around, v)


@_kernel
def normals_at(slant, starts, around, which, out):  # type: ignore[no-untyped-def]
    """As :func:`normals`, for some points."""
    flat = slant.reshape(-1)
    for n in range(which.shape[0]):
        v = which[n]
        out[v, 0], out[v, 1], out[v, 2] = _joined(flat, starts, around, v)


@_inline
def _beside(i, rows, closed):  # type: ignore[no-untyped-def]
    """The rows above and below a row."""
    above = (i - 1) % rows if closed else max(i - 1, 0)
    below = (i + 1) % rows if closed else min(i + 1, rows - 1)
    return above, below


@_inline
def _even_normal(points, row, up, down, j, columns):  # type: ignore[no-untyped-def]
    """The normal at a point of even rows and columns: across the ways to its neighbours, one-sided at a border. The
    rows begin at the points ``row``, ``up`` and ``down``."""
    left, right, n = np.uintp(row + max(j - 1, 0)), np.uintp(row + min(j + 1, columns - 1)), np.uintp(j)
    return _crossed(points, left, right, np.uintp(up) + n, np.uintp(down) + n)


@_kernel
def even_normals(points, rows, columns, closed, first, end, out):  # type: ignore[no-untyped-def]
    """Normals of rows ``first`` to ``end`` of points in even rows and columns.

    ``closed``: the last row is followed by the first.
    """
    p, to, one = points.reshape(-1), out.reshape(-1), np.uintp(1)
    for i in range(first, end):
        above, below = _beside(i, rows, closed)
        row, up, down = i * columns, above * columns, below * columns
        r, u, d = np.uintp(row), np.uintp(up), np.uintp(down)
        for j in range(1, columns - 1):
            n = np.uintp(j)
            x, y, z = coordinates(r + n)
            to[x], to[y], to[z] = _crossed(p, r + n - one, r + n + one, u + n, d + n)
        for j in (0, columns - 1):
            x, y, z = coordinates(row + j)
            to[x], to[y], to[z] = _even_normal(p, row, up, down, j, columns)


@_kernel
def even_normals_some(points, rows, columns, closed, which, out):  # type: ignore[no-untyped-def]
    """Normals of some points in even rows and columns; of those after them nothing changes."""
    p = points.reshape(-1)
    for n in range(which.shape[0]):
        v = which[n]
        if v < rows * columns:
            i = v // columns
            above, below = _beside(i, rows, closed)
            row, up, down = i * columns, above * columns, below * columns
            out[v, 0], out[v, 1], out[v, 2] = _even_normal(p, row, up, down, v - row, columns)


@_kernel
def normals_some(points, faces, starts, around, which, out):  # type: ignore[no-untyped-def]
    """Normals of some points, by the areas of the triangles around."""
    for n in range(which.shape[0]):
        v = which[n]
        out[v, 0], out[v, 1], out[v, 2] = fan_normal(points, faces, starts, around, v)


@_kernel
def with_any(held, marked, first, end, out):  # type: ignore[no-untyped-def]
    """Which of the tiles ``first`` to ``end`` hold a marked point."""
    for t in range(first, end):
        found = np.uint8(0)
        for n in range(held.shape[1]):
            if marked[held[t, n]] != 0:
                found = np.uint8(1)
                break
        out[t] = found


@_kernel
def points_of(held, chosen, first, end, out):  # type: ignore[no-untyped-def]
    """Mark the points of those tiles from ``first`` to ``end`` that are chosen."""
    for t in range(first, end):
        if chosen[t] != 0:
            for n in range(held.shape[1]):
                out[held[t, n]] = 1


@_kernel
def patch_errors(points, normals, held, size, square, first, end, out):  # type: ignore[no-untyped-def]
    """How far the points of the tiles ``first`` to ``end`` lie, along their normals, from what the corners of squares
    of ``square`` along a side give bilinearly. ``size`` (t, 2) is how many a tile has down and across."""
    row = int(np.sqrt(held.shape[1]))
    for t in range(first, end):
        high, wide, most = size[t, 0], size[t, 1], 0.0
        for top in range(0, high, square):
            for left in range(0, wide, square):
                tall, broad = min(square, high - top), min(square, wide - left)
                a, b = held[t, top * row + left], held[t, top * row + left + broad]
                c, d = held[t, (top + tall) * row + left], held[t, (top + tall) * row + left + broad]
                for i in range(tall + 1):
                    for j in range(broad + 1):
                        v, far, u, w = held[t, (top + i) * row + left + j], 0.0, i / tall, j / broad
                        for k in range(3):
                            on = (1 - u) * ((1 - w) * points[a, k] + w * points[b, k])
                            on += u * ((1 - w) * points[c, k] + w * points[d, k])
                            far += (points[v, k] - on) * normals[v, k]
                        most = max(most, abs(far))
        out[t] = most


def warm() -> None:
    """Compile every kernel (or fetch it from the cache) for the types that are used."""
    points, faces = np.eye(3, dtype=np.float32), np.array([[0, 1, 2]], np.int32)
    low, dims = np.zeros(3), np.ones(3, np.int64)
    morton(points, faces, low, 1.0, np.zeros(1, np.int32))
    starts, around = np.zeros(4, np.int32), np.zeros(3, np.int32)
    count_faces(faces, starts)
    list_faces(faces, starts, starts.copy(), around)
    cell = np.zeros(3, np.int32)
    cells_of(points, low, 1.0, dims, cell)
    fill_cells(cell, np.zeros(2, np.int32), np.zeros(1, np.int32), np.zeros(3, np.int32))
    grid_faces(np.zeros((2, 2), np.int32), *np.zeros((2, 1, 1, 3), np.int32))
    slants(points, faces, 0, 1, points.copy())
    normals(points, starts, around, 0, 3, points.copy())
    slants_in(points, faces, np.array([0, 1], np.int32), np.zeros(1, np.int32), points.copy())
    normals_at(points, starts, around, cell, points.copy())
    even_normals(points, 1, 3, False, 0, 1, points.copy())
    even_normals_some(points, 1, 3, False, cell, points.copy())
    normals_some(points, faces, starts, around, cell, points.copy())
    held, marked = np.zeros((1, 9), np.int32), np.zeros(3, np.uint8)
    with_any(held, marked, 0, 1, np.zeros(1, np.uint8))
    points_of(held, marked[:1], 0, 1, marked)
    patch_errors(points, points, held, np.ones((1, 2), np.int32), 2, 0, 1, np.zeros(1, np.float32))
