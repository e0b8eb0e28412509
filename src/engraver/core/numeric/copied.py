"""A patch that is there twice: found by points that look alike, made sure of by comparing both places."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import resample
from .blur import gaussian
from .plateau import unevenness

_SIDE = 512
# So many points at most, down to so faint ones; what lies nearer to a point than this is the point itself.
_POINTS, _FAINT, _NEAR = 1000, 0.005, 16.0
# A point is there again where the next likely place is so much less like it; a patch may be there so many times more.
_CLEARLY, _AGAIN = 0.6, 3
# Moves that differ by less are one; so many points speak for one; so many moves are looked at.
_ONE_MOVE, _LEAST_POINTS, _MOVES = 1.5, 4, 8
# Places look the same from this correlation of their fine detail on, in a window so wide.
_SAME, _WINDOW, _FINE = 0.96, 21, 5.0
_LEAST = 0.006
# Ground is even where it differs by less from pixel to pixel. Where so much of a picture is, like forms may be strewn
# on it, some of which lie as others do: a larger patch must be there twice than such chance makes.
_LEVEL, _EVEN, _LEAST_ON_EVEN = 1e-5, 0.2, 0.03


@dataclass(frozen=True, slots=True)
class Copied:
    """``share`` of the picture that is there twice, 0 when nothing is; ``away`` in shares of the longer side."""

    share: float
    away: float


def copied(values: Pixels) -> Copied:
    """Whether a patch of a picture (H, W) lies in it a second time, moved but not turned.

    Points are described by what is round them (D. G. Lowe, "Distinctive image features from scale-invariant
    keypoints", 2004). One that was copied has one to three others that are clearly more like it than the next
    (I. Amerini et al., "A SIFT-based forensic method for copy-move attack detection and transformation recovery",
    2011); of like forms that are strewn there are many, and hardly one is clearly the one. Of the moves that most
    points speak for that one counts at which a patch, compared window by window (normalised cross-correlation of
    what is fine), is the same in both places.
    """
    values = resample.at_most(values, _SIDE)
    if min(values.shape) < 4 * _WINDOW or float(np.ptp(values)) < 1e-6:
        return Copied(0.0, 0.0)
    u = (values - values.mean()).astype(np.float32)
    fine = u - gaussian(u, _FINE)
    strong = _mean(fine * fine)
    floor = float(np.percentile(strong, 20)) * 0.25 + 1e-10
    found = [
        Copied(_same(fine, strong, across, down, floor), float(np.hypot(down, across)) / max(values.shape))
        for across, down in _moves(values)
    ]
    best = max(found, key=lambda one: one.share, default=Copied(0.0, 0.0))
    return best if best.share >= (_LEAST_ON_EVEN if _on_even_ground(u) else _LEAST) else Copied(0.0, 0.0)


def _on_even_ground(u: Pixels) -> bool:
    return float((unevenness(u) < _LEVEL).mean()) > _EVEN


def _moves(values: Pixels) -> list[tuple[float, float]]:
    """Moves (across, down) in pixels by which points are there again, those of most points first."""
    low, high = float(values.min()), float(values.max())
    grey = np.round((values - low) * (255 / (high - low))).astype(np.uint8)
    points, looks = cv2.SIFT.create(_POINTS, contrastThreshold=_FAINT).detectAndCompute(grey, None)
    if len(points) < 2 * _LEAST_POINTS:
        return []
    places = np.array([point.pt for point in points], np.float32)
    lengths = (looks * looks).sum(axis=1)
    unlike = lengths[:, None] + lengths[None] - 2 * (looks @ looks.T)
    unlike[np.hypot(*(places[:, None] - places[None]).T) <= _NEAR] = np.inf
    likely = np.argpartition(unlike, _AGAIN, axis=1)[:, : _AGAIN + 1]
    likely = np.take_along_axis(likely, np.take_along_axis(unlike, likely, 1).argsort(axis=1), 1)
    squares = np.maximum(np.take_along_axis(unlike, likely, 1), 0)
    clear = squares[:, :-1] < _CLEARLY**2 * squares[:, 1:]
    again = np.where(clear.any(axis=1), clear.argmax(axis=1) + 1, 0)
    which, rank = np.nonzero(np.arange(_AGAIN) < again[:, None])
    return _agreed(places[likely[which, rank]] - places[which])


def _agreed(moves: NDArray[np.float32]) -> list[tuple[float, float]]:
    """Of moves (N, 2) the means of those that are alike, most first; a move and its opposite are one."""
    moves = np.where(((moves[:, 0] < 0) | ((moves[:, 0] == 0) & (moves[:, 1] < 0)))[:, None], -moves, moves)
    agreed: list[tuple[float, float]] = []
    while len(agreed) < _MOVES and len(moves) >= _LEAST_POINTS:
        near = np.abs(moves[:, None] - moves[None]).max(axis=2) < _ONE_MOVE
        most = near[int(near.sum(axis=1).argmax())]
        if most.sum() < _LEAST_POINTS:
            break
        across, down = moves[most].mean(axis=0)
        agreed.append((float(across), float(down)))
        moves = moves[~most]
    return agreed


def _mean(values: Pixels) -> Pixels:
    mean: Pixels = cv2.blur(values, (_WINDOW, _WINDOW), borderType=cv2.BORDER_REFLECT)
    return mean


def _same(fine: Pixels, one: Pixels, across: float, down: float, floor: float) -> float:
    """The share of windows, of strength ``one``, that are the same in a place and so far from it."""
    matrix = np.array([(1, 0, across), (0, 1, down)], np.float32)
    other = cv2.warpAffine(fine, matrix, fine.shape[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_WRAP)
    two, both = _mean(other * other), _mean(fine * other)
    alike = (both > _SAME * np.sqrt(np.maximum(one * two, 0))) & (one > floor) & (two > floor)
    return float(alike.mean())
