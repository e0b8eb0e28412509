"""Medians and percentiles of finite values, by one selection each.

NumPy's own select two ranks and look for NaN, which takes several times as long on large pictures.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.floating[Any]]


def row_percentiles(values: Values, percent: float) -> NDArray[np.float64]:
    """The percentile of every row, the last axis; between two ranks by a straight line, as NumPy's.

    Parameters
    ----------
    values : floating (..., n)
        Finite, n at least 1. An array of one's own: its rows are put out of order.
    percent : float
        0..100.

    Returns
    -------
    float64 (...)

    Notes
    -----
    C. A. R. Hoare, "Algorithm 65: Find", 1961, in NumPy's selection.
    """
    count = values.shape[-1]
    if count == 1:
        return values[..., 0].astype(np.float64)
    rank = (count - 1) * (percent / 100)
    first = min(int(rank), count - 2)
    values.partition(first + 1, axis=-1)
    low, high = values[..., : first + 1].max(axis=-1), values[..., first + 1]
    return np.asarray(low + (rank - first) * (high.astype(np.float64) - low), np.float64)


def percentile(values: Values, percent: float) -> float:
    """The percentile of all values, at least one; they are left as they are."""
    return float(row_percentiles(np.array(values).ravel(), percent))


def median(values: Values) -> float:
    """The median of all values, at least one; they are left as they are."""
    return percentile(values, 50)
