"""The compiled loops of strewing: random numbers by counting, and points with a least distance."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()


@_kernel
def chance(seed, index, channel):  # type: ignore[no-untyped-def]
    """A random number 0..1 that belongs to a place in a row (G. Steele, D. Lea and C. Flood, "SplitMix", 2014)."""
    z = np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(index) * np.uint64(0xD1B54A32D192ED03)
    z += np.uint64(channel) * np.uint64(0x8CB92BA72F3D8DD7) + np.uint64(0x9E3779B97F4A7C15)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z = z ^ (z >> np.uint64(31))
    return float(z >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@_kernel
def draws(seed, count, channel, out):  # type: ignore[no-untyped-def]
    """Random numbers for the first ``count`` places."""
    for n in range(count):
        out[n] = chance(seed, n, channel)


@_kernel
def poisson(width, height, least, wrap_x, wrap_y, seed, tries, grid, points):  # type: ignore[no-untyped-def]
    """Fill ``points`` (n, 2) with places at least ``least`` apart; returns how many fit.

    ``grid`` (rows, columns) of -1 has cells so small that each holds one place at most; over sides that wrap
    distances go on.
    """
    rows, columns = grid.shape
    across, down = width / columns, height / rows
    deep_x, deep_y = int(np.ceil(least / across)), int(np.ceil(least / down))
    active = np.empty(points.shape[0], np.int64)
    points[0, 0], points[0, 1] = chance(seed, 0, 0) * width, chance(seed, 0, 1) * height
    grid[min(rows - 1, int(points[0, 1] / down)), min(columns - 1, int(points[0, 0] / across))] = 0
    active[0], alive, count, drawn = 0, 1, 1, 1
    while alive > 0 and count < points.shape[0]:
        pick = min(alive - 1, int(chance(seed, drawn, 2) * alive))
        drawn += 1
        from_x, from_y = points[active[pick], 0], points[active[pick], 1]
        placed = False
        for _ in range(tries):
            angle = 2 * np.pi * chance(seed, drawn, 3)
            far = least * np.sqrt(1 + 3 * chance(seed, drawn, 4))
            drawn += 1
            x, y = from_x + far * np.cos(angle), from_y + far * np.sin(angle)
            if wrap_x:
                x -= width * np.floor(x / width)
            if wrap_y:
                y -= height * np.floor(y / height)
            if not (0 <= x < width and 0 <= y < height):
                continue
            i, j = min(rows - 1, int(y / down)), min(columns - 1, int(x / across))
            free = True
            for di in range(-deep_y, deep_y + 1):
                for dj in range(-deep_x, deep_x + 1):
                    k, m = i + di, j + dj
                    if wrap_y:
                        k %= rows
                    if wrap_x:
                        m %= columns
                    if not (0 <= k < rows and 0 <= m < columns) or grid[k, m] < 0:
                        continue
                    px, py = abs(points[grid[k, m], 0] - x), abs(points[grid[k, m], 1] - y)
                    if wrap_x:
                        px = min(px, width - px)
                    if wrap_y:
                        py = min(py, height - py)
                    if px * px + py * py < least * least:
                        free = False
            if free:
                points[count, 0], points[count, 1] = x, y
                grid[i, j] = count
                active[alive] = count
                alive += 1
                count += 1
                placed = True
                break
        if not placed:
            alive -= 1
            active[pick] = active[alive]
    return count
