"""Frames along a way that lies on nothing: those that turn about it as little as can be."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .way import Column, unit


def least_turning(places: Column, ahead: Column, first: NDArray[np.float64] | None = None) -> Column:
    """Rotation-minimising normals along a curve, float64 (n, 3), by the double reflection of W. Wang, B. Jüttler,
    D. Zheng and Y. Liu, "Computation of Rotation Minimizing Frames" (ACM Transactions on Graphics 27, 2008).

    Parameters
    ----------
    places, ahead : float64 (n, 3)
        Points of the curve, and its directions there, of length 1.
    first : float64 (3,), optional
        The normal at the start; else the one nearest to up (0, 0, 1), or to (0, 1, 0) where the curve goes up.
    """
    from . import kernels

    if first is None:
        first = np.array([0.0, 1.0, 0.0]) if abs(ahead[0, 2]) > 0.95 else np.array([0.0, 0.0, 1.0])
    out = np.empty_like(places)
    out[0] = _square_to(ahead[0], first)
    kernels.reflect(np.ascontiguousarray(places), np.ascontiguousarray(ahead), out)
    return out


def _square_to(ahead: NDArray[np.float64], near: NDArray[np.float64]) -> NDArray[np.float64]:
    """The direction square to the way that lies nearest to another one; any, where that runs along the way."""
    off = near - (near @ ahead) * ahead
    if float(off @ off) < 1e-12:
        axis = np.eye(3)[int(np.argmin(np.abs(ahead)))]
        off = axis - (axis @ ahead) * ahead
    return unit(off)


def turned_about(vectors: Column, ahead: Column, angle: Column) -> Column:
    """Vectors square to the way, turned about it by angles in radians, against the clock as it comes towards one."""
    c, s = np.cos(angle)[:, None], np.sin(angle)[:, None]
    found: Column = c * vectors + s * np.cross(ahead, vectors)
    return found


def closing(up: Column, ahead: Column) -> Column:
    """Normals of a closed way, whose last place is its first, so that the last is the first: what is missing is
    spread evenly along the way."""
    last, first, t = up[-1], up[0], ahead[0]
    missing = float(np.arctan2(np.cross(last, first) @ t, last @ first))
    made = turned_about(up, ahead, np.linspace(0.0, missing, len(up)))
    made[-1] = made[0]
    return made
