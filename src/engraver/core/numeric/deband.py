"""Taking out the terraces of stored levels: the smoothest surface inside every value's half-step."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..raster import Pixels
from . import tone

# Neighbours further apart than this many steps belong to an edge: nothing is smoothed across.
CUT = 2.5
# A wide terrace that nothing bends is left at its stored value.
HOLD = 1e-4
_OMEGA = 1.6
_SWEEPS = 12
_SMALLEST = 12
# Texture ends and terraces begin at these shares of small bends, counted so many pixels across.
_TEXTURE, _TERRACES, _AROUND = 0.8, 0.97, 9
# A lattice inside a finer one: it has at most so many levels, is so much coarser, and holds so many pixels.
_MOST_LEVELS, _COARSER, _NEARLY_ALL = 4096, 8, 0.999

Links = NDArray[np.uint8]


def _links(values: Pixels, step: float) -> tuple[Links, Links]:
    """1 where a pixel holds together with the one at its right, and with the one below."""
    right, down = np.zeros(values.shape, np.uint8), np.zeros(values.shape, np.uint8)
    limit = np.float32(CUT * step)
    right[:, :-1] = np.abs(np.diff(values, axis=1)) <= limit
    down[:-1] = np.abs(np.diff(values, axis=0)) <= limit
    return right, down


def _halved(values: Pixels, right: Links, down: Links) -> tuple[Pixels, Links, Links]:
    """Values and links at half the size: a coarse link holds when both fine ones across it do."""
    height, width = values.shape[0] // 2 * 2, values.shape[1] // 2 * 2
    small = cv2.resize(values[:height, :width], (width // 2, height // 2), interpolation=cv2.INTER_AREA)
    r = right[:height, :width]
    d = down[:height, :width]
    inside = (r[0::2, 0::2] & r[1::2, 0::2] & d[0::2, 0::2] & d[0::2, 1::2]).astype(np.uint8)
    across = r[0::2, 1::2] & r[1::2, 1::2] & inside
    across[:, :-1] &= inside[:, 1:]
    below = d[1::2, 0::2] & d[1::2, 1::2] & inside
    below[:-1] &= inside[1:]
    return small, np.ascontiguousarray(across), np.ascontiguousarray(below)


def smoothest(values: Pixels, step: float, check: Watch = unwatched) -> Pixels:
    """The surface of least thin-plate energy that stays within half a step of every stored value.

    Parameters
    ----------
    values : float32 (H, W)
        Stored values, whole multiples of ``step``.
    step : float
        The quantum of the stored values.
    check : callable
        Raises when nobody waits any more.

    Notes
    -----
    The energy is the bending energy of thin-plate splines (J. Duchon, 1977), with links
    cut where neighbours differ by more than two steps. Solved by projected
    over-relaxation (C. W. Cryer, "The solution of a quadratic programming problem using
    systematic overrelaxation", SIAM J. Control 9, 1971) from coarse to fine.
    """
    from . import kernels

    right, down = _links(values, step)
    pyramid = [(values, right, down)]
    while min(pyramid[-1][0].shape) >= 2 * _SMALLEST:
        pyramid.append(_halved(*pyramid[-1]))
    half = np.float32(step / 2)
    found: Pixels | None = None
    for level, (stored, r, d) in reversed(list(enumerate(pyramid))):
        hold = np.float32(HOLD * 16.0**level)  # stiffness grows with the fourth power of a pixel's size
        low, high = stored - half, stored + half
        if found is None:
            found = stored.copy()
        else:
            size = (stored.shape[1], stored.shape[0])
            found = np.clip(cv2.resize(found, size, interpolation=cv2.INTER_LINEAR), low, high)
        for _ in range(_SWEEPS):
            check()
            kernels.relax(found, low, high, r, d, hold, 2, np.float32(_OMEGA), 0, stored.shape[0])
    assert found is not None
    share = _terraced(values, step)
    return values + share * (found - values)


def _terraced(values: Pixels, step: float) -> Pixels:
    """0..1, how far a pixel's surroundings are a smooth surface stored in steps: hardly a bend is over one step.

    In texture bends are larger, and between its levels there is nothing to win: the smoothest
    surface would only be another one.
    """
    small, count = np.zeros(values.shape, np.float32), np.zeros(values.shape, np.float32)
    limit = np.float32(1.25 * step)
    small[:, 1:-1] += np.abs(values[:, :-2] - 2 * values[:, 1:-1] + values[:, 2:]) <= limit
    count[:, 1:-1] += 1
    small[1:-1] += np.abs(values[:-2] - 2 * values[1:-1] + values[2:]) <= limit
    count[1:-1] += 1
    wide = (_AROUND, _AROUND)
    share = cv2.blur(small, wide) / np.maximum(cv2.blur(count, wide), np.float32(1e-6))
    return tone.smoothstep((share - _TEXTURE) / (_TERRACES - _TEXTURE))


def quantum(values: Pixels, step: float) -> float:
    """The step of the levels that a picture really holds: an 8-bit one may lie inside a 16-bit file.

    The smallest step of which nearly all levels that occur are whole multiples from the lowest
    one on, each within the file's own rounding, refined over the whole range.

    Parameters
    ----------
    values : float32 (H, W)
        Stored values, whole multiples of ``step``.
    step : float
        The quantum of the file.
    """
    levels, counts = np.unique(np.rint(values / np.float32(step)).astype(np.int64), return_counts=True)
    if not 2 < len(levels) <= _MOST_LEVELS:
        return step
    from_lowest = (levels - levels[0]).astype(np.float64)
    gap = float(np.min(np.diff(levels)))
    if gap < _COARSER:
        return step
    reach = 2
    while True:  # a gap is rounded; over more and more of them its true size comes out
        near = from_lowest[1:reach]
        number = np.rint(near / gap)
        gap = float((number * near).sum() / np.square(number).sum())
        if reach >= len(from_lowest):
            break
        reach = min(2 * reach, len(from_lowest))
    off = np.abs(from_lowest - np.rint(from_lowest / gap) * gap)
    fits = counts[off <= 1].sum() >= _NEARLY_ALL * counts.sum()
    return gap * step if fits else step
