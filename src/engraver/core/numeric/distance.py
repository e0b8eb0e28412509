"""Distance from the border of shapes, to fractions of a pixel."""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np

from ..errors import Watch, unwatched
from ..raster import Pixels, Wrap
from .pad import pad
from .split_rows import split_rows


def _nearest(px: Pixels, py: Pixels, values: Pixels, level: np.float32) -> Pixels:
    """Signed distances by columns, then rows; ``px`` and ``py`` are used up."""
    from . import shape_kernels

    fx, fy, out = (np.empty_like(values) for _ in range(3))
    split_rows(lambda a, b: shape_kernels.columns(px, py, a, b, fx, fy), values.shape[1])
    split_rows(lambda a, b: shape_kernels.nearest(values, level, fx, fy, a, b, out), values.shape[0])
    return out


def signed(values: Pixels, level: float = 0.5, wrap: Wrap = (False, False), check: Watch = unwatched) -> Pixels:
    """Distance of every pixel's centre from where the tones cross ``level``, in pixels, positive above it.

    The border is placed between pixel centres by the tones on both sides (after S. Gustavson and
    R. Strand, "Anti-aliased Euclidean distance transform", 2011); the nearest of its points is
    found along columns, then along rows as the lower envelope of parabolas (P. F. Felzenszwalb and
    D. P. Huttenlocher, "Distance Transforms of Sampled Functions", 2012). Off by at most a third
    of a pixel. Without a border every pixel is a million away.

    Parameters
    ----------
    values : float32 (H, W)
    wrap : (bool, bool)
        Distances go on over a border that wraps, up to half the size.
    """
    from . import shape_kernels

    rows, columns = values.shape
    grow = (columns // 2 if wrap[0] else 0, rows // 2 if wrap[1] else 0)
    whole = np.ascontiguousarray(pad(values, grow[0], grow[1], wrap)) if any(grow) else np.ascontiguousarray(values)
    at = np.float32(level)
    px, py = np.empty_like(whole), np.empty_like(whole)
    split_rows(lambda a, b: shape_kernels.borders(whole, at, a, b, px, py), whole.shape[0])
    check()
    # A column's points differ by up to a pixel across it, which counts far away where the border runs along
    # the column; so rows and columns change places, and the nearer of both answers is right.
    across, down, turned = (cv2.transpose(p) for p in (py, px, whole))
    out = _nearest(px, py, whole, at)
    check()
    other = cv2.transpose(_nearest(across, down, turned, at))
    np.copyto(out, other, where=np.abs(other) < np.abs(out))
    return np.ascontiguousarray(out[grow[1] : grow[1] + rows, grow[0] : grow[0] + columns])


# Sweeps at full size; coarser levels, which cost less, get more.
SWEEPS = 3


def pillow(depth: Pixels, check: Watch = unwatched) -> Pixels:
    """The solution of Poisson's equation, -1 at its right inside ``depth`` > 0, 0 on the border, in pixels squared.

    From coarse to fine: each level starts from the one at half its size (F. A. Bornemann and
    P. Deuflhard, "The cascadic multigrid method for elliptic problems", 1996). Of a disc of radius
    R the solution is (R^2 - r^2) / 4.

    Parameters
    ----------
    depth : float32 (H, W)
        Signed distance to the border, positive inside, as from :func:`signed`.
    """
    from . import shape_kernels

    levels = [np.ascontiguousarray(depth, np.float32)]
    while min(levels[-1].shape) >= 16 and len(levels) < 12:
        rows, columns = levels[-1].shape
        size = (-(-columns // 2), -(-rows // 2))
        grown = cv2.copyMakeBorder(levels[-1], 0, size[1] * 2 - rows, 0, size[0] * 2 - columns, cv2.BORDER_REPLICATE)
        levels.append(cv2.resize(grown, size, interpolation=cv2.INTER_AREA) * np.float32(0.5))
    found = np.zeros_like(levels[-1])
    for n in range(len(levels) - 1, -1, -1):
        check()
        own = levels[n]
        if found.shape != own.shape:
            # Near the border the solution goes with the depth: their quotient is what is smooth.
            rows, columns = own.shape
            size = found.shape[1] * 2, found.shape[0] * 2
            below = np.maximum(levels[n + 1], 0)
            big, deep = (cv2.resize(p, size, interpolation=cv2.INTER_LINEAR)[:rows, :columns] for p in (found, below))
            found = np.maximum(own, 0) * (big / np.maximum(2 * deep, np.float32(1e-6)))
        sweeps, omega = (400, 1.7) if n == len(levels) - 1 else (min(300, round(SWEEPS * 2.5**n)), 1.3)
        step = float(2**n)
        if n > 2:
            shape_kernels.pillow(own, found, step, sweeps, 0, 2, omega, 0, own.shape[0])
            continue
        for _ in range(sweeps):
            for colour in (0, 1):
                split_rows(
                    partial(shape_kernels.pillow, own, found, step, 1, colour, colour + 1, omega), own.shape[0]
                )
    return found
