"""Hard borders that were enlarged after they were cut: they run in stairs, on a lattice of their own."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels

# Steps of 1.6 to 12 pixels are looked for, on at most so many pixels a side.
FACTORS = np.arange(1.6, 12.001, 0.02)
SIDE = 768
# A border rises by this share of the range within one pixel, after a blur that joins the sub-steps of enlarging.
_STEEP, _BLUR = 0.05, 1.5
# Places that lie anywhere are so seldom as alike as this (e^-10 for each step that is tried).
_CHANCE = 10.0
# So many places are needed; one place counts as often as the root of its borders, up to six.
_FEWEST, _MOST_OF_ONE, _FINE, _LONG = 40.0, 6, 8, 65536


@dataclass(frozen=True, slots=True)
class Stairs:
    """How far borders keep to a lattice, 0..1, and its step in pixels; 0 where there are too few to tell."""

    strength: float
    step: float


def _places(values: Pixels) -> NDArray[np.float64]:
    """Where the picture rises or falls most steeply across, in pixels, between pixels by a parabola."""
    change = np.abs(np.diff(cv2.GaussianBlur(values, (9, 1), _BLUR), axis=1))
    before, here, after = change[:, :-2], change[:, 1:-1], change[:, 2:]
    peaks = (here > before) & (here >= after) & (here > _STEEP * float(np.ptp(values)))
    a, b, c = (part[peaks].astype(np.float64) for part in (before, here, after))
    bend = np.minimum(a - 2 * b + c, -1e-12)
    places: NDArray[np.float64] = np.nonzero(peaks)[1] + 2 + 0.5 * (a - c) / bend
    return places


def _spectrum(values: Pixels) -> NDArray[np.float64] | None:
    """The length of the mean phase of the borders' places over each step of the lattice (Rayleigh's statistic)."""
    found = np.bincount(np.rint(_places(values) * _FINE).astype(np.int64), minlength=1)
    weights = np.sqrt(np.minimum(found, _MOST_OF_ONE)).astype(np.float64)
    if weights.sum() < _FEWEST:
        return None
    places = np.nonzero(found)[0] / _FINE
    # A slanting border passes all places within a step in turn: only those that lie apart count for themselves.
    tried = FACTORS[:: len(FACTORS) // 12]
    apart = [len(np.unique(np.floor(places / (step / 4)))) for step in tried]
    chance = np.sqrt(_CHANCE / np.interp(FACTORS, tried, apart))
    spectrum = np.abs(np.fft.rfft(weights, _LONG))
    strength = spectrum[np.rint(_LONG / _FINE / FACTORS).astype(np.int64)] / weights.sum()
    return np.where(strength > chance, strength, 0.0)


def stairs(values: Pixels) -> Stairs:
    """How far the borders across and down keep to one lattice.

    A border that was cut on few pixels is steepest half-way between two of them, wherever it
    runs: enlarged, all its steepest places lie on a lattice. Those of a border that was cut at
    this size lie anywhere. A straight border counts as one place however long it is.

    Parameters
    ----------
    values : float32 (H, W)
    """
    top, left = (max(0, n - SIDE) // 2 for n in values.shape)
    part = np.ascontiguousarray(values[top : top + SIDE, left : left + SIDE])
    if float(np.ptp(part)) < 1e-6 or min(part.shape) < 32:
        return Stairs(0.0, 0.0)
    across, down = _spectrum(part), _spectrum(np.ascontiguousarray(part.T))
    if across is None or down is None:
        return Stairs(0.0, 0.0)
    both = np.minimum(across, down)
    if not both.any():
        return Stairs(0.0, 0.0)
    # All steps that divide the true one fit as well: the largest is told.
    best = int(np.nonzero(both > 0.9 * both.max())[0][-1])
    return Stairs(float(both[best]), float(FACTORS[best]))
