"""Tone: transfer curves, mixing to grey, histograms and percentiles."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import BadPicture
from ..raster import Pixels
from .split_rows import split_rows

# ITU-R BT.709-6, item 3.2, and BT.601-7, section 2.5.1: the luma weights.
LUMA_709 = (0.2126, 0.7152, 0.0722)
LUMA_601 = (0.299, 0.587, 0.114)

HISTOGRAM_BINS = 65536
# Below so many values arrays are as quick as a compiled loop.
FEW = 60_000
# So many are counted by one.
_MANY = 300_000
_NO_MASK = np.zeros(0, np.uint8)


def srgb_decode(values: Pixels) -> Pixels:
    """Encoded sRGB to linear light (IEC 61966-2-1, section 5.2); odd below zero."""
    size = np.abs(values)
    linear = np.where(size <= 0.04045, size / 12.92, ((size + 0.055) / 1.055) ** 2.4)
    return np.copysign(linear, values).astype(np.float32)


def srgb_encode(values: Pixels) -> Pixels:
    """Linear light to encoded sRGB (IEC 61966-2-1, section 5.3); odd below zero."""
    size = np.abs(values)
    coded = np.where(size <= 0.0031308, size * 12.92, 1.055 * size ** (1 / 2.4) - 0.055)
    return np.copysign(coded, values).astype(np.float32)


def mix(rgb: Pixels, weights: tuple[float, float, float], linear: bool = False) -> Pixels:
    """Weighted mean of the channels of an (H, W, 3) array; weights are made to sum to 1."""
    total = sum(weights)
    share = np.array([[w / total for w in weights]], np.float32)
    if linear:
        return srgb_encode(cv2.transform(srgb_decode(rgb), share))
    grey: Pixels = cv2.transform(rgb, share)
    return grey


def luma(values: Pixels) -> Pixels:
    """A grey (H, W) array of (H, W) or (H, W, 3): colours as they are seen (BT.709), grey as it is."""
    return values if values.ndim == 2 else mix(np.ascontiguousarray(values), LUMA_709)


def histogram(values: Pixels, bins: int, lo: float, hi: float, mask: NDArray[np.uint8] | None = None) -> Pixels:
    """Counts of (H, W) values in equal bins over [lo, hi); what lies outside is not counted."""
    low, high = ends(values, mask)
    return _counts(values, bins, (lo, hi), mask, within=low >= lo and high < hi)


def ends(values: Pixels, mask: NDArray[np.uint8] | None = None) -> tuple[float, float]:
    """The lowest and the highest of float32 (H, W), where ``mask`` (uint8) is not 0; (0, 0) where it leaves none."""
    found: list[tuple[float, float]] = []

    def part(first: int, end: int) -> None:
        some = mask[first:end] if mask is not None else None
        if some is None or some.any():
            found.append(cv2.minMaxLoc(values[first:end], some)[:2])

    split_rows(part, len(values))
    return (min(low for low, _ in found), max(high for _, high in found)) if found else (0.0, 0.0)


def _counts(
    values: Pixels, bins: int, over: tuple[float, float], mask: NDArray[np.uint8] | None, *, within: bool
) -> Pixels:
    """Counts of values in equal bins ``over`` [lo, hi), float32 (bins,); found on every core.

    Where all values that count lie ``within`` the bins a small picture's are counted as whole numbers of 16 bits, and
    a larger one's by a loop of our own: five and ten times as fast.
    """
    lo, hi = over
    stored = within and HISTOGRAM_BINS % bins == 0 and values.ndim == 2
    scale = HISTOGRAM_BINS / (hi - lo)
    parts: list[NDArray[np.float64]] = []

    def part(first: int, end: int) -> None:
        some, chosen = values[first:end], mask[first:end] if mask is not None else None
        if stored and values.size >= _MANY:
            from . import point_kernels

            fine = np.zeros(HISTOGRAM_BINS, np.int64)
            one_by_one = _NO_MASK if chosen is None else np.ascontiguousarray(chosen).reshape(-1)
            point_kernels.counted(np.ascontiguousarray(some).reshape(-1), one_by_one, lo, scale, fine)
            parts.append(fine.reshape(bins, -1).sum(axis=1).astype(np.float64))
        elif stored:  # half a bin less, as rounding is to be cutting
            some = cv2.addWeighted(some, scale, some, 0, -lo * scale - 0.5, dtype=cv2.CV_16U)
            fine = cv2.calcHist([some], [0], chosen, [HISTOGRAM_BINS], [0, HISTOGRAM_BINS])
            parts.append(fine.reshape(bins, -1).sum(axis=1, dtype=np.float64))
        else:
            parts.append(cv2.calcHist([some], [0], chosen, [bins], [lo, hi]).ravel().astype(np.float64))

    split_rows(part, len(values))
    counts: Pixels = sum(parts[1:], parts[0]).astype(np.float32)
    return counts


def own_histogram(values: Pixels, bins: int, mask: NDArray[np.uint8] | None = None) -> tuple[Pixels, float, float]:
    """Counts of (H, W) values in equal bins from their lowest to their highest, and the ends of the bins.

    The upper bound of a histogram is exclusive: it lies one float32 above the highest value.
    """
    low, high = ends(values, mask)
    end = float(np.nextafter(np.float32(high), np.float32(np.inf)))
    return _counts(values, bins, (low, end), mask, within=True), low, end


def smoothstep(t: NDArray[np.floating]) -> Pixels:
    """0 below 0, 1 above 1, and 3t^2 - 2t^3 between, any shape: level at both ends."""
    within = np.clip(t, 0, 1)
    risen: Pixels = (within * within * (3 - 2 * within)).astype(np.float32, copy=False)
    return risen


def percentiles(values: Pixels, wanted: tuple[float, ...], mask: NDArray[np.uint8] | None = None) -> list[float]:
    """Percentiles (0..100) of an (H, W) array through a histogram of 65,536 bins.

    Right to 1/65,536 of the range of the values, at a tenth of a sort's time.

    Parameters
    ----------
    values : float32 (H, W)
    wanted : tuple of float
        Percentiles in 0..100, as NumPy's ``percentile`` names them.
    mask : uint8 (H, W), optional
        Only where it is not zero.

    Raises
    ------
    BadPicture
        When nothing is left to measure.
    """
    if mask is not None and not mask.any():
        raise BadPicture("there is nothing left to measure", "the whole plate is outside or empty")
    counts, lo, top = own_histogram(values, HISTOGRAM_BINS, mask)
    hi = float(np.nextafter(np.float32(top), np.float32(-np.inf)))
    if hi <= lo:
        return [lo] * len(wanted)
    counts = counts.astype(np.float64)
    edges = np.linspace(lo, top, HISTOGRAM_BINS + 1)
    upto = np.cumsum(counts)
    middles = (edges[:-1] + edges[1:]) / 2
    # NumPy's rule: between the two values whose ranks are nearest.
    ranks = np.asarray(wanted, np.float64) / 100 * (upto[-1] - 1)
    first = np.searchsorted(upto, np.floor(ranks), side="right")
    second = np.searchsorted(upto, np.minimum(np.floor(ranks) + 1, upto[-1] - 1), side="right")
    share = ranks - np.floor(ranks)
    found = middles[first] * (1 - share) + middles[second] * share
    return [float(v) for v in np.clip(found, lo, hi)]


def _flat(values: Pixels, out: Pixels | None) -> tuple[Pixels, Pixels]:
    """Values, and where their results go, in a row each."""
    row = np.ascontiguousarray(values, np.float32).reshape(-1)
    return row, np.empty_like(row) if out is None else out.reshape(-1)


def into(out: Pixels | None, made: Pixels) -> Pixels:
    """A result where it is wanted: in ``out`` of its shape, or as it is for None."""
    if out is None:
        return made
    out[...] = made
    return out


def power(values: Pixels, exponent: float, out: Pixels | None = None) -> Pixels:
    """The sign of each value times the power of its size; by exponential and logarithm, which are quick.

    Within 2e-6 of the exact power for sizes from 1e-6 to 1e3. ``out`` takes the result, here and below; it is
    contiguous and has the shape of the values.
    """
    if values.size >= FEW:
        from . import point_kernels

        flat, to = _flat(values, out)
        point_kernels.levelled(flat, (0.0, 1.0), 0.0, exponent, 0.0, 1.0, to)
        return to.reshape(values.shape)
    size = np.abs(values)
    np.maximum(size, np.float32(1e-30), out=size)
    np.log(size, out=size)
    size *= np.float32(exponent)
    np.exp(size, out=size)
    return into(out, np.copysign(size, values))


def levels(
    values: Pixels, ends: tuple[float, float], toe: float = 0.0, exponent: float = 1.0,
    to: tuple[float, float] = (0.0, 1.0), out: Pixels | None = None,
) -> Pixels:  # fmt: skip
    """Values stretched, joined to 0 by a soft toe, raised to a power and brought to a range, in one pass.

    Parameters
    ----------
    values : float32, any shape
    ends : (float, float)
        What is taken off them, and what they are then multiplied by.
    toe : float
        Half the width of the parabola that joins 0 and the straight line; 0 leaves what lies below 0 as it is.
    exponent : float
        As of :func:`power`.
    to : (float, float)
        Where 0 and 1 come out.
    """
    (black, scale), gain = ends, to[1] - to[0]
    if values.size >= FEW:
        from . import point_kernels

        flat, row = _flat(values, out)
        point_kernels.levelled(flat, ends, toe, exponent, to[0], gain, row)
        return row.reshape(values.shape)
    t: Pixels = (values - np.float32(black)) * np.float32(scale)
    if toe > 0:
        w = np.float32(toe)
        t = np.where(t > w, t, (np.clip(t, -w, w) + w) ** 2 * np.float32(1 / (4 * toe)))
    if exponent != 1:
        t = power(t, exponent)
    return into(out, t * np.float32(gain) + np.float32(to[0]))


def apply_table(
    values: Pixels, table: NDArray[np.float64], lo: float = 0.0, hi: float = 1.0, out: Pixels | None = None
) -> Pixels:
    """Evaluate a function given at equal steps over [lo, hi], straight between and beyond.

    Never a nearest look-up, which would bring back the steps of the table.
    """
    count = len(table) - 1
    base, rise = table.astype(np.float32), np.diff(table).astype(np.float32)
    if values.size >= FEW:  # a compiled loop is worth its start
        from . import point_kernels

        flat, to = _flat(values, out)
        point_kernels.table(flat, base[:-1], rise, np.float32(lo), np.float32(count / (hi - lo)), to)
        return to.reshape(values.shape)
    place = (values - np.float32(lo)) * np.float32(count / (hi - lo))
    index = np.nan_to_num(np.clip(place, 0, count - 1)).astype(np.int32)
    place -= index
    result: Pixels = base[index]
    result += rise[index] * place
    return into(out, result)
