"""Making a picture repeat: blended overlaps, least-error cuts, borders made to match."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels, Wrap
from . import tone
from .blur import gaussian

# Half width of the blend along a cut, as a share of the overlap.
_NARROW = 0.06


def strips(values: Pixels, overlap: int) -> tuple[Pixels, Pixels]:
    """The two strips of an overlap across the left and right border."""
    return values[:, :overlap], values[:, values.shape[1] - overlap :]


# A pattern meets itself when its strips correlate by this much, and by so much better than where they lie.
_MEETS, _BETTER, _PEAKS = 0.35, 0.05, 6
_RANGE = (0.35, 2.2)
_SIDE = 512
# A pattern is bent by at most this share of the overlap.
_MOST_BENT, _BENDS = 0.3, 3


def _alike(values: Pixels, overlap: int) -> float:
    """Correlation of the two strips of an overlap."""
    left, right = (s - s.mean() for s in strips(values, overlap))
    both = float(np.sqrt((left * left).sum() * (right * right).sum()))
    return float((left * right).sum()) / both if both > 1e-12 else 0.0


def meeting_overlaps(values: Pixels, overlap: int) -> dict[int, float]:
    """The overlaps across at which a pattern meets itself, and how alike its strips are there.

    The strips of every width in question, about as wide as asked, are correlated, on at most 512
    columns, then column by column round each peak. Without a peak worth having: the width as asked.
    """
    columns = values.shape[1]
    # Without its slow tones: two ramps are alike too, and are no pattern.
    values = values - gaussian(np.ascontiguousarray(values), max(4.0, overlap / 2))
    asked = {overlap: _alike(values, overlap)}
    low, high = max(4, round(overlap * _RANGE[0])), min(columns // 2, round(overlap * _RANGE[1]))
    if high - low < 2:
        return asked
    ratio = min(1.0, _SIDE / max(values.shape))
    small = values
    if ratio < 1:
        size = max(8, round(columns * ratio)), max(8, round(values.shape[0] * ratio))
        small = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
    near = {n: _alike(small, n) for n in range(max(2, int(low * ratio)), max(3, int(high * ratio)) + 1)}
    peaks = [n for n in near if near[n] >= max(near.get(n - 1, -2), near.get(n + 1, -2)) and near[n] >= _MEETS]
    reach, found = int(np.ceil(1 / ratio)), {}
    for peak in sorted(peaks, key=lambda n: -near[n])[:_PEAKS]:
        around = round(peak / ratio)
        fine = {n: _alike(values, n) for n in range(around - reach, around + reach + 1) if low <= n <= high}
        if fine:
            best = max(fine, key=lambda n: fine[n])
            found[best] = fine[best]
    better = {n: alike for n, alike in found.items() if alike >= asked[overlap] + _BETTER}
    return better or asked


def meeting(values: Pixels, overlap: int, *, closed: bool) -> Pixels:
    """The picture bent towards its right border until a pattern that sways meets itself there as well as it can."""
    for _ in range(_BENDS):
        bent = _bent(values, overlap, closed=closed)
        if bent is values:
            break
        values = bent
    return values


def _bent(values: Pixels, overlap: int, *, closed: bool) -> Pixels:
    """The picture bent a little towards its right border, so that a pattern that sways meets itself there.

    How far the two strips of an overlap are apart is found window by window along them, by phase
    correlation (C. D. Kuglin and D. C. Hines, 1975); the answers are smoothed, and the right half is
    bent by them, ever more towards the border. Kept as it is where that makes the strips no more alike.
    """
    rows, columns = values.shape
    if _alike(values, overlap) < _MEETS or overlap < 16 or rows < 2 * overlap:
        return values
    tall = min(rows, 2 * overlap)
    middles = np.linspace(0, rows, max(3, 2 * rows // tall), endpoint=False) if closed else np.linspace(
        tall / 2, rows - tall / 2, max(3, 2 * rows // tall))  # fmt: skip
    window = np.outer(np.hanning(tall), np.hanning(overlap)).astype(np.float32)
    left, right = (np.ascontiguousarray(s, np.float32) for s in strips(values, overlap))
    moves = []
    for middle in middles:
        at = (np.arange(tall) + round(middle - tall / 2)) % rows
        a, b = left[at], right[at]
        (dx, dy), sure = cv2.phaseCorrelate(a - a.mean(), b - b.mean(), window)
        most = overlap * _MOST_BENT
        moves.append((np.clip(dx, -most, most), np.clip(dy, -most, most), max(sure, 1e-3)))
    found = np.array(moves)
    weight = found[:, 2:]
    y = np.arange(rows)
    near = np.exp(-0.5 * ((y[:, None] - middles[None]) / (0.5 * tall)) ** 2)
    if closed:
        for turn in (-rows, rows):
            near = near + np.exp(-0.5 * ((y[:, None] - middles[None] + turn) / (0.5 * tall)) ** 2)
    bent = (near @ (found[:, :2] * weight)) / (near @ weight)
    ramp = tone.smoothstep((np.arange(columns) - columns / 4) / max(1.0, columns - overlap - columns / 4))
    map_x = np.arange(columns, dtype=np.float32)[None] + ramp[None] * bent[:, :1].astype(np.float32)
    map_y = y.astype(np.float32)[:, None] + ramp[None] * bent[:, 1:].astype(np.float32)
    reach = int(np.ceil(np.abs(bent).max())) + 3
    grown = cv2.copyMakeBorder(
        values, reach, reach, reach, reach, cv2.BORDER_REFLECT if not closed else cv2.BORDER_WRAP
    )
    if closed:  # only downwards does it go on
        grown[:, :reach] = grown[:, 2 * reach - 1 : reach - 1 : -1]
        grown[:, -reach:] = grown[:, -reach - 1 : -2 * reach - 1 : -1]
    made = cv2.remap(grown, map_x + reach, map_y + reach, cv2.INTER_CUBIC)
    return made if _alike(made, overlap) > _alike(values, overlap) + 0.01 else values


def _joined(values: Pixels, overlap: int, blend: Pixels) -> Pixels:
    """The picture without its right strip, its left one replaced by the blend."""
    rest = values[:, overlap : values.shape[1] - overlap]
    return np.ascontiguousarray(np.concatenate([blend, rest], axis=1))


def _ramp(overlap: int) -> Pixels:
    """0 to 1 over the overlap, smoothly."""
    return tone.smoothstep((np.arange(overlap, dtype=np.float32) + np.float32(0.5)) / np.float32(overlap))


def _passing(left: Pixels, right: Pixels, overlap: int) -> tuple[Pixels, list[Pixels]]:
    """The slow tones of the right strip passing into those of the left one, and both."""
    means = [gaussian(np.ascontiguousarray(s), max(1.0, overlap / 4)) for s in (left, right)]
    into = _ramp(overlap)
    level: Pixels = into * means[0] + (1 - into) * means[1]
    return level, means


def overlapped(values: Pixels, overlap: int) -> Pixels:
    """Repeats across: (H, W) to (H, W - overlap), the strips blended so that their contrast does not sag.

    About their local means the two are added with weights divided by the root of the sum of
    their squares: independent textures keep their spread (E. Heitz and F. Neyret, "High-Performance
    By-Example Noise using a Histogram-Preserving Blending Operator", 2018, eq. 2); with what the two
    have in common counted in, so that a pattern that meets itself does not swell.
    """
    left, right = strips(values, overlap)
    into = _ramp(overlap)
    level, means = _passing(left, right, overlap)
    fine = left - means[0], right - means[1]
    both = float(np.sqrt((fine[0] ** 2).sum() * (fine[1] ** 2).sum()))
    alike = min(1.0, max(0.0, float((fine[0] * fine[1]).sum()) / both)) if both > 1e-12 else 0.0
    detail = into * fine[0] + (1 - into) * fine[1]
    detail /= np.sqrt(into * into + (1 - into) ** 2 + np.float32(2 * alike) * into * (1 - into))
    return _joined(values, overlap, (level + detail).astype(np.float32))


def least_path(error: NDArray[np.float64], start: int | None = None) -> NDArray[np.int64]:
    """The column of least summed error for every row, neighbours at most one apart; from ``start`` back to it."""
    rows = len(error)
    total = error.copy()
    if start is not None:
        total[0] = np.inf
        total[0, start] = error[0, start]
    around = np.full(error.shape[1] + 2, np.inf)
    for i in range(1, rows):
        around[1:-1] = total[i - 1]
        total[i] += np.minimum(around[1:-1], np.minimum(around[:-2], around[2:]))
    path = np.empty(rows, np.int64)
    path[-1] = int(np.argmin(total[-1])) if start is None else start
    for i in range(rows - 2, -1, -1):
        low = max(0, path[i + 1] - 1)
        path[i] = low + int(np.argmin(total[i, low : path[i + 1] + 2]))
    return path


def closed_path(error: NDArray[np.float64]) -> NDArray[np.int64]:
    """A path of small summed error that ends where it began."""
    middle = len(error) // 2
    turned = np.roll(error, -middle, axis=0)
    return np.roll(least_path(turned, int(least_path(error)[middle])), middle)


def cut(values: Pixels, overlap: int, *, closed: bool) -> Pixels:
    """Repeats across: (H, W) to (H, W - overlap), the strips parted along the path where they differ least.

    A. A. Efros and W. T. Freeman, "Image Quilting for Texture Synthesis and Transfer" (SIGGRAPH
    2001), section 2.1, with a narrow blend. ``closed`` lets the path end where it began, for a
    picture that repeats downwards too.
    """
    left, right = strips(values, overlap)
    error = gaussian(np.ascontiguousarray((left - right) ** 2), 1.0).astype(np.float64)
    path = closed_path(error) if closed else least_path(error)
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
