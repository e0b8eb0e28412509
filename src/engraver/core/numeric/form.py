"""The large form of a relief: a local quadratic in wide windows that keeps to its own side of an edge."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..raster import Pixels, Wrap

# Standard deviations of a window, in pixels of the reduced picture that the form is found on.
WINDOW = 6.0
_POWERS = ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
# Pieces between walls that count as sides, and how wide they must be, in standard deviations of the window.
_MOST = 8
_NARROW = 0.6
_WHOLE = 0.9
_THERE = 0.01
# Share of the rise within three pixels of a wall that lies within one.
_SUDDEN = 0.6
_RIDGE = 1e-3


class _Windows:
    """Weighted moments about every pixel: correlations with a Gaussian times powers of the distance."""

    def __init__(self, sigma: float, wrap: Wrap) -> None:
        reach = int(3 * sigma + 0.5)
        u = np.arange(-reach, reach + 1)
        bell = np.exp(-0.5 * (u / sigma) ** 2)
        bell /= bell.sum()
        self._kernels = [(bell * (u / sigma) ** n).astype(np.float32) for n in range(5)]
        self._reach, self._wrap = reach, wrap

    def __call__(self, picture: Pixels, x: int, y: int) -> Pixels:
        r = self._reach
        across = cv2.BORDER_WRAP if self._wrap[0] else cv2.BORDER_CONSTANT
        down = cv2.BORDER_WRAP if self._wrap[1] else cv2.BORDER_CONSTANT
        grown = cv2.copyMakeBorder(cv2.copyMakeBorder(picture, 0, 0, r, r, across), r, r, 0, 0, down)
        soft = cv2.sepFilter2D(grown, cv2.CV_32F, self._kernels[x], self._kernels[y])
        return np.ascontiguousarray(soft[r:-r, r:-r])


def local_quadratic(
    values: Pixels, weight: Pixels, sigma: float, wrap: Wrap, check: Watch = unwatched
) -> tuple[Pixels, Pixels]:
    """Value at every pixel of a quadratic fitted in a Gaussian window, and how much weight lay in it.

    Local regression: W. S. Cleveland, "Robust Locally Weighted Regression" (1979). Nothing is
    mirrored at a border: what is not there does not count. Where little lies in a window the
    fit falls back towards its mean.

    Parameters
    ----------
    values, weight : float32 (H, W)
    sigma : float
        Standard deviation of the window in pixels.
    wrap : (bool, bool)
    """
    windows = _Windows(sigma, wrap)
    mass = {(i, j): windows(weight, i, j) for i in range(5) for j in range(5 - i)}
    check()
    product: Pixels = weight * values
    target = [windows(product, i, j) for i, j in _POWERS]
    check()
    matrix = np.empty((*values.shape, 6, 6), np.float64)
    for n, (a, b) in enumerate(_POWERS):
        for m, (c, d) in enumerate(_POWERS):
            matrix[..., n, m] = mass[(a + c, b + d)]
    for n in range(1, 6):
        matrix[..., n, n] += _RIDGE * mass[(0, 0)] + 1e-7
    matrix[..., 0, 0] += 1e-7
    right = np.stack(target, axis=-1).astype(np.float64)
    found: Pixels = np.linalg.solve(matrix, right[..., None])[..., 0, 0].astype(np.float32)
    return found, mass[(0, 0)]


@dataclass(frozen=True, slots=True)
class Sides:
    """The form of each side of the edges: ``fits`` (n, H, W) and which side each pixel is on, -1 beside an edge."""

    fits: Pixels
    side: NDArray[np.int32]


def wider_than(
    values: Pixels, weight: Pixels, sigma: float, grip: float, wrap: Wrap, check: Watch = unwatched
) -> Sides:
    """The form wider than a window, found on each side of an edge by itself.

    Where the picture leaps by more than ``grip`` from one pixel to the next a wall is drawn;
    every piece between walls that a window fits into is a side, and is fitted by local
    quadratics of its own, twice: what lies far off the first fit counts less in the second
    (Tukey's biweight). Smaller pieces are detail and stand on the sides around them.

    Parameters
    ----------
    values, weight : float32 (H, W)
        Small; the global form taken out already.
    sigma : float
        Standard deviation of the window in pixels.
    grip : float
        Least height of an edge; 0 or less for one side everywhere.
    """
    sides = _pieces(values, weight, sigma, grip)
    fits = []
    for n in range(int(sides.max()) + 1):
        check()
        own: Pixels = (weight * (sides == n)).astype(np.float32) if grip > 0 else weight
        fit, _ = local_quadratic(values, own, sigma, wrap, check)
        if grip > 0:
            away = np.clip(np.abs(values - fit) / np.float32(3 * grip), 0, 1)
            fit, _ = local_quadratic(values, own * (1 - away * away) ** 2, sigma, wrap, check)
        fits.append(fit)
    return Sides(np.stack(fits), sides)


def _pieces(values: Pixels, weight: Pixels, sigma: float, grip: float) -> NDArray[np.int32]:
    """Numbers of the pieces between walls, widest first; -1 on a wall and in pieces narrower than a window."""
    everywhere = np.zeros(values.shape, np.int32)
    if grip <= 0 or min(values.shape) < 8:
        return everywhere
    calm = cv2.medianBlur(values, 3)
    leap = cv2.morphologyEx(calm, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
    # A wall is steep here and done with a little way off; a mere slope goes on.
    around = cv2.morphologyEx(calm, cv2.MORPH_GRADIENT, np.ones((7, 7), np.uint8))
    wall = (leap > grip) & (leap > _SUDDEN * around)
    if not wall.any():
        return everywhere
    ground = (~wall & (weight > _THERE)).astype(np.uint8)
    count, label = cv2.connectedComponents(ground, connectivity=4)
    deep = cv2.distanceTransform(np.pad(ground, 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    wide = np.zeros(count)
    np.maximum.at(wide, label.ravel(), deep.ravel())
    area = np.bincount(label.ravel(), minlength=count)
    kept = [n for n in np.argsort(-area) if n != 0 and wide[n] >= _NARROW * sigma][:_MOST]
    if not kept or (len(kept) == 1 and area[kept[0]] >= _WHOLE * int(ground.sum())):
        return everywhere  # steep places that part nothing
    number = np.full(count, -1, np.int32)
    number[kept] = np.arange(len(kept))
    sides: NDArray[np.int32] = number[label]
    return sides


def choose(values: Pixels, fits: Pixels) -> Pixels:
    """At every place the fit (n, ...) that lies nearest to the value (...)."""
    nearest = np.argmin(np.abs(fits - values[None]), axis=0)
    chosen: Pixels = np.take_along_axis(fits, nearest[None], axis=0)[0]
    return chosen
