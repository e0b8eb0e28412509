"""Seeded smooth noise that is the same at every scale of a plate."""

from __future__ import annotations

import numpy as np

from ..raster import Pixels, Wrap


def _cubic(count: int, cells: float, size: int) -> Pixels:
    """Weights (count, size) that join lattice numbers by R. Keys' cubic (1981, a = -1/2) at pixel centres."""
    at = (np.arange(count) + 0.5) * (cells / count) + 1.5
    taps = np.floor(at).astype(np.intp)[:, None] + np.arange(-1, 3)
    away = np.abs(at[:, None] - taps)
    near = (1.5 * away - 2.5) * away * away + 1
    far = ((-0.5 * away + 2.5) * away - 4) * away + 2
    weights: Pixels = np.zeros((count, size), np.float32)
    np.put_along_axis(weights, taps, np.where(away <= 1, near, far).astype(np.float32), axis=1)
    return weights


def lattice(height: int, width: int, cell: float, seed: int, octaves: int = 3, wrap: Wrap = (False, False)) -> Pixels:
    """Value noise in 0..1, about 0.5, its largest features ``cell`` of the shorter side wide.

    Random numbers on a lattice, joined by a cubic, summed over octaves of half the
    size and half the height (K. Perlin, 1985, in its value form). The lattice is
    fixed to the picture, not to its pixels, so a preview shows the same shapes.

    Parameters
    ----------
    height, width : int
    cell : float
        Size of the largest features as a share of the shorter side, above 0.
    seed : int
        Same seed, same noise, on every machine.
    wrap : (bool, bool)
        Along which axes it goes on over the border: its features then fit a whole number of times.
    """
    short = min(height, width)
    downs, acrosses = [], []
    weight, summed = 1.0, 0.0
    for octave in range(octaves):
        cells = max(1.0, 2.0**octave / cell)
        nx, ny = cells * width / short, cells * height / short
        nx, ny = (max(1.0, round(n)) if on else n for n, on in zip((nx, ny), wrap, strict=True))
        rng = np.random.Generator(np.random.PCG64([seed & 0xFFFFFFFF, octave]))
        # One row of numbers per lattice row, so that a wider picture keeps its left part.
        numbers = rng.random((int(np.ceil(ny)) + 4, int(np.ceil(nx)) + 4), dtype=np.float32)
        for axis, on, period in ((1, wrap[0], round(nx)), (0, wrap[1], round(ny))):
            if on:
                numbers = np.take(numbers, np.arange(numbers.shape[axis]) % period, axis=axis)
        down, across = _cubic(height, ny, numbers.shape[0]), _cubic(width, nx, numbers.shape[1])
        downs.append(np.float32(weight) * (down @ numbers))
        acrosses.append(across)
        summed += weight
        weight *= 0.5
    # One product for all octaves: the picture is written once.
    total: Pixels = np.hstack(downs) @ (np.hstack(acrosses) / np.float32(summed)).T
    return np.clip(total, 0, 1, out=total)
