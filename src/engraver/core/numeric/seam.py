"""How good the wrap of a tile is, against its own inside; what blending did to it; how strongly it repeats."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels, Wrap
from . import resample
from .blur import gaussian

PERCENTILE = 95.0
# A step may be so many times the 95th percentile and still be one of the picture's own: of twenty columns
# of any picture one lies above that percentile, and a border may fall on it.
GOOD, FAULT = 1.25, 1.5
# An edge along the border shows where it is so many times as strong as any inside.
RIM, _NEAR = 1.6, 0.03
# Where most steps are so small against the largest, the picture is drawn with hard edges.
_DRAWN = 0.1
_FLAT = 1e-6
_SIDE = 512
_BAND = 64
# Fewer columns have no inside to compare with.
_FEWEST = 8


@dataclass(frozen=True, slots=True)
class Seam:
    """How a wrap compares with the inside.

    Attributes
    ----------
    step, bend : float
        Shares 0..1 of the steps between neighbouring columns inside, and of the changes of slope,
        that are smaller than those across the wrap.
    over : float
        The worse of both as a multiple of what the inside allows; up to ``GOOD`` nobody sees it.
    flat : bool
        The picture has no steps at all.
    rim : float
        The largest change between the means of columns at the wrap, or within 3 % of it, over the
        largest inside; above ``RIM`` an edge of the picture lies along its border as nowhere else.
    """

    step: float
    bend: float
    over: float
    flat: bool = False
    rim: float = 0.0


def _rim(values: Pixels) -> float:
    """How much more the means of columns change at or near the wrap than anywhere inside."""
    columns = values.mean(axis=0, dtype=np.float64)
    steps = np.abs(np.diff(columns, append=columns[:1]))
    near = max(2, round(_NEAR * len(steps)))
    if len(steps) < 8 * near:
        return 0.0
    at = max(float(steps[:near].max()), float(steps[-near - 1 :].max()))
    return at / max(float(steps[2 * near : -2 * near].max()), _FLAT)


def _over(at: float, near: NDArray[np.float32], inside: NDArray[np.float32]) -> float:
    """The step at the wrap as a multiple of the 95th percentile, of its neighbours, or of a drawn edge."""
    limit = max(float(np.percentile(inside, PERCENTILE)), float(near.max()))
    most = float(inside.max())
    if float(np.median(inside)) < _DRAWN * most:
        limit = max(limit, most)
    return at / max(limit, _FLAT)


def _changes(values: Pixels) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Mean size of the steps between neighbouring columns, and of the changes of slope."""
    height, width = values.shape
    steps, bends = np.zeros(width - 1, np.float64), np.zeros(width - 2, np.float64)
    for top in range(0, height, _BAND):  # bands that stay in the cache
        first = np.diff(values[top : top + _BAND], axis=1)
        bends += np.abs(np.diff(first, axis=1)).sum(axis=0)
        steps += np.abs(first, out=first).sum(axis=0)
    return (steps / height).astype(np.float32), (bends / height).astype(np.float32)


def seam(values: Pixels) -> Seam:
    """The wrap from the right border to the left one of a picture (H, W).

    The step across the wrap (mean of the absolute differences) is ranked among the steps between
    neighbouring columns inside; so is the change of slope. A border may fall on a strong edge of the
    picture itself: such an edge has neighbours that are nearly as strong, a seam has not.
    """
    if values.shape[1] < _FEWEST:
        flat = float(np.ptp(values)) < _FLAT
        return Seam(0.0, 0.0, 0.0, flat=True) if flat else Seam(1.0, 1.0, 2 * FAULT)
    steps, bends = _changes(values)
    over = float(np.abs(values[:, 0] - values[:, -1]).mean())
    bent = max(
        float(np.abs(values[:, a] - 2 * values[:, b] + values[:, c]).mean()) for a, b, c in ((-2, -1, 0), (-1, 0, 1))
    )
    if max(over, float(steps.max(initial=0))) < _FLAT:
        return Seam(0.0, 0.0, 0.0, flat=True)
    worse = max(_over(over, steps[[0, 1, -1, -2]], steps), _over(bent, bends[[0, 1, -1, -2]], bends))
    return Seam(float((steps < over).mean()), float((bends < bent).mean()), worse, rim=_rim(values))


