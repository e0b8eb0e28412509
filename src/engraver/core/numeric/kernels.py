"""The compiled loops of the core: relaxing terraces, and geodesic distances.

Kept to what no library has; compiled once into the user's cache directory and free of
the interpreter's lock, without Numba's own threads.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

_kernel: Any = numba.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")


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


def warm() -> None:
    """Compile every kernel (or fetch it from the cache) for the types that are used."""
    grid = np.zeros((4, 4), np.float32)
    link = np.ones((4, 4), np.uint8)
    relax(grid, grid.copy(), grid.copy(), link, link, np.float32(0), 1, np.float32(1.5), 0, 4)
    sweep(grid, grid.copy(), np.float32(0.1), 1)
