"""Changing the number of pixels: area average down, Lanczos up, spline for a free turn."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..raster import Pixels, Wrap
from .pad import pad
from .split_rows import BAND, split_rows

Box = tuple[float, float, float, float]
Tones = TypeVar("Tones", bound=NDArray[Any])
_REACH = 4


def area(values: Tones, height: int, width: int) -> Tones:
    """Exact average over the (fractional) rectangle of each new pixel, float32 or uint8. Only ever makes smaller."""
    result: Any = cv2.resize(values, (width, height), interpolation=cv2.INTER_AREA)
    return result  # type: ignore[no-any-return]


def joined_area(values: Pixels, height: int, width: int) -> Pixels:
    """Average over each new pixel of an (H, W) array joined linearly between its pixels. Only ever makes smaller.

    Pixels that are taken for even squares, as in :func:`area`, move what they show by up to a sixteenth of a pixel
    where the sizes do not divide: one that is cut counts with its middle, which lies outside the cut.
    """
    from . import area_kernels

    source, out = np.ascontiguousarray(values, np.float32), np.empty((height, width), np.float32)
    first, weights = _joined_weights(source.shape[0], height)
    left, shares = _joined_weights(source.shape[1], width)

    def band(top: int, bottom: int) -> None:
        lower = np.empty((bottom - top, source.shape[1]), np.float32)
        area_kernels.down(source, first[top:bottom], weights[top:bottom], 0, len(lower), lower)
        # Turned, columns are summed like rows, many at once; a band stays in the core's cache meanwhile.
        narrow = np.empty((width, len(lower)), np.float32)
        area_kernels.down(cv2.transpose(lower), left, shares, 0, width, narrow)
        cv2.transpose(narrow, dst=out[top:bottom])

    split_rows(band, height, BAND)
    return out


def _joined_weights(have: int, count: int) -> tuple[NDArray[np.int64], Pixels]:
    """For each new pixel the first old one that it is made of, and the shares of those from there on: the old pixels'
    hats (joined linearly) over the new pixel's width; beyond the border the outermost goes on."""
    wide = have / count
    begin = np.arange(count) * wide
    first = np.floor(begin - 0.5).astype(np.int64)
    middles = first[:, None] + np.arange(int(np.ceil(wide)) + 3) + 0.5

    def below(x: NDArray[np.float64]) -> NDArray[np.float64]:
        """The area of a hat of height 1 on -1..1 that lies below x."""
        x = np.clip(x, -1, 1)
        return np.where(x < 0, (x + 1) ** 2 / 2, 1 - (1 - x) ** 2 / 2)

    shares = (below(begin[:, None] + wide - middles) - below(begin[:, None] - middles)) / wide
    return first, np.ascontiguousarray(shares, np.float32)


def at_most(values: Tones, side: float, least: int = 2) -> Tones:
    """By area, with the longer side at most ``side`` and neither under ``least``; itself where it is that small.

    Parameters
    ----------
    values : float32 or uint8 (H, W) or (H, W, 3)
    side, least : float, int
        In pixels.
    """
    ratio = side / max(values.shape[:2])
    if ratio >= 1:
        return values
    return area(values, max(least, round(values.shape[0] * ratio)), max(least, round(values.shape[1] * ratio)))


def within(found: Pixels, values: Pixels) -> Pixels:
    """What was found between pixels, kept between the lowest and the highest of these.

    Kernels with negative lobes swing beyond an edge: ink that is as high as a plate can be would be cut flat there,
    and a ground at zero be dug up.

    Parameters
    ----------
    found, values : float32 (H, W) or (H, W, 3)
        Of any two sizes; all of ``values`` must be there, as what lies under coverage 0 would count.
    """
    kept: Pixels = np.clip(found, values.min(), values.max(), dtype=np.float32)
    return kept


def _plane(values: Pixels, box: Box, height: int, width: int) -> Pixels:
    picture = Image.fromarray(values)
    resized = picture.resize((width, height), Image.Resampling.LANCZOS, box=box)
    return np.asarray(resized, np.float32)


