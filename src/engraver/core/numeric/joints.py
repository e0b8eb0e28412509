"""A wall, a floor or boards seen aslant: the rectangle that its own lines tell."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import resample, warp
from .framing import Corners

_SIDE = 900
# Shorter pieces, of the longer side, have no direction.
_SHORTEST = 0.025
# A piece runs to a point when it is no farther off its direction, in degrees.
_OFF = 1.5
# Pairs of pieces that are tried for one point, and how often the best is bettered.
_TRIES, _ROUNDS = 600, 5
# The two families are so far apart, in degrees; each has so many pieces, and so much of all length.
_APART, _PIECES, _SHARE, _TOGETHER = 50.0, 12, 0.08, 0.55
# The rectangle keeps so much of its sides free, so that nothing beyond the picture comes in.
_FREE = 0.01
# Nearer to a corner of the picture, against the farthest one, what lies infinitely far away must not come; and the
# share of the figure from which the largest rectangle is sought.
_NEAR_HORIZON, _BEGINS = 0.15, 0.05

_Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class _Pieces:
    """Straight pieces (N): middles (N, 2), directions (N, 2) of length 1, lengths, and lines (N, 3) of length 1."""

    middles: _Array
    ways: _Array
    lengths: _Array
    lines: _Array

    def only(self, which: NDArray[np.bool_]) -> _Pieces:
        return _Pieces(self.middles[which], self.ways[which], self.lengths[which], self.lines[which])

    def off(self, points: _Array) -> _Array:
        """How far each piece is off the direction to each of points (M, 3), as sines (M, N)."""
        to = points[:, None, :2] - self.middles[None] * points[:, None, 2:]
        far = np.maximum(np.hypot(to[..., 0], to[..., 1]), 1e-12)
        return np.abs(to[..., 0] * self.ways[:, 1] - to[..., 1] * self.ways[:, 0]) / far


def wall_corners(values: Pixels) -> Corners | None:
    """The largest rectangle of a surface that lies in a picture of it, by two families of parallel lines.

    Parameters
    ----------
    values : float32 (H, W)
        Grey, of any range.

    Returns
    -------
    corners or None
        As shares of the picture, clockwise from the top left; None where there are no two families.

    Notes
    -----
    Straight pieces (R. Grompone von Gioi et al., "LSD: a fast line segment detector with a false detection control",
    2010) that are parallel on the surface meet in one point of the picture. Two such points are found by trying pairs
    of pieces (M. A. Fischler and R. C. Bolles, "Random sample consensus", 1981), and bettered by least squares. The
    line through both is what lies infinitely far away; sent there, and with both families square to each other, the
    picture shows the surface straight on (D. Liebowitz and A. Zisserman, "Metric rectification for perspective images
    of planes", 1998).
    """
    small = resample.at_most(values, _SIDE)
    rows, columns = small.shape
    pieces = _pieces(small)
    first = _meeting(pieces, np.ones(len(pieces.lengths), bool))
    if first is None:
        return None
    one, mine = first
    total = float(pieces.lengths.sum())
    if pieces.lengths[mine].sum() < total * _TOGETHER / 2:  # the other family is shorter
        return None
    across = np.abs(pieces.ways @ _way(one)) < np.cos(np.radians(_APART))
    second = _meeting(pieces, ~mine & across)
    if second is None:
        return None
    two, others = second
    shares = [float(pieces.lengths[which].sum()) / total for which in (mine, others)]
    if min(mine.sum(), others.sum()) < _PIECES or min(shares) < _SHARE or sum(shares) < _TOGETHER:
        return None
    if abs(_way(one)[0]) < abs(_way(two)[0]):  # the more level one is along the rows
        one, two = two, one
    return _inside(one, two, columns / max(rows, columns), rows / max(rows, columns))


def _pieces(small: Pixels) -> _Pieces:
    """Straight pieces of a picture (H, W), places from its middle in parts of its longer side."""
    low, high = np.percentile(small, (1, 99))
    grey = np.clip((small - low) * (255 / max(float(high - low), 1e-9)), 0, 255).astype(np.uint8)
    found = cv2.createLineSegmentDetector().detect(grey)[0]
    rows, columns = small.shape
    ends = np.zeros((0, 2, 2)) if found is None else found.reshape(-1, 2, 2).astype(np.float64) + 0.5
    ends = (ends - (columns / 2, rows / 2)) / max(rows, columns)
    lengths = np.hypot(*(ends[:, 1] - ends[:, 0]).T)
    ends, lengths = ends[lengths >= _SHORTEST], lengths[lengths >= _SHORTEST]
    flat = np.ones((len(ends), 1))
    lines = np.cross(np.hstack([ends[:, 0], flat]), np.hstack([ends[:, 1], flat]))
    lines /= np.maximum(np.linalg.norm(lines, axis=1, keepdims=True), 1e-12)
    return _Pieces(ends.mean(axis=1), (ends[:, 1] - ends[:, 0]) / lengths[:, None], lengths, lines)


def _way(point: _Array) -> _Array:
    """The direction from the middle of the picture to a point (3,), of length 1."""
    way: _Array = point[:2] / max(float(np.hypot(*point[:2])), 1e-12)
    return way


def _meeting(pieces: _Pieces, among: NDArray[np.bool_]) -> tuple[_Array, NDArray[np.bool_]] | None:
    """The point (3,) that most length runs to, of some of the pieces, and which of them do."""
    some = pieces.only(among)
    if len(some.lengths) < _PIECES:
        return None
    chance = np.random.default_rng(0)
    pairs = chance.choice(len(some.lengths), size=(_TRIES, 2), p=some.lengths / some.lengths.sum())
    points = np.cross(some.lines[pairs[:, 0]], some.lines[pairs[:, 1]])
    sizes = np.linalg.norm(points, axis=1)
    points = points[sizes > 1e-9] / sizes[sizes > 1e-9, None]
    if not len(points):
        return None
    limit = np.sin(np.radians(_OFF))
    held = (some.off(points) < limit) @ some.lengths
    best = points[int(held.argmax())]
    for _ in range(_ROUNDS):
        near = some.off(best[None])[0] < limit
        if near.sum() < 2:
            return None
        weighted = some.lines[near] * some.lengths[near, None]
        best = np.linalg.svd(weighted, full_matrices=False)[2][-1]
    which = np.zeros(len(among), bool)
    which[np.flatnonzero(among)] = some.off(best[None])[0] < limit
    return best, which


def _inside(one: _Array, two: _Array, width: float, height: float) -> Corners | None:
    """The largest rectangle within the picture whose sides run to two points (3,); None where they meet within it."""
    border = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * (width / 2, height / 2)
    straight = _straight_on(one, two, border)
    box = None if straight is None else _largest_within(warp.through(straight, border))
    if straight is None or box is None:
        return None
    left, top, right, bottom = box
    corners = np.array([(left, top), (right, top), (right, bottom), (left, bottom)])
    shares = warp.through(np.asarray(np.linalg.inv(straight), np.float64), corners) / (width, height) + 0.5
    a, b, c, d = ((float(u), float(v)) for u, v in np.clip(shares, 0, 1))
    return a, b, c, d


def _straight_on(one: _Array, two: _Array, border: _Array) -> _Array | None:
    """The homography (3, 3) after which what ran to one point is level, and to the other upright; None where the line
    through both comes near the picture's corners, ``border`` (4, 2)."""
    horizon = np.cross(one, two)
    away = np.column_stack([border, np.ones(4)]) @ horizon
    if min(abs(away)) < _NEAR_HORIZON * max(abs(away)) or away.min() * away.max() <= 0:
        return None
    flat = np.array([(1.0, 0, 0), (0, 1, 0), horizon / horizon[2]])
    ways = np.column_stack([_way(flat @ one), _way(flat @ two)])
    ways *= np.where(np.diag(ways) < 0, -1, 1)
    straight: _Array = np.vstack([np.hstack([np.linalg.inv(ways), np.zeros((2, 1))]), (0, 0, 1)]) @ flat
    return straight


def _largest_within(corners: _Array) -> _Array | None:
    """Left, top, right and bottom of the largest level rectangle within a convex figure (4, 2), a little smaller.

    The logarithm of its area is concave and its room is bounded by the figure's sides, so that there is one best
    (S. Boyd and L. Vandenberghe, "Convex Optimization", 2004, section 8.4).
    """
    from scipy.optimize import minimize

    sides = np.roll(corners, -1, axis=0) - corners
    normals = np.column_stack([sides[:, 1], -sides[:, 0]]) / np.linalg.norm(sides, axis=1, keepdims=True)
    middle, limits = corners.mean(axis=0), (normals * corners).sum(axis=1)
    if (normals @ middle > limits).any():
        normals, limits = -normals, -limits

    def room(box: _Array) -> _Array:
        low, high = normals * box[:2], normals * box[2:]
        left: _Array = limits - np.maximum(low, high).sum(axis=1)
        return left

    def small(box: _Array) -> float:
        return -float(np.log(np.maximum(box[2:] - box[:2], 1e-9)).sum())

    size = _BEGINS * float(np.ptp(corners, axis=0).min())
    start = np.concatenate([middle - size, middle + size])
    found = minimize(small, start, method="SLSQP", constraints={"type": "ineq", "fun": room})
    shrink = _FREE * np.tile(found.x[2:] - found.x[:2], 2) * (1, 1, -1, -1)
    return found.x + shrink if found.success else None
