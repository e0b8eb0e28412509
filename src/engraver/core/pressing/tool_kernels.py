"""The compiled loops of the tools: what lies under one, smoothing, scraping, and the string of a steady hand."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from .place_kernels import bent, rows_within, shorter_way, span

_kernel: Any = kernel()


@_kernel
def steady(points, length):  # type: ignore[no-untyped-def]
    """Points drawn on a string of this length behind those that are given, in place."""
    for n in range(1, points.shape[0]):
        x, y, z = (points[n, 0] - points[n - 1, 0], points[n, 1] - points[n - 1, 1], points[n, 2] - points[n - 1, 2])
        away = np.sqrt(x * x + y * y + z * z)
        share = (away - length) / away if away > length else 0.0
        points[n, 0] = points[n - 1, 0] + share * x
        points[n, 1] = points[n - 1, 1] + share * y
        points[n, 2] = points[n - 1, 2] + share * z


@_kernel
def reached(points, normals, even, starts, low, per, dims, lies, radius, m, fall, found, share):  # type: ignore[no-untyped-def]
    """Points under a round tool and how much of it each has; returns how many."""
    size, last_fall, number, rows = m[9], fall.shape[0] - 1, 0, even.shape[0] > 0
    mx, my, mz, rx, ry, rz = m[3], m[4], m[5], m[6], m[7], m[8]
    ux, uy, uz = my * rz - mz * ry, mz * rx - mx * rz, mx * ry - my * rx
    a0 = a1 = b0 = b1 = c0 = c1 = 0
    count, columns, left, top, step, down, at_down = 1, 0, 0.0, 0.0, 1.0, 1.0, m[1]
    if rows:
        count, columns, left, top, step, down = int(even[0]), int(even[1]), even[2], even[3], even[4], even[5]
        if lies == 1:
            at_down = radius * np.arctan2(mz, my)
        a0, a1 = rows_within(at_down, size, top, down, count, lies == 1, 0, count)
    else:
        c0, c1 = span(m[0], size, low[0], per, dims[0])
        b0, b1 = span(m[1], size, low[1], per, dims[1])
        a0, a1 = span(m[2], size, low[2], per, dims[2])
    for a in range(a0, a1 + 1):
        for b in range(b0, b1 + 1):
            off = 0.0
            if rows:
                row = a % count
                off = top + row * down - at_down
                if lies == 1:
                    off = shorter_way(off, 2 * np.pi * radius)
                wide = np.sqrt(max(0.0, size * size - off * off))
                base = row * columns
                one = base + max(0, int(np.ceil((m[0] - wide - left) / step)))
                two = base + min(columns, int(np.floor((m[0] + wide - left) / step)) + 1)
            else:
                cell = (a * dims[1] + b) * dims[0]
                one, two, base = starts[cell + c0], starts[cell + c1 + 1], 0
            for v in range(one, two):
                if rows:
                    x, y = left + (v - base) * step - m[0], off
                else:
                    x, y = bent(
                        points[v, 0] - m[0], points[v, 1] - m[1], points[v, 2] - m[2], normals[v, 0], normals[v, 1],
                        normals[v, 2], mx, my, mz, rx, ry, rz, ux, uy, uz,
                    )  # fmt: skip
                far = (x * x + y * y) / (size * size)
                if far < 1:
                    at = far * last_fall
                    f = int(at)
                    found[number] = v
                    share[number] = fall[f] + (at - f) * (fall[f + 1] - fall[f])
                    number += 1
    return number


@_kernel
def smooth(height, faces, starts, around, found, share, keeps, rounds, out):  # type: ignore[no-untyped-def]
    """Move heights towards the mean of those beside them, each by its share; ``rounds`` times.

    ``keeps``: 1 never lowers, 2 never raises. The mean is over the other corners of the triangles around.
    """
    for _ in range(rounds):
        for n in range(found.shape[0]):
            v = found[n]
            total, count = 0.0, 0
            for k in range(starts[v], starts[v + 1]):
                for c in range(3):
                    w = faces[around[k], c]
                    if w != v:
                        total += height[w]
                        count += 1
            mean = total / count if count else height[v]
            if (keeps == 1 and mean < height[v]) or (keeps == 2 and mean > height[v]):
                mean = height[v]
            out[n] = height[v] + share[n] * (mean - height[v])
        for n in range(found.shape[0]):
            height[found[n]] = out[n]


@_kernel
def plane_sums(at, m, found, share, sums, sides):  # type: ignore[no-untyped-def]
    """The normal equations (3, 3) and (3,) of the plane of least squares, weighted by share, through points as they
    stand: heights over the mark's own plane as offset, slope to the right, slope upwards, with the mark's radius for
    one. ``at`` (k, 3) are the places of the points ``found``; both are added to."""
    upx, upy, upz = m[4] * m[8] - m[5] * m[7], m[5] * m[6] - m[3] * m[8], m[3] * m[7] - m[4] * m[6]
    for n in range(found.shape[0]):
        dx, dy, dz = at[n, 0] - m[0], at[n, 1] - m[1], at[n, 2] - m[2]
        x, y = (dx * m[6] + dy * m[7] + dz * m[8]) / m[9], (dx * upx + dy * upy + dz * upz) / m[9]
        h = dx * m[3] + dy * m[4] + dz * m[5]
        row = (1.0, x, y)
        for a in range(3):
            sides[a] += share[n] * row[a] * h
            for b in range(3):
                sums[a, b] += share[n] * row[a] * row[b]


@_kernel
def scrape(at, normals, m, found, share, offset, across, upward, height):  # type: ignore[no-untyped-def]
    """Take off what stands over a plane, each point by its share of it, along its normal."""
    upx, upy, upz = m[4] * m[8] - m[5] * m[7], m[5] * m[6] - m[3] * m[8], m[3] * m[7] - m[4] * m[6]
    for n in range(found.shape[0]):
        v = found[n]
        dx, dy, dz = at[n, 0] - m[0], at[n, 1] - m[1], at[n, 2] - m[2]
        x, y = dx * m[6] + dy * m[7] + dz * m[8], dx * upx + dy * upy + dz * upz
        over = dx * m[3] + dy * m[4] + dz * m[5] - (offset + across * x + upward * y)
        q = normals[v]
        # How fast moving along the normal brings it down to the plane.
        falls = (
            q[0] * (m[3] - across * m[6] - upward * upx) + q[1] * (m[4] - across * m[7] - upward * upy)
            + q[2] * (m[5] - across * m[8] - upward * upz)
        )  # fmt: skip
        if over > 0 and falls > 0.2:
            height[v] -= share[n] * over / falls
