"""The compiled loops of the core: relaxing terraces, geodesic distances, and
splines, seen through a map or enlarged.

Kept to what no library has; compiled once into the user's cache directory and free of
the interpreter's lock, without Numba's own threads.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel(fastmath=True)


@_kernel
def relax(u, lo, hi, right, down, hold, sweeps, omega, top, bottom):  # type: ignore[no-untyped-def]
    """Projected over-relaxation of the thin-plate energy over rows ``top`` to ``bottom``, in place.

    The energy is the sum of squared second differences along x, along y and (twice) of the
    mixed ones. A difference that crosses a cut link does not count: ``right[i, j]`` is 0
    where pixel (i, j) is cut from (i, j + 1), ``down`` likewise. Every pixel stays in
    [lo, hi] and is drawn to its middle by ``hold``.
    """
    h, w = u.shape
    for _ in range(sweeps):
        for i in range(top, bottom):
            for j in range(w):
                c = u[i, j]
                pull = hold * (c - np.float32(0.5) * (lo[i, j] + hi[i, j]))
                stiff = hold
                # along x: triples that hold (i, j) at their right end, middle and left end
                if j >= 2 and right[i, j - 2] and right[i, j - 1]:
                    pull += u[i, j - 2] - 2 * u[i, j - 1] + c
                    stiff += 1
                if j >= 1 and j < w - 1 and right[i, j - 1] and right[i, j]:
                    pull -= 2 * (u[i, j - 1] - 2 * c + u[i, j + 1])
                    stiff += 4
                if j < w - 2 and right[i, j] and right[i, j + 1]:
                    pull += c - 2 * u[i, j + 1] + u[i, j + 2]
                    stiff += 1
                if i >= 2 and down[i - 2, j] and down[i - 1, j]:
                    pull += u[i - 2, j] - 2 * u[i - 1, j] + c
                    stiff += 1
                if i >= 1 and i < h - 1 and down[i - 1, j] and down[i, j]:
                    pull -= 2 * (u[i - 1, j] - 2 * c + u[i + 1, j])
                    stiff += 4
                if i < h - 2 and down[i, j] and down[i + 1, j]:
                    pull += c - 2 * u[i + 1, j] + u[i + 2, j]
                    stiff += 1
                # mixed: the four squares that hold (i, j); twice in the energy
                for a in (-1, 0):
                    for b in (-1, 0):
                        y, x = i + a, j + b
                        if y < 0 or x < 0 or y >= h - 1 or x >= w - 1:
                            continue
                        if right[y, x] and right[y + 1, x] and down[y, x] and down[y, x + 1]:
                            twist = u[y, x] - u[y, x + 1] - u[y + 1, x] + u[y + 1, x + 1]
                            sign = np.float32(1) if a == b else np.float32(-1)
                            pull += 2 * sign * twist
                            stiff += 2
                if stiff > 0:
                    value = c - omega * pull / stiff
                    u[i, j] = min(max(value, lo[i, j]), hi[i, j])


@_kernel
def sweep(distance, cost, step, rounds):  # type: ignore[no-untyped-def]
    """Geodesic distances in place: a way costs ``step`` a pixel and every change of ``cost`` along it.

    Raster scans forth and back until nothing changes, at most ``rounds`` times.
    """
    h, w = distance.shape
    for _ in range(rounds):
        changed = False
        for way in range(2):
            for n in range(h):
                i = n if way == 0 else h - 1 - n
                back = -1 if way == 0 else 1
                for m in range(w):
                    j = m if way == 0 else w - 1 - m
                    best = distance[i, j]
                    for k in range(4):
                        if k == 0:
                            y, x, far = i, j + back, np.float32(1.0)
                        else:
                            y, x = i + back, j + k - 2
                            far = np.float32(1.0) if k == 2 else np.float32(1.4142135)
                        if y < 0 or x < 0 or y >= h or x >= w:
                            continue
                        value = distance[y, x] + step * far + abs(cost[i, j] - cost[y, x])
                        if value < best - np.float32(1e-7):
                            best = value
                            changed = True
                    distance[i, j] = best
        if not changed:
            return


@_kernel
def spline(coefficients, m, top, bottom, out):  # type: ignore[no-untyped-def]
    """Sample cubic B-spline ``coefficients`` (H, W) at places given by a projective map, rows ``top`` to ``bottom``.

    ``m`` (3, 3) takes output pixel centres to input pixel places, both counted from the
    corner, so that the first pixel's centre is at 0.5. Mirrored beyond the border.
    """
    h, w = coefficients.shape
    wx, wy = np.empty(4), np.empty(4)
    column, row = np.empty(4, np.int64), np.empty(4, np.int64)
    for i in range(top, bottom):
        for j in range(out.shape[1]):
            u, v = j + 0.5, i + 0.5
            depth = m[2, 0] * u + m[2, 1] * v + m[2, 2]
            if abs(depth) < 1e-9:
                depth = 1e-9
            x = (m[0, 0] * u + m[0, 1] * v + m[0, 2]) / depth - 0.5
            y = (m[1, 0] * u + m[1, 1] * v + m[1, 2]) / depth - 0.5
            # Far outside nothing is seen: one turn of the mirror is enough.
            x = min(max(x, -float(w)), 2.0 * w - 1)
            y = min(max(y, -float(h)), 2.0 * h - 1)
            fx, fy = np.floor(x), np.floor(y)
            for t, weight, first, place, size in (
                (x - fx, wx, int(fx) - 1, column, w),
                (y - fy, wy, int(fy) - 1, row, h),
            ):
                s = 1 - t
                weight[0] = s * s * s / 6
                weight[1] = (4 - 6 * t * t + 3 * t * t * t) / 6
                weight[2] = (4 - 6 * s * s + 3 * s * s * s) / 6
                weight[3] = t * t * t / 6
                for k in range(4):
                    n = first + k
                    n = -1 - n if n < 0 else n
                    n = 2 * size - 1 - n if n >= size else n
                    place[k] = min(max(n, 0), size - 1)
            total = 0.0
            for a in range(4):
                line = 0.0
                for b in range(4):
                    line += wx[b] * coefficients[row[a], column[b]]
                total += wy[a] * line
            out[i, j] = total


@_kernel
def enlarge(coefficients, rows, down, columns, across, top, bottom, out):  # type: ignore[no-untyped-def]
    """Cubic B-spline ``coefficients`` (H, W) drawn at more pixels, rows ``top`` to ``bottom``.

    ``rows`` and ``columns`` name for every new row and column the first of its four
    coefficients, ``down`` (4, rows) and ``across`` (4, columns) their weights.
    """
    # The last four rows of coefficients, drawn across; each row of the result is a sum of them.
    lines = np.empty((4, out.shape[1]), np.float32)
    made = rows[top]
    for i in range(top, bottom):
        r = rows[i]
        while made < r + 4:
            line, small = lines[made & 3], coefficients[made]
            for j in range(line.size):
                k = columns[j]
                line[j] = (
                    across[0, j] * small[k] + across[1, j] * small[k + 1]
                    + across[2, j] * small[k + 2] + across[3, j] * small[k + 3]
                )  # fmt: skip
            made += 1
        a, b, c, d = down[0, i], down[1, i], down[2, i], down[3, i]
        one, two, three, four = lines[r & 3], lines[(r + 1) & 3], lines[(r + 2) & 3], lines[(r + 3) & 3]
        for j in range(out.shape[1]):
            out[i, j] = a * one[j] + b * two[j] + c * three[j] + d * four[j]


@_kernel
def reduce(values, rows, down, edge, before, columns, across, top, bottom, out):  # type: ignore[no-untyped-def]
    """Weighted means of ``values`` (H, W) at fewer pixels, rows ``top`` to ``bottom``.

    ``rows`` (taps, rows) names the pixels that count for every new row, ``down`` of the same shape how much they do;
    how many there are is a multiple of four. For columns the picture is grown by ``before`` pixels, and by more after
    it: ``edge`` names the columns that stand there. ``columns`` says with which pixel those of each new column begin,
    ``across`` (taps, columns) how much they count.
    """
    width = values.shape[1]
    line = np.empty(width + edge.size, np.float32)
    middle = line[before : before + width]
    for i in range(top, bottom):
        middle[:] = np.float32(0)
        for k in range(0, rows.shape[0], 4):  # by fours: the line is gone through so much less often
            one, two = values[rows[k, i]], values[rows[k + 1, i]]
            three, four = values[rows[k + 2, i]], values[rows[k + 3, i]]
            a, b, c, d = down[k, i], down[k + 1, i], down[k + 2, i], down[k + 3, i]
            for j in range(width):
                middle[j] += (a * one[j] + b * two[j]) + (c * three[j] + d * four[j])
        for j in range(edge.size):
            line[j if j < before else width + j] = middle[edge[j]]
        out[i] = np.float32(0)
        for k in range(0, across.shape[0], 4):
            for j in range(out.shape[1]):
                at = columns[j] + k
                out[i, j] += (across[k, j] * line[at] + across[k + 1, j] * line[at + 1]) + (
                    across[k + 2, j] * line[at + 2] + across[k + 3, j] * line[at + 3]
                )


def warm() -> None:
    """Compile every kernel (or fetch it from the cache) for the types that are used."""
    grid = np.zeros((4, 4), np.float32)
    link = np.ones((4, 4), np.uint8)
    relax(grid, grid.copy(), grid.copy(), link, link, np.float32(0), 1, np.float32(1.5), 0, 4)
    sweep(grid, grid.copy(), np.float32(0.1), 1)
    spline(grid, np.eye(3), 0, 4, grid.copy())
    first = np.zeros(4, np.int64)
    enlarge(np.zeros((8, 8), np.float32), first, grid, first, grid, 0, 4, grid.copy())
    rows, columns, one = np.zeros((4, 1), np.int32), np.zeros(1, np.int32), grid[:1, :1].copy()
    reduce(grid, rows, grid[:, :1].copy(), columns[:0].copy(), 0, columns, grid[:, :1].copy(), 0, 1, one)
