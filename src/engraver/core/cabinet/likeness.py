"""What a picture looks like as a row of numbers, the same when it is turned, mirrored, re-toned or reduced.

Tones become ranks within the inscribed disc, so that any rising change of tone leaves them alone; the disc is
unrolled into rings, and of each ring the magnitudes of its first angular frequencies are kept: a turn shifts phases
only, a mirror only conjugates them. Fourier descriptors of rings: Casasent and Psaltis, "Position, rotation, and
scale invariant optical correlation", Applied Optics 15 (1976), from memory.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels

RINGS, WAVES = 20, 24
LENGTH = RINGS * WAVES
# How far two likenesses may be for their pictures to be the same one.
DOUBLE = 0.004
# The side at which it is looked at, and the samples of a ring.
_SIDE, _ROUND = 128, 128
# A light blur makes reductions alike.
_SOFT = 1.2


def likeness(height: Pixels) -> NDArray[np.float32]:
    """A picture's likeness, float32 (RINGS * WAVES,) of length 1; zeros for one even tone.

    ``height`` is float32 (H, W) in any range; what lies outside its middle square does not count.
    """
    rows, columns = height.shape
    side = min(rows, columns)
    top, left = (rows - side) // 2, (columns - side) // 2
    square = np.ascontiguousarray(height[top : top + side, left : left + side], np.float32)
    way = cv2.INTER_AREA if side >= _SIDE else cv2.INTER_LINEAR
    small = cv2.GaussianBlur(cv2.resize(square, (_SIDE, _SIDE), interpolation=way), (0, 0), _SOFT)
    ranked = _ranked(small)
    polar = cv2.warpPolar(
        ranked, (RINGS * 2, _ROUND), ((_SIDE - 1) / 2, (_SIDE - 1) / 2), _SIDE / 2 - 1, cv2.INTER_LINEAR
    )
    rings = polar.reshape(_ROUND, RINGS, 2).mean(axis=2).T  # (RINGS, _ROUND)
    waves = np.abs(np.fft.rfft(rings, axis=1))[:, :WAVES] / _ROUND
    # Outer rings hold more of the picture than inner ones.
    weight = np.sqrt(np.arange(RINGS) + 0.5)[:, None]
    found = (waves * weight).astype(np.float32)
    # The mean of each ring is far larger than what varies on it.
    found[:, 0] -= found[:, 0] @ weight[:, 0] / float((weight**2).sum()) * weight[:, 0]
    found[:, 0] *= 0.5
    length = float(np.linalg.norm(found))
    return (found / length).ravel() if length > 1e-6 else np.zeros(LENGTH, np.float32)


def _ranked(small: Pixels) -> Pixels:
    """Tones in the disc by their rank, -0.5..0.5; one tone gives zeros, as does what lies outside."""
    at = np.arange(_SIDE) - (_SIDE - 1) / 2
    disc = np.hypot(at[:, None], at[None, :]) < _SIDE / 2
    inside = small[disc]
    if float(np.ptp(inside)) < 1e-5:
        return np.zeros_like(small)
    order = np.argsort(inside)
    levels = inside[order]
    # Tones that are alike share the middle of their ranks.
    starts = np.flatnonzero(np.concatenate([[True], levels[1:] != levels[:-1]]))
    ends = np.concatenate([starts[1:], [len(levels)]])
    shares = np.empty(len(levels), np.float32)
    shares[order] = np.repeat((starts + ends) / (2 * len(levels)) - 0.5, ends - starts)
    ranked = np.zeros_like(small)
    ranked[disc] = shares
    return ranked


def packed(found: NDArray[np.float32]) -> bytes:
    """A likeness as it is stored: little-endian half floats."""
    return found.astype("<f2").tobytes()


def unpacked(data: bytes) -> NDArray[np.float32]:
    """The way back; zeros for what is no likeness."""
    if len(data) != 2 * LENGTH:
        return np.zeros(LENGTH, np.float32)
    found = np.frombuffer(data, "<f2").astype(np.float32)
    return found if np.isfinite(found).all() else np.zeros(LENGTH, np.float32)
