"""Up to which size a picture truly holds detail: where its spectrum breaks off, and traces of enlarging."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..raster import Pixels

Curve = NDArray[np.float64]
How = Literal["full", "enlarged", "breaks off", "cannot tell"]
_BINS = 96
# Log10 of the power by which the spectrum has to fall below its own course to break off.
_BREAKS, _CROSS = 1.1, 1.5
# The right kernel explains an enlarged picture but for this share of its finest detail, and for rounding;
# the next one leaves so many times more (what is merely soft, all kernels explain alike).
_FITS, _APART, _HOPELESS = 5e-4, 3.0, 0.45
_TURNS = 7
# Energy of second differences per pixel of rounding to steps of 1: (1 + 4 + 1) / 12.
_ROUNDING = 0.5
_ROWS = 48
_FACTORS = (1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0)
_SMALLEST = 16


@dataclass(frozen=True, slots=True)
class Detail:
    """What a picture holds: ``share`` of its side, and how that was found; ``kernel`` for one that is enlarged."""

    share: float
    how: How
    kernel: str = ""


# -- the spectrum ----------------------------------------------------------------------


def spectrum(values: Pixels) -> tuple[Curve, Curve]:
    """Frequencies (cycles per pixel) and log10 of the mean power near the two axes, where enlarging shows.

    The picture is taken through a Hann window, its mean taken out.
    """
    from scipy import fft

    rows, columns = values.shape
    window = np.outer(np.hanning(rows), np.hanning(columns)).astype(np.float32)
    power = np.abs(fft.rfft2((values - np.float32(values.mean())) * window, workers=2)) ** 2
    fy, fx = np.abs(fft.fftfreq(rows))[:, None], fft.rfftfreq(columns)[None]
    high, low = np.maximum(fx, fy), np.minimum(fx, fy)
    edges = np.geomspace(3 / min(rows, columns), 0.5, _BINS + 1)
    near = low < 0.3 * high
    place = np.digitize(high[near], edges)
    count = np.bincount(place, minlength=_BINS + 2)[1 : _BINS + 1]
    total = np.bincount(place, power[near], _BINS + 2)[1 : _BINS + 1]
    there = count > 0
    return np.sqrt(edges[:-1] * edges[1:])[there], np.log10(total[there] / count[there] + 1e-30)


def _line(x: Curve, y: Curve) -> tuple[float, float]:
    away, middle = x - x.mean(), float(y.mean())
    slope = float(away @ y / (away @ away))
    return (slope, middle - slope * float(x.mean())) if slope < 0 else (0.0, middle)


def _cliff(x: Curve, power: Curve) -> tuple[float, float, tuple[float, float]] | None:
    """Where the power falls most below the course of what lies before: depth, place (log2), and that course."""
    found = []
    for c in np.arange(np.log2(0.03), np.log2(0.42), 0.04):
        before, after = (x > c - 2.0) & (x < c - 0.2), (x > c + 0.2) & (x < c + 0.6)
        if before.sum() < 6 or after.sum() < 2:
            continue
        slope, level = _line(x[before], power[before])
        found.append((float(np.mean(level + slope * x[after] - power[after])), float(c), (slope, level)))
    if not found:
        return None
    most = max(f[0] for f in found)
    # The first cliff that counts: kernels leave a second one an octave higher.
    for n, one in enumerate(found):
        if one[0] > max(_BREAKS, 0.78 * most) and one[0] >= max(f[0] for f in found[max(0, n - 4) : n + 5]):
            return one
    return None


def _crossing(x: Curve, drop: Curve, start: float, level: float) -> float:
    """The frequency at which the drop reaches a level, between bins."""
    beyond = np.flatnonzero((x > start) & (drop > level))
    if not len(beyond):
        return float(2**start)
    n = int(beyond[0])
    before = max(0, n - 1)
    rise = drop[n] - drop[before]
    t = min(1.0, max(0.0, (level - drop[before]) / rise)) if rise > 0 else 1.0
    return float(2 ** (x[before] + t * (x[n] - x[before])))


@lru_cache(maxsize=8)
def _response(kernel: str) -> tuple[Curve, Curve]:
    """Squared frequency response of a resampling kernel, by cycles per small pixel."""
    x = np.linspace(-4, 4, 4001)
    a = np.abs(x)
    if kernel == "lanczos":
        k = np.where(a < 4, np.sinc(x) * np.sinc(x / 4), 0)
    else:  # R. Keys' cubic, a = -3/4
        k = np.where(
            a <= 1, (1.25 * a - 2.25) * a * a + 1, np.where(a < 2, -0.75 * (a**3 - 5 * a * a + 8 * a - 4), 0)
        )
    u = np.linspace(0, 2.2, 221)
    wave = (k[None] * np.cos(2 * np.pi * x[None] * u[:, None])).sum(axis=1) * (x[1] - x[0])
    return u, wave**2


def _misfit(kernel: str, f: Curve, power: Curve, limit: float, slope: float) -> float:
    """How far the spectrum is from that of a picture of power-law slope enlarged by the kernel, in log10."""
    share, squared = _response(kernel)
    u = f / limit * 0.5
    folded = np.maximum(np.abs(u - np.round(u)), 0.05)
    expected = np.log10(folded**slope * np.interp(u, share, squared) + 1e-7 * 0.25**slope)
    left = power - expected
    return float(np.sqrt(np.mean((left - left.mean()) ** 2)))


# Where a drop of 1.5 decades is reached, over the limit of the small picture: measured on open photographs
# (scikit-image's) reduced by 2 to 6 and enlarged by each kind of kernel.
_REACH = {"cubic": 1.42, "lanczos": 1.265, "smooth cubic": 1.7}
# Octaves of that fall by which kernels and blurs are told apart, and the misfit that no kernel has.
_AT_ONCE, _BLUR, _NO_KERNEL = 0.145, (0.245, 0.42), 0.7
# Slopes of the power law that photographs have; weaves, bevels and blurs have others.
_LAWS = (-5.2, -1.2)


def _broken(values: Pixels) -> Detail:
    """From the spectrum alone."""
    f, power = spectrum(values)
    if len(f) < 24:
        return Detail(1.0, "full")
    power = np.median(np.stack([np.r_[power[:1], power[:-1]], power, np.r_[power[1:], power[-1:]]]), axis=0)
    x = np.log2(f)
    cliff = _cliff(x, power)
    if cliff is None:
        return Detail(1.0, "full")
    depth, place, (slope, level) = cliff
    drop = level + slope * x - power
    edge = _crossing(x, drop, place - 0.5, min(_CROSS, depth))
    # From a drop of 1.5 decades to one of 3: a soft kernel falls at once, a blur ever faster, a sharp one slowly.
    beyond = np.flatnonzero((x > np.log2(edge)) & (drop > 2 * _CROSS))
    tail = float(x[beyond[0]] - np.log2(edge)) if len(beyond) else 9.0
    some = (f > edge / 3) & (f < min(0.49, 1.6 * edge))
    law = min(0.0, slope / np.log10(2))
    fits = {
        kernel: min(
            _misfit(kernel, f[some], power[some], edge / _REACH[kernel] * by, law)
            for by in (0.92, 0.96, 1, 1.04, 1.08)
        )
        for kernel in ("cubic", "lanczos")
    }
    kernel = "cubic" if fits["cubic"] - fits["lanczos"] < 0.27 else "lanczos"
    if tail < _AT_ONCE:
        kernel = "smooth cubic"
    soft = _BLUR[0] < tail < _BLUR[1] and depth > 2 * _CROSS
    odd = not _LAWS[0] < law < _LAWS[1] or float(drop[-1]) < 0.5
    if soft or odd or min(fits.values()) > _NO_KERNEL:
        return Detail(min(1.0, 2 * edge), "cannot tell")
    return Detail(min(1.0, 2 * edge / _REACH[kernel]), "breaks off")


# -- enlarged by a known kernel ---------------------------------------------------------

_Up = Callable[[Pixels, int], Pixels]


def _by_cv(way: int) -> _Up:
    def up(values: Pixels, width: int) -> Pixels:
        out: Pixels = cv2.resize(values, (width, values.shape[0]), interpolation=way)
        return out

    return up


def _by_pillow(way: Image.Resampling) -> _Up:
    def up(values: Pixels, width: int) -> Pixels:
        return np.asarray(Image.fromarray(values).resize((width, values.shape[0]), way), np.float32)

    return up


_KERNELS: dict[str, _Up] = {
    "nearest": _by_cv(cv2.INTER_NEAREST), "linear": _by_cv(cv2.INTER_LINEAR), "cubic": _by_cv(cv2.INTER_CUBIC),
    "Lanczos": _by_cv(cv2.INTER_LANCZOS4), "cubic ": _by_pillow(Image.Resampling.BICUBIC),
    "Lanczos ": _by_pillow(Image.Resampling.LANCZOS),
}  # fmt: skip


def _quantum(values: Pixels) -> float:
    """The step of the stored values: an 8-bit or a 16-bit one, or none."""
    few = values[:: max(1, values.shape[0] // 8)].astype(np.float64)
    for top in (255, 65535):
        if float(np.abs(few * top - np.round(few * top)).max()) < 0.02:
            return 1 / top
    return 0.0


def _fine(values: Pixels, inside: slice) -> float:
    return float((np.diff(values, 2, axis=1)[:, inside] ** 2).sum())


def _reduced(values: Pixels, side: int) -> Pixels:
    small: Pixels = cv2.resize(values, (side, values.shape[0]), interpolation=cv2.INTER_AREA)
    return small


def _left_over(values: Pixels, small: Pixels, up: _Up, inside: slice, whole: float, enough: float) -> float:
    """What enlarging from the ``small`` picture's side by a kernel cannot explain, as a share of the finest detail.

    It is found by back-projection (M. Irani and S. Peleg, 1991): reduce, enlarge, and do the same to what is left.
    What is explained quickly is explained first: it ends where going on at the present pace would not come down to
    ``enough``.
    """
    width, side = values.shape[1], small.shape[1]
    made = up(small, width)
    left = 1.0
    for n in range(_TURNS):
        made = made + up(_reduced(values - made, side), width)
        before, left = left, _fine(values - made, inside) / whole
        if n == 0 and left > _HOPELESS:
            break
        if left > enough and n > 0 and left * min(1.0, left / before) ** (_TURNS - 1 - n) > enough:
            break
    return left


def _enlarged(values: Pixels, inside: slice) -> Detail | None:
    """Whether the rows are those of a smaller picture enlarged by a common factor or from a power of two."""
    width, whole = values.shape[1], _fine(values, inside)
    if whole <= 0:
        return None
    fits = _FITS + 1.3 * _ROUNDING * _quantum(values) ** 2 * values[:, inside].size / whole
    sides = {round(width / k) for k in _FACTORS if width / k == int(width / k)}
    sides |= {2**n for n in range(6, 14) if 2**n < 0.8 * width}
    for side in sorted(s for s in sides if s >= _SMALLEST):
        small = _reduced(values, side)
        left = {name: _left_over(values, small, up, inside, whole, _APART * fits) for name, up in _KERNELS.items()}
        best, *others = sorted(left, key=lambda name: left[name])
        if left[best] < fits and min(left[n] for n in others) > _APART * left[best]:
            return Detail(side / width, "enlarged", best.strip())
    return None


def true_detail(values: Pixels, *, middle: bool = False) -> Detail:
    """Which share of its side a picture truly holds.

    Parameters
    ----------
    values : float32 (H, W)
    middle : bool
        Look at the middle half only: what lies round it fades out.

    Notes
    -----
    Enlarging by nearest, linear, cubic and Lanczos kernels is recognised exactly where the factor is a
    common one or the small side a power of two. Elsewhere the spectrum tells: its power follows a law
    f^-a (D. J. Field, 1987) up to where the small picture ended, and breaks off there.
    """
    rows, columns = values.shape
    if min(rows, columns) < 4 * _SMALLEST or float(np.ptp(values)) < 1e-6:
        return Detail(1.0, "cannot tell")
    x, y = (slice(n // 4, n - n // 4) if middle else slice(0, n) for n in (columns, rows))
    chosen = np.linspace(y.start, y.stop - 1, min(_ROWS, y.stop - y.start)).astype(int)
    found = _enlarged(np.ascontiguousarray(values[chosen], np.float32), slice(x.start + 8, x.stop - 8))
    if found is not None:
        return found
    longest = 1024
    part = values[y, x]
    if max(part.shape) > longest:  # a window of it, at its own scale
        r, c = (max(0, (n - longest) // 2) for n in part.shape)
        part = part[r : r + longest, c : c + longest]
    return _broken(np.ascontiguousarray(part, np.float32))