def lanczos(values: Pixels, height: int, width: int, box: Box | None = None, wrap: Wrap = (False, False)) -> Pixels:
    """Windowed-sinc (Lanczos, 3 lobes) resampling of the rectangle ``box`` of an array, :func:`within` its values.

    Parameters
    ----------
    values : float32 (H, W) or (H, W, 3)
    box : (left, top, right, bottom), optional
        In pixels of ``values``, fractions allowed; the whole by default.
    wrap : (bool, bool)
        Wrapping where it wraps, mirrored elsewhere.
    """
    box = box or (0.0, 0.0, float(values.shape[1]), float(values.shape[0]))
    grown = pad(values, _REACH, _REACH, wrap)
    moved = (box[0] + _REACH, box[1] + _REACH, box[2] + _REACH, box[3] + _REACH)
    if values.ndim == 2:
        return within(_plane(grown, moved, height, width), values)
    planes = [_plane(np.ascontiguousarray(grown[..., c]), moved, height, width) for c in range(3)]
    return within(np.stack(planes, axis=-1), values)


def resize(values: Pixels, height: int, width: int, wrap: Wrap = (False, False)) -> Pixels:
    """Area average where it gets smaller, Lanczos where it gets larger, axis by axis."""
    old_h, old_w = values.shape[:2]
    if (old_h, old_w) == (height, width):
        return values
    if height <= old_h and width <= old_w:
        return area(values, height, width)
    if height >= old_h and width >= old_w:
        return lanczos(values, height, width, wrap=wrap)
    reduced = area(values, min(height, old_h), min(width, old_w))
    return lanczos(reduced, height, width, wrap=wrap)


def through(
    values: Pixels, coverage: Pixels | None, resampled: Callable[[Pixels], Pixels]
) -> tuple[Pixels, Pixels | None]:
    """Resample so that what is not there does not bleed: multiply by coverage, resample, divide."""
    if coverage is None:
        return resampled(values), None
    cover = np.clip(resampled(coverage), 0, 1)
    weight, over = (coverage, cover) if values.ndim == 2 else (coverage[..., None], cover[..., None])
    summed = resampled(np.ascontiguousarray(values * weight))
    return np.where(over > 1e-3, summed / np.maximum(over, 1e-3), 0).astype(np.float32, copy=False), cover


def with_coverage(
    values: Pixels, coverage: Pixels | None, height: int, width: int, wrap: Wrap
) -> tuple[Pixels, Pixels | None]:
    """:func:`resize` pixels and coverage together."""
    if values.shape[:2] == (height, width):
        return values, coverage
    return through(values, coverage, lambda plane: resize(plane, height, width, wrap))


def cut(values: Pixels, box: Box, height: int, width: int) -> Pixels:
    """The rectangle ``box`` as (height, width) pixels; a plain slice when it falls on whole pixels."""
    left, top, right, bottom = box
    whole = all(v == int(v) for v in box)
    if whole and right - left == width and bottom - top == height:
        return np.ascontiguousarray(values[int(top) : int(bottom), int(left) : int(right)])
    return lanczos(values, height, width, box)


def turned(
    values: Pixels, matrix: NDArray[np.float64], offset: NDArray[np.float64], height: int, width: int
) -> Pixels:
    """Sample ``values`` at matrix @ (row, column) + offset by cubic B-splines (M. Unser, 1999), :func:`within` them.

    Mirrored beyond the border. Coordinates are pixel indices, not centres.
    """
    from scipy import ndimage

    def plane(one: Pixels) -> Pixels:
        smooth = ndimage.spline_filter(one, order=3, output=np.float32, mode="reflect")
        result: Pixels = ndimage.affine_transform(
            smooth, matrix, offset, (height, width), np.float32, order=3, mode="reflect", prefilter=False
        )
        return result

    if values.ndim == 2:
        return within(plane(values), values)
    return within(np.stack([plane(np.ascontiguousarray(values[..., c])) for c in range(3)], axis=-1), values)
