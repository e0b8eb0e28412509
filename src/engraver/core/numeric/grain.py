"""What a picture's finest grain tells: steps left by too few levels, and noise."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels

# Steps of more than this are meant: a terrace, not too few levels. Fewer than 3 levels of 16 bits are none.
_LARGEST, _SMALLEST = 1 / 40, 3 / 65535
_LINES = 384
# A step stands alone when its neighbours have less than this share of it.
_ALONE = 0.02
_BLOCK = 32
# The 10th percentile of the blocks lies so far under the true noise: the estimate of one block of 32 x 32
# scatters by 4.3 % (measured on white noise).
_TENTH = 1 - 1.2816 * 0.043


def _lines(values: Pixels) -> tuple[Pixels, Pixels]:
    """Some rows, and some columns as rows."""
    rows, columns = values.shape
    some = np.linspace(0, rows - 1, min(rows, _LINES)).astype(int)
    other = np.linspace(0, columns - 1, min(columns, _LINES)).astype(int)
    return values[some], np.ascontiguousarray(values[:, other].T)


def _lonely(lines: Pixels) -> tuple[NDArray[np.float32], float]:
    """Heights of the steps that stand alone, and the energy of all steps."""
    steps = np.abs(np.diff(lines, axis=1))
    whole = float((steps.astype(np.float64) ** 2).sum())
    middle = steps[:, 1:-1]
    around = np.maximum(steps[:, :-2], steps[:, 2:])
    alone = (middle > _SMALLEST) & (middle < _LARGEST) & (around <= _ALONE * middle)
    return middle[alone], whole


def banding(values: Pixels) -> float:
    """Share 0..1 of the gradient energy that lies in isolated steps of equal height.

    Along rows and columns: a step that stands alone (nothing happens before and after it)
    and has the height that most such steps have, within a tenth, is one between two levels of a
    picture with too few of them. A true stair has higher steps; noise has no step that stands alone.
    """
    found = [_lonely(lines) for lines in _lines(values)]
    whole = sum(energy for _, energy in found)
    alone = np.concatenate([steps for steps, _ in found])
    if whole <= 0 or not len(alone):
        return 0.0
    ladder = np.round(np.log(alone) * 10).astype(int)
    places, counts = np.unique(ladder, return_counts=True)
    usual = float(np.median(alone[np.abs(ladder - places[int(np.argmax(counts))]) <= 1]))
    equal = alone[np.abs(alone - usual) < 0.1 * usual].astype(np.float64)
    return float(min(1.0, (equal**2).sum() / whole))


def noise(values: Pixels, low: float = 0.0, high: float = 1.0, ground: float | None = None) -> float | None:
    """Standard deviation of the noise, or None where no block can tell.

    J. Immerkaer, "Fast Noise Variance Estimation" (Computer Vision and Image Understanding 64, 1996),
    in blocks of 32 pixels without clipped pixels or ground; the 10th percentile of the blocks, since
    most of a relief is detail.
    """
    mask = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    rows, columns = (n - n % _BLOCK for n in values.shape)
    if rows < _BLOCK or columns < _BLOCK:
        return None
    part = np.ascontiguousarray(values[:rows, :columns], np.float32)
    rough = np.abs(cv2.filter2D(part, cv2.CV_32F, mask, borderType=cv2.BORDER_REFLECT_101))
    size = columns // _BLOCK, rows // _BLOCK
    out = (part <= low) | (part >= high)
    if ground is not None:
        out |= part == np.float32(ground)
    whole = cv2.resize(out.astype(np.float32), size, interpolation=cv2.INTER_AREA) == 0
    if not whole.any():
        return None
    sigma = np.sqrt(np.pi / 2) / 6 * cv2.resize(rough, size, interpolation=cv2.INTER_AREA)[whole]
    return float(np.percentile(sigma, 10) / _TENTH)