def seam_down(values: Pixels) -> Seam:
    """The wrap from the lower border to the upper one."""
    return seam(cv2.transpose(values))


def contrast_kept(blend: Pixels, left: Pixels, right: Pixels) -> float:
    """Spread of a blended strip over the mean spread of the two that went into it, about their local means."""
    wide = max(2.0, blend.shape[1] / 4)
    spreads = [float((p - gaussian(np.ascontiguousarray(p), wide)).std()) for p in (blend, left, right)]
    return spreads[0] / max((spreads[1] + spreads[2]) / 2, 1e-9)


@dataclass(frozen=True, slots=True)
class Repeat:
    """What looks alike within a picture.

    Attributes
    ----------
    strength : float
        The highest value 0..1 of the autocorrelation off the centre.
    away : float
        How far the nearest place that is about as strong lies, as a share of the longer side.
    regular : bool
        The pattern goes on at two and three times that step: a weave, not a spot that is there twice.
    """

    strength: float
    away: float
    regular: bool = False


# A step of a regular pattern goes at least so often into the side, and stays so strong further on.
_OFTEN = 3.5
_STAYS = 0.8
_AS_STRONG = 0.85
# A strip's own direction, as a slope.
_ALONG = 0.27


def repeat(values: Pixels, wrap: Wrap = (True, True)) -> Repeat:
    """Whether anything looks alike within a picture, by the peaks of its autocorrelation.

    By the Wiener-Khinchin theorem, of the picture without its mean, taken as periodic and at most
    512 pixels a side. Of a strip (``wrap`` along one axis) only what lies along it counts, within
    15 degrees, and what is the same all along it is taken out. The centre's own hill ends where the
    correlation first falls below a fifth along its mean course.
    """
    from scipy import fft

    values = resample.at_most(values, _SIDE)
    strip = wrap[0] != wrap[1]
    u = values - values.mean(axis=(1 if wrap[0] else 0) if strip else None, keepdims=True)
    if float(np.abs(u).max()) < _FLAT:
        return Repeat(0.0, 0.0)
    power = np.abs(fft.rfft2(u, workers=2)) ** 2
    found = fft.irfft2(power, s=u.shape, workers=2)
    found /= found[0, 0]
    rows, columns = u.shape
    y, x = fft.fftfreq(rows, 1 / rows)[:, None], fft.fftfreq(columns, 1 / columns)[None]
    away = np.hypot(y, x)
    rings = away.astype(int)
    counts = np.bincount(rings.ravel())
    course = np.bincount(rings.ravel(), found.ravel()) / np.maximum(counts, 1)
    below = np.flatnonzero(course < 0.2)
    hill = float(below[0]) * 1.5 if len(below) else float(min(rows, columns)) / 4
    if strip:
        away = np.where(np.abs(y if wrap[0] else x) <= _ALONG * np.abs(x if wrap[0] else y), away, 0.0)
    padded = cv2.copyMakeBorder(found, 1, 1, 1, 1, cv2.BORDER_WRAP)
    highest = cv2.dilate(padded, np.ones((3, 3), np.uint8))[1:-1, 1:-1]
    peaks = np.where((away > hill) & (found >= highest), found, np.float32(0))
    strength = float(peaks.max())
    if strength <= 0:
        return Repeat(0.0, 0.0)
    nearest = np.unravel_index(int(np.argmin(np.where(peaks >= _AS_STRONG * strength, away, np.inf))), away.shape)
    step = (float(np.broadcast_to(y, away.shape)[nearest]), float(np.broadcast_to(x, away.shape)[nearest]))
    often = min(n / max(abs(part), 1e-9) for n, part in zip(u.shape, step, strict=True))
    further = min(_near(found, n * step[0], n * step[1]) for n in (2, 3))
    regular = often >= _OFTEN and further >= _STAYS * float(found[nearest])
    return Repeat(strength, float(away[nearest] / max(rows, columns)), regular)


def _near(found: NDArray[np.float32], down: float, across: float) -> float:
    """The highest value within two pixels of a place, round the wrap."""
    around = np.arange(-2, 3)
    rows, columns = found.shape
    return float(found[np.ix_((round(down) + around) % rows, (round(across) + around) % columns)].max())
