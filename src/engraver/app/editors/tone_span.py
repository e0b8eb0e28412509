"""The range of tones that a histogram shows: where the tones are, or all of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

WHOLE = (0.0, 1.0)
# What counts as tones: all but so much at either end. What is shown beyond them, as a share of their range.
_LEFT_OUT, _ROOM = 0.001, 0.25
# No range is narrower than this; one wider than that is the whole one.
_NARROWEST, _WIDEST = 0.04, 0.6
# A range that is shown stays up to so many times the width that is wanted.
_LOOSE = 2.5


def span_of(counts: NDArray[np.float32], ends: tuple[float, float]) -> tuple[float, float]:
    """The range that shows all tones that occur and two further ones, with room at its sides; whole where that is
    no gain.

    Parameters
    ----------
    counts : float32 (n,)
        How often each of n tones from 0 to 1 occurs.
    ends : (float, float)
        Tones that must show too.
    """
    behind = np.cumsum(counts, dtype=np.float64)
    if not len(counts) or behind[-1] <= 0:
        return WHOLE
    low, high = np.searchsorted(behind, np.array([_LEFT_OUT, 1 - _LEFT_OUT]) * behind[-1])
    a, b = min(low / len(counts), ends[0]), max((high + 1) / len(counts), ends[1])
    wide = max((b - a) * (1 + 2 * _ROOM), _NARROWEST)
    if wide > _WIDEST:
        return WHOLE
    begin = min(max(0.0, (a + b - wide) / 2), 1.0 - wide)
    return float(begin), float(begin + wide)


def fits(shown: tuple[float, float], wanted: tuple[float, float]) -> bool:
    """Whether a range that is shown can stay: it holds what is wanted, and is not much wider."""
    holds = shown[0] <= wanted[0] + 1e-9 and wanted[1] <= shown[1] + 1e-9
    return holds and shown[1] - shown[0] <= _LOOSE * (wanted[1] - wanted[0])
