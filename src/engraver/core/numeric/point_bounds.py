"""The box round points."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def point_bounds(points: NDArray[np.floating[Any]]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The lowest and the highest corner of the box round points.

    Parameters
    ----------
    points : floating (n, k)
        n at least 1, in any unit.

    Returns
    -------
    low, high : float64 (k,)
        In the points' unit.

    Raises
    ------
    ValueError
        Where there is no point.

    Notes
    -----
    One column after the other: NumPy takes eight times as long to go through a long array of short rows.
    """
    columns = points.T
    return np.array([c.min() for c in columns], np.float64), np.array([c.max() for c in columns], np.float64)
