"""Covering a blemish with a piece from elsewhere, its tones matched to what is around."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import harmonic

Mask = NDArray[np.bool_]
Wrap = tuple[bool, bool]
# A piece is looked for on a picture so reduced that the blemish is about this many pixels wide.
WIDE = 24.0
_TURNS, _RINGS = 24, (1.15, 1.5, 2.0, 2.7, 3.6, 5.0)


def folded(places: NDArray[np.int64], count: int, wrap: bool) -> NDArray[np.int64]:
    """Pixel numbers brought into 0..count-1: around where the picture wraps, mirrored elsewhere."""
    if wrap:
        return places % count
    period = places % (2 * count)
    return np.where(period < count, period, 2 * count - 1 - period)


def window(mask: Mask, margin: int) -> tuple[int, int, int, int]:
    """Top, bottom, left, right of what is True, grown by a margin (it may reach over the border)."""
    rows, columns = np.nonzero(mask.any(axis=1))[0], np.nonzero(mask.any(axis=0))[0]
    return int(rows[0]) - margin, int(rows[-1]) + margin + 1, int(columns[0]) - margin, int(columns[-1]) + margin + 1


def near(mask: Mask, margin: int) -> tuple[slice, slice]:
    """Rows and columns of what is True, grown by a margin in pixels, within the picture."""
    top, bottom, left, right = window(mask, margin)
    return slice(max(0, top), min(mask.shape[0], bottom)), slice(max(0, left), min(mask.shape[1], right))


def size(mask: Mask) -> int:
    """The longer side of what is True, in pixels."""
    top, bottom, left, right = window(mask, 0)
    return max(bottom - top, right - left)


def moved(mask: Mask, shift: tuple[float, float]) -> Mask:
    """The same pixels so much further right and down; those that leave the picture are gone."""
    rows, columns = np.nonzero(mask)
    r, c = rows + round(shift[1]), columns + round(shift[0])
    inside = (r >= 0) & (r < mask.shape[0]) & (c >= 0) & (c < mask.shape[1])
    there = np.zeros_like(mask)
    there[r[inside], c[inside]] = True
    return there


def grain_kept(values: Pixels, mask: Mask, blocked: Mask, shift: tuple[float, float] | None) -> float:
    """How strong the grain of a piece is against that around the blemish; 0 where there is no piece.

    Grain is what is finer than about 2 pixels (the spread of the picture less its Gaussian blur
    of 1.5); where there is none around, none is lacking.

    Parameters
    ----------
    values : float32 (H, W)
    mask, blocked : bool (H, W)
        The blemish, and what else is none of its surroundings.
    shift : (float, float) or None
        From a pixel to the one it takes, in pixels.
    """
    place = near(mask, max(6, size(mask) // 2))
    fine = _fine(values[place])[~blocked[place] & ~mask[place]]
    spread = float(fine.std()) if fine.size else 0.0
    if spread < 1e-4:
        return 1.0
    if shift is None:
        return 0.0
    there = moved(mask, shift)
    if not there.any():
        return 1.0
    box = near(there, 0)
    return float(_fine(values[box])[there[box]].std()) / spread


def _fine(values: Pixels) -> Pixels:
    fine: Pixels = values - cv2.GaussianBlur(values, (0, 0), 1.5, borderType=cv2.BORDER_REFLECT)
    return fine


def piece(
    values: Pixels, rows: NDArray[np.int64], columns: NDArray[np.int64], shift: tuple[float, float], wrap: Wrap
) -> Pixels:
    """The pixels ``shift`` away from these rows and columns; between pixels by Lanczos."""
    height, width = values.shape[:2]
    whole = math.floor(shift[0] + 0.5), math.floor(shift[1] + 0.5)
    part = shift[0] - whole[0], shift[1] - whole[1]
    margin = 4 if max(map(abs, part)) > 1e-3 else 0
    around = np.arange(-margin, margin + 1)
    r = np.unique((rows[:, None] + around).ravel()) if margin else rows
    c = np.unique((columns[:, None] + around).ravel()) if margin else columns
    found = values[np.ix_(folded(r + whole[1], height, wrap[1]), folded(c + whole[0], width, wrap[0]))]
    if not margin:
        return found
    move = np.array([[1, 0, part[0]], [0, 1, part[1]]])
    size = (len(c), len(r))
    moved = cv2.warpAffine(
        found, move, size, flags=cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REFLECT
    )
    return np.ascontiguousarray(moved[margin:-margin, margin:-margin])


def cloned(values: Pixels, mask: Mask, shift: tuple[float, float], wrap: Wrap = (False, False)) -> Pixels:
    """Replace the pixels in ``mask`` by those ``shift`` (x, y) away, seamlessly.

    The gradients of the piece are kept and its border is matched to the picture's, by
    Poisson's equation: P. Pérez, M. Gangnet and A. Blake, "Poisson Image Editing"
    (SIGGRAPH 2003), eq. 3 and 9, solved as a harmonic correction added to the piece.

    Parameters
    ----------
    values : float32 (H, W) or (H, W, 3)
    mask : bool (H, W)
    shift : (float, float)
        From a pixel to the one it takes, in pixels; whole ones give exact copies.
    wrap : (bool, bool)
        Pieces and borders go on over the border of a picture that wraps, else they are mirrored.
    """
    if not mask.any():
        return values
    height, width = mask.shape
    top, bottom, left, right = window(mask, 1)
    rows, columns = np.arange(top, bottom), np.arange(left, right)
    if not wrap[1]:
        rows = rows[(rows >= 0) & (rows < height)]
    if not wrap[0]:
        columns = columns[(columns >= 0) & (columns < width)]
    r, c = rows % height, columns % width
    here = values[np.ix_(r, c)]
    other = piece(values, rows, columns, shift, wrap)
    inside = mask[np.ix_(r, c)]
    correction = harmonic.fill(here - other, inside)
    result = values.copy()
    result[np.ix_(r, c)] = np.where(inside if values.ndim == 2 else inside[..., None], other + correction, here)
    return result


def best_shift(values: Pixels, mask: Mask, blocked: Mask, wrap: Wrap = (False, False)) -> tuple[float, float] | None:
    """Where a fitting piece lies for the blemish ``mask``: the shift (x, y) in pixels, or None.

    The piece whose surroundings are most like the blemish's, their means apart (those are
    matched when it is put in), and whose own texture is as strong as that around.

    Parameters
    ----------
    values : float32 (H, W)
    mask : bool (H, W)
        The blemish.
    blocked : bool (H, W)
        Where no piece may come from: every blemish, and what is not there.
    """
    height, width = mask.shape
    top, bottom, left, right = window(mask, 0)
    size = max(bottom - top, right - left)
    ratio = min(1.0, WIDE / size)
    reach = max(_RINGS) * size
    # Only the neighbourhood of the blemish is looked at, reduced.
    t, b = max(0, math.floor(top - reach)), min(height, math.ceil(bottom + reach))
    l_, r_ = max(0, math.floor(left - reach)), min(width, math.ceil(right + reach))
    near = (max(3, round((r_ - l_) * ratio)), max(3, round((b - t) * ratio)))
    small = cv2.resize(np.ascontiguousarray(values[t:b, l_:r_]), near, interpolation=cv2.INTER_AREA)
    spot, block = (
        cv2.resize(m[t:b, l_:r_].astype(np.float32), near, interpolation=cv2.INTER_AREA) > 0.05
        for m in (mask, blocked | mask)
    )
    ring = cv2.dilate(spot.astype(np.uint8), np.ones((7, 7), np.uint8)).astype(bool) & ~block
    if not ring.any() or not spot.any():
        return None
    inside, around = np.argwhere(spot), np.argwhere(ring)
    edge = small[around[:, 0], around[:, 1]]
    fine = np.abs(small - cv2.GaussianBlur(small, (0, 0), 2.0, borderType=cv2.BORDER_REFLECT))
    strong = float(fine[around[:, 0], around[:, 1]].mean())
    turns = 2 * math.pi * (np.arange(_TURNS)[None] + 0.5 * (np.arange(len(_RINGS))[:, None] % 2)) / _TURNS
    far = np.array(_RINGS)[:, None] * size * ratio
    tried = np.rint(np.stack([far * np.sin(turns), far * np.cos(turns)], axis=-1)).astype(np.int64).reshape(-1, 2)
    everything = np.concatenate([inside, around])
    low, high = everything.min(axis=0), everything.max(axis=0)
    fits = ((low + tried >= 0) & (high + tried < (near[1], near[0]))).all(axis=1)
    tried = tried[fits]
    if not len(tried):
        return None
    across, flat_block = near[0], block.ravel()
    step = tried[:, 0] * across + tried[:, 1]
    free = ~flat_block[(everything[:, 0] * across + everything[:, 1])[None] + step[:, None]].any(axis=1)
    tried, step = tried[free], step[free]
    if not len(tried):
        return None
    there = small.ravel()[(around[:, 0] * across + around[:, 1])[None] + step[:, None]]
    apart = edge[None] - there
    texture = fine.ravel()[(inside[:, 0] * across + inside[:, 1])[None] + step[:, None]].mean(axis=1) - strong
    score = apart.std(axis=1) + 0.5 * np.abs(texture) + 0.02 * np.abs(apart.mean(axis=1))
    dy, dx = tried[int(np.argmin(score))]
    return float(dx) / ratio, float(dy) / ratio
