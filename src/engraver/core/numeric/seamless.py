"""Making a picture repeat: blended overlaps, least-error cuts, borders made to match; and how good the seam is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels, Wrap
from .blur import gaussian

# Half width of the blend along a cut, as a share of the overlap.
_NARROW = 0.06


def strips(values: Pixels, overlap: int) -> tuple[Pixels, Pixels]:
    """The two strips of an overlap across the left and right border."""
    return values[:, :overlap], values[:, values.shape[1] - overlap :]


def _joined(values: Pixels, overlap: int, blend: Pixels) -> Pixels:
    """The picture without its right strip, its left one replaced by the blend."""
    rest = values[:, overlap : values.shape[1] - overlap]
    return np.ascontiguousarray(np.concatenate([blend, rest], axis=1))


def overlapped(values: Pixels, overlap: int) -> Pixels:
    """Repeats across: (H, W) to (H, W - overlap), the strips blended so that their contrast does not sag.

    About their local means the two are added with weights divided by the root of the sum of
    their squares: independent textures keep their spread (E. Heitz and F. Neyret, "High-Performance
    By-Example Noise using a Histogram-Preserving Blending Operator", 2018, eq. 2).
    """
    left, right = strips(values, overlap)
    t = (np.arange(overlap, dtype=np.float32) + np.float32(0.5)) / np.float32(overlap)
    into = t * t * (3 - 2 * t)
    means = [gaussian(np.ascontiguousarray(s), max(1.0, overlap / 4)) for s in (left, right)]
    level = into * means[0] + (1 - into) * means[1]
    detail = into * (left - means[0]) + (1 - into) * (right - means[1])
    detail /= np.sqrt(into * into + (1 - into) ** 2)
    return _joined(values, overlap, (level + detail).astype(np.float32))


def _path(error: NDArray[np.float64], start: int | None = None) -> NDArray[np.int64]:
    """The column of least summed error for every row, neighbours at most one apart; from ``start`` back to it."""
    rows = len(error)
    total = error.copy()
    if start is not None:
        total[0] = np.inf
        total[0, start] = error[0, start]
    for i in range(1, rows):
        above = total[i - 1]
        best = np.minimum(above, np.minimum(np.append(above[1:], np.inf), np.insert(above[:-1], 0, np.inf)))
        total[i] += best
    path = np.empty(rows, np.int64)
    path[-1] = int(np.argmin(total[-1])) if start is None else start
    for i in range(rows - 2, -1, -1):
        low = max(0, path[i + 1] - 1)
        path[i] = low + int(np.argmin(total[i, low : path[i + 1] + 2]))
    return path


def cut(values: Pixels, overlap: int, *, closed: bool) -> Pixels:
    """Repeats across: (H, W) to (H, W - overlap), the strips parted along the path where they differ least.

    A. A. Efros and W. T. Freeman, "Image Quilting for Texture Synthesis and Transfer" (SIGGRAPH
    2001), section 2.1, with a narrow blend. ``closed`` lets the path end where it began, for a
    picture that repeats downwards too.
    """
    left, right = strips(values, overlap)
    error = gaussian(np.ascontiguousarray((left - right) ** 2), 1.0).astype(np.float64)
    if closed:
        rows = len(error)
        middle = rows // 2
        turned = np.roll(error, -middle, axis=0)
        path = np.roll(_path(turned, int(_path(error)[middle])), middle)
    else:
        path = _path(error)
    away = np.arange(overlap)[None] - path[:, None]
    into = np.clip(away / max(1.0, 2 * _NARROW * overlap) + 0.5, 0, 1).astype(np.float32)
    into[:, 0], into[:, -1] = 0, 1
    return _joined(values, overlap, right + (left - right) * into)


def matched(values: Pixels, axes: Wrap) -> Pixels:
    """The periodic part of a picture: only the slow mismatch of opposite borders is taken out.

    L. Moisan, "Periodic plus smooth image decomposition" (Journal of Mathematical Imaging and
    Vision 39, 2011), eq. 11: the smooth part solves a periodic Poisson equation whose right side
    is the jump across the borders. ``axes`` says across which.
    """
    from scipy import fft

    u = values.astype(np.float64)
    rows, columns = u.shape
    jump = np.zeros_like(u)
    if axes[0]:
        leap = u[:, 0] - u[:, -1]
        jump[:, 0] -= leap
        jump[:, -1] += leap
    if axes[1]:
        fall = u[0] - u[-1]
        jump[0] -= fall
        jump[-1] += fall
    power = (
        2 * np.cos(2 * np.pi * fft.rfftfreq(columns))[None] + 2 * np.cos(2 * np.pi * fft.fftfreq(rows))[:, None] - 4
    )
    power[0, 0] = 1
    spectrum = fft.rfft2(jump, workers=2) / power
    spectrum[0, 0] = 0
    smooth = fft.irfft2(spectrum, s=u.shape, workers=2)
    return np.ascontiguousarray((u - smooth).astype(np.float32))


def mirrored(values: Pixels) -> Pixels:
    """The left half and its mirror image: repeats across, plainly."""
    columns = values.shape[1]
    left = values[:, : -(-columns // 2)]
    return np.ascontiguousarray(np.concatenate([left, left[:, : columns // 2][:, ::-1]], axis=1))


@dataclass(frozen=True, slots=True)
class Seam:
    """How a wrap compares with the inside: shares 0..1 of inner steps, and of inner bends, that are smaller."""

    step: float
    bend: float


def seam(values: Pixels) -> Seam:
    """Rank of the step and of the change of slope across the wrap among those inside, left to right."""
    steps = np.abs(np.diff(values, axis=1)).mean(axis=0)
    over = float(np.abs(values[:, 0] - values[:, -1]).mean())
    bends = np.abs(np.diff(values, 2, axis=1)).mean(axis=0)
    bent = [
        float(np.abs(values[:, a] - 2 * values[:, b] + values[:, c]).mean()) for a, b, c in ((-2, -1, 0), (-1, 0, 1))
    ]
    return Seam(float((steps < over).mean()), float((bends < max(bent)).mean()))


def contrast_kept(blend: Pixels, left: Pixels, right: Pixels) -> float:
    """Spread of a blended strip over the mean spread of the two that went into it, about their local means."""
    wide = max(2.0, blend.shape[1] / 4)
    spreads = [float((p - gaussian(np.ascontiguousarray(p), wide)).std()) for p in (blend, left, right)]
    return spreads[0] / max((spreads[1] + spreads[2]) / 2, 1e-9)
