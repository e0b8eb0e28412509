"""What a picture's finest grain tells: steps left by too few levels, and noise."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import tone
from .ranks import row_percentiles

# Steps of more than this are meant: a terrace, not too few levels. Fewer than 3 levels of 16 bits are none.
_LARGEST, _SMALLEST = 1 / 14, 3 / 65535
_LINES = 384
# A step stands alone when its neighbours have less than this share of it.
_ALONE, _ALONE_REDUCED = 0.02, 0.12
# Levels of a comb that are too few to be smooth and too many to be a stair, in how many bins they are looked for.
_TONES, _FEWEST, _MOST_LEVELS, _CHANCE = 2048, 14, 80, 0.015
_STAIR = 4
# Noise is halved when its picture is; what keeps more than this is texture.
_KEEPS = 0.75
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


def _lonely(lines: Pixels, alone_below: float) -> tuple[NDArray[np.float32], float]:
    """Heights of the steps that stand alone, and the energy of all steps."""
    steps = np.abs(np.diff(lines, axis=1))
    whole = float((steps.astype(np.float64) ** 2).sum())
    middle = steps[:, 1:-1]
    around = np.maximum(steps[:, :-2], steps[:, 2:])
    alone = (middle > _SMALLEST) & (middle < _LARGEST) & (around <= alone_below * middle)
    return middle[alone], whole


def banding(values: Pixels) -> float:
    """Share 0..1 of the gradient energy that lies in isolated steps of equal height.

    Along rows and columns: a step that stands alone (nothing happens before and after it)
    and has the height that most such steps have, within a tenth, is one between two levels of a
    picture with too few of them. A true stair has higher steps; noise has no step that stands alone.
    Stairs that were softened are steps again on the picture reduced to a half and a quarter.
    """
    found = _banding(values, _ALONE)
    for by in (2, 4):
        if min(values.shape) >= 64 * by:
            rows, columns = values.shape[0] // by, values.shape[1] // by
            small = cv2.resize(values, (columns, rows), interpolation=cv2.INTER_AREA)
            found = max(found, _banding(small, _ALONE_REDUCED))
    return max(found, _comb(values))


def _comb(values: Pixels) -> float:
    """How far the tones pile up at few equal distances, 0..1: a comb is a line in their histogram's spectrum."""
    if float(np.ptp(values)) < 1e-6:
        return 0.0
    counts = tone.own_histogram(values, _TONES)[0].astype(np.float64)
    counts[0] = counts[-1] = 0  # what is cut off, and ground
    whole = float(counts.sum())
    if whole < _TONES:
        return 0.0
    lines = np.abs(np.fft.rfft(counts * np.hanning(_TONES))) / (whole / 2)
    few = lines[_FEWEST:_MOST_LEVELS]
    if float(lines[_STAIR:_FEWEST].max()) > 0.8 * float(few.max()):
        return 0.0  # fewer levels, whose comb has lines at every multiple: a stair
    # A comb stands out from its neighbours; what a histogram's own form leaves does not.
    around = np.lib.stride_tricks.sliding_window_view(lines[_FEWEST - 10 : _MOST_LEVELS + 10], 21)
    return float(np.clip((few - 3 * row_percentiles(around, 50)).max() - _CHANCE, 0, 1))


def _banding(values: Pixels, alone_below: float) -> float:
    found = [_lonely(lines, alone_below) for lines in _lines(values)]
    whole = sum(energy for _, energy in found)
    alone = np.concatenate([steps for steps, _ in found])
    if whole <= 0 or not len(alone):
        return 0.0
    ladder = np.round(np.log(alone) * 10).astype(int)
    places, counts = np.unique(ladder, return_counts=True)
    usual = float(np.median(alone[np.abs(ladder - places[int(np.argmax(counts))]) <= 1]))
    equal = alone[np.abs(alone - usual) < 0.1 * usual].astype(np.float64)
    return float(min(1.0, (equal**2).sum() / whole))


def is_texture(values: Pixels, ground: float | None = None) -> bool:
    """Whether what is fine keeps more of its size in a picture of half the side than noise does.

    White noise is halved by averaging four pixels; a texture of any width is not. The quieter half of the
    blocks is looked at, the same ones in both pictures.
    """
    rows, columns = (n - n % _BLOCK for n in values.shape)
    if rows < _BLOCK or columns < _BLOCK:
        return False
    part = np.ascontiguousarray(values[:rows, :columns], np.float32)
    small = cv2.resize(part, (columns // 2, rows // 2), interpolation=cv2.INTER_AREA)
    full, whole = _in_blocks(part, _BLOCK, 0.0, 1.0, ground)
    half, _ = _in_blocks(small, _BLOCK // 2, 0.0, 1.0, ground)
    if not whole.any():
        return False
    quiet = whole & (full <= np.median(full[whole]))
    return float(np.median(half[quiet] / np.maximum(full[quiet], 1e-9))) > _KEEPS


def _in_blocks(
    part: Pixels, block: int, low: float, high: float, ground: float | None
) -> tuple[Pixels, NDArray[np.bool_]]:
    """Standard deviation of the finest grain of each block, and whether all of its pixels count."""
    mask = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    rough = np.abs(cv2.filter2D(part, cv2.CV_32F, mask, borderType=cv2.BORDER_REFLECT_101))
    size = part.shape[1] // block, part.shape[0] // block
    out = (part <= low) | (part >= high)
    if ground is not None:
        out |= part == np.float32(ground)
    whole = cv2.resize(out.astype(np.float32), size, interpolation=cv2.INTER_AREA) == 0
    sigma: Pixels = np.float32(np.sqrt(np.pi / 2) / 6) * cv2.resize(rough, size, interpolation=cv2.INTER_AREA)
    return sigma, whole


def noise(values: Pixels, low: float = 0.0, high: float = 1.0, ground: float | None = None) -> float | None:
    """Standard deviation of the noise, or None where no block can tell.

    J. Immerkaer, "Fast Noise Variance Estimation" (Computer Vision and Image Understanding 64, 1996),
    in blocks of 32 pixels without clipped pixels or ground; the 10th percentile of the blocks, since
    most of a relief is detail.
    """
    rows, columns = (n - n % _BLOCK for n in values.shape)
    if rows < _BLOCK or columns < _BLOCK:
        return None
    part = np.ascontiguousarray(values[:rows, :columns], np.float32)
    sigma, whole = _in_blocks(part, _BLOCK, low, high, ground)
    return float(np.percentile(sigma[whole], 10) / _TENTH) if whole.any() else None
