"""The compiled loops of a cord: points taken along a way, and normals from triangles."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()


@_kernel
def bend(  # type: ignore[no-untyped-def]
    local, gone, beyond, turn, size, table, step, first, end, out
):
    """Points of a piece taken to where they stand along a way.

    ``local`` (n, 3) to the left, up and its own turn, ``gone`` (n,) how far along, ``beyond`` (n,) how far past an
    end; ``turn`` and ``size`` at places of the way; ``table`` (k, 12) place, ahead, up and left there, ``step``
    apart. Between two places the way is Hermite's cubic, frames turn evenly.
    """
    last = table.shape[0] - 2
    for n in range(first, end):
        at = gone[n] / step
        k = min(max(int(np.floor(at)), 0), last)
        t = at - k
        tt, ttt = t * t, t * t * t
        a, b = 2 * ttt - 3 * tt + 1, -2 * ttt + 3 * tt
        c, d = (ttt - 2 * tt + t) * step, (ttt - tt) * step
        px = a * table[k, 0] + b * table[k + 1, 0] + c * table[k, 3] + d * table[k + 1, 3]
        py = a * table[k, 1] + b * table[k + 1, 1] + c * table[k, 4] + d * table[k + 1, 4]
        pz = a * table[k, 2] + b * table[k + 1, 2] + c * table[k, 5] + d * table[k + 1, 5]
        # The direction of the cubic itself, and the frame square to it.
        e, f = (6 * tt - 6 * t) / step, 3 * tt - 4 * t + 1
        g = 3 * tt - 2 * t
        ax = e * (table[k, 0] - table[k + 1, 0]) + f * table[k, 3] + g * table[k + 1, 3]
        ay = e * (table[k, 1] - table[k + 1, 1]) + f * table[k, 4] + g * table[k + 1, 4]
        az = e * (table[k, 2] - table[k + 1, 2]) + f * table[k, 5] + g * table[k + 1, 5]
        long = np.sqrt(ax * ax + ay * ay + az * az)
        ax, ay, az = ax / long, ay / long, az / long
        ux = table[k, 6] + t * (table[k + 1, 6] - table[k, 6])
        uy = table[k, 7] + t * (table[k + 1, 7] - table[k, 7])
        uz = table[k, 8] + t * (table[k + 1, 8] - table[k, 8])
        off = ux * ax + uy * ay + uz * az
        ux, uy, uz = ux - off * ax, uy - off * ay, uz - off * az
        long = np.sqrt(ux * ux + uy * uy + uz * uz)
        ux, uy, uz = ux / long, uy / long, uz / long
        lx, ly, lz = uy * az - uz * ay, uz * ax - ux * az, ux * ay - uy * ax
        angle = turn[k] + t * (turn[k + 1] - turn[k]) + local[n, 2]
        big = size[k] + t * (size[k + 1] - size[k])
        cosine, sine = np.cos(angle), np.sin(angle)
        # Against the clock as the way comes towards one: left goes to up.
        x, y = (cosine * local[n, 0] - sine * local[n, 1]) * big, (sine * local[n, 0] + cosine * local[n, 1]) * big
        far = beyond[n] * big
        out[n, 0] = px + x * lx + y * ux + far * ax
        out[n, 1] = py + x * ly + y * uy + far * ay
        out[n, 2] = pz + x * lz + y * uz + far * az


@_kernel
def add_normals(points, faces, out):  # type: ignore[no-untyped-def]
    """Normals at points from the triangles around, by their areas, added to ``out`` (n, 3)."""
    for m in range(faces.shape[0]):
        i, j, k = faces[m, 0], faces[m, 1], faces[m, 2]
        ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
        bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
        x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        for v in (i, j, k):
            out[v, 0] += x
            out[v, 1] += y
            out[v, 2] += z


@_kernel
def normalise(out):  # type: ignore[no-untyped-def]
    """Rows of length 1; rows of nothing point up."""
    for n in range(out.shape[0]):
        size = np.sqrt(out[n, 0] ** 2 + out[n, 1] ** 2 + out[n, 2] ** 2)
        if size > 1e-30:
            out[n, 0] /= size
            out[n, 1] /= size
            out[n, 2] /= size
        else:
            out[n, 2] = 1


@_kernel
def numbered(faces, to, first, out):  # type: ignore[no-untyped-def]
    """Triangles of every copy of a piece. ``to`` (copies, n) says which point of the cord each point of a copy is;
    those of copy k are written from ``first[k]`` on."""
    for k in range(to.shape[0]):
        at = first[k]
        for m in range(faces.shape[0]):
            for c in range(3):
                out[at + m, c] = to[k, faces[m, c]]
