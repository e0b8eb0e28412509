"""Growing a larger tile out of a small even sample, by patches that keep its tones and its grain."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..raster import Pixels
from . import tone
from .blur import gaussian
from .ranks import median, robust_deviation
from .seamless import closed_path, least_path

_TRIES = 32
# Weights of the blend are raised to this power, so that one patch rules in most places.
_SHARP = 3.0
# Patches of the quilt: their overlap, and how much worse than the best a chosen one may fit.
_OVERLAP, _TOLERANCE = 0.3, 1.1
# How wide the blend along a cut is, as a share of the overlap.
_SOFT = 0.3
_SEARCH = 80
_NUDGE = 0.06
_SPOTS, _STANDS_OUT = 24, 4.0


def striking(sample: Pixels, patch: float) -> NDArray[np.float64]:
    """Places (n, 2: x, y) of what stands out of the sample: far from its surroundings, and rare.

    Differences between a fine and a coarse blur of more than four robust standard deviations.
    """
    size = patch * min(sample.shape)
    blob = gaussian(sample, max(0.8, size * 0.06)) - gaussian(sample, max(2.0, size * 0.4))
    off = np.abs(blob - median(blob))
    scale = robust_deviation(off, 0.0)
    if scale <= 1e-6:
        scale = float(off.std()) or 1.0
    found = []
    left = off.copy()
    for _ in range(_SPOTS):
        y, x = np.unravel_index(int(np.argmax(left)), left.shape)
        if left[y, x] < _STANDS_OUT * scale:
            break
        found.append((float(x), float(y)))
        reach = int(size * 0.4) + 1
        left[max(0, y - reach) : y + reach + 1, max(0, x - reach) : x + reach + 1] = 0
    return np.array(found).reshape(-1, 2)


@dataclass(slots=True)
class _Placed:
    """Where patches came from and went to: keeps what is striking apart.

    ``half`` is half a patch; places are of its middle.
    """

    side: int
    apart: float
    half: float
    spots: NDArray[np.float64]
    count: int = 0
    # (n, 4): shift and origin of every patch, x before y; room grows when it is needed.
    patches: NDArray[np.float64] = field(default_factory=lambda: np.zeros((64, 4)))
    shown: dict[int, NDArray[np.float64]] = field(default_factory=dict)

    def _away(self, places: NDArray[np.float64], place: NDArray[np.float64]) -> NDArray[np.float64]:
        gaps = np.abs(places - place) % self.side
        found: NDArray[np.float64] = np.hypot(*np.minimum(gaps, self.side - gaps).T)
        return found

    def _inside(self, origin: NDArray[np.float64]) -> NDArray[np.int64]:
        return np.flatnonzero((np.abs(self.spots - origin) < self.half).all(axis=1))

    def nearest(self, at: tuple[float, float], origin: tuple[float, float]) -> float:
        """How far apart the same things stay if this piece goes there, as a share of what is wanted; at most 1.

        What is striking counts fully, the rest by half. Patches that continue each other repeat nothing.
        """
        if self.apart <= 0:
            return 1.0
        here, there = np.array(at, float), np.array(origin, float)
        share = 1.0
        for n in self._inside(there):
            if int(n) in self.shown:
                away = self._away(self.shown[int(n)], here + self.spots[n] - there)
                away = away[away > 0.5]
                share = min(share, float(away.min(initial=self.apart)) / self.apart)
        if share < 1 or not self.count:
            return 0.5 * share if share < 1 else 1.0
        known = self.patches[: self.count]
        same = known[np.abs(known[:, 2:] - there).max(axis=1) < 1.8 * self.half]
        gaps = self._away(same[:, :2], here - there)
        gaps = gaps[gaps > 0.5]
        return 0.5 + 0.5 * min(1.0, float(gaps.min(initial=self.apart)) / self.apart)

    def add(self, at: tuple[float, float], origin: tuple[float, float]) -> None:
        here, there = np.array(at, float), np.array(origin, float)
        if self.count == len(self.patches):
            self.patches = np.concatenate([self.patches, np.zeros_like(self.patches)])
        self.patches[self.count] = (*(here - there), *there)
        self.count += 1
        for n in self._inside(there):
            known = self.shown.get(int(n), np.zeros((0, 2)))
            self.shown[int(n)] = np.concatenate([known, [here + self.spots[n] - there]])


def _gaussian_of(values: Pixels) -> tuple[Pixels, NDArray[np.float64], NDArray[np.float64]]:
    """The picture with its tones bent to a normal distribution, and the table back."""
    from scipy import special

    flat = values.ravel()
    order = np.argsort(flat, kind="stable")
    spread = special.ndtri((np.arange(flat.size) + 0.5) / flat.size)
    bent = np.empty(flat.size, np.float32)
    bent[order] = spread
    few = np.linspace(0, flat.size - 1, min(flat.size, 4097)).astype(int)
    return bent.reshape(values.shape), spread[few], flat[order][few].astype(np.float64)


def blended(sample: Pixels, side: int, patch: float, apart: float, seed: int, check: Watch = unwatched) -> Pixels:
    """A tile (side, side) by tiling and blending with kept histogram.

    E. Heitz and F. Neyret, "High-Performance By-Example Noise using a Histogram-Preserving Blending
    Operator" (2018): tones are bent to a normal distribution, patches at random offsets lie on a
    triangle grid, three overlap everywhere, their sum is divided by the root of the sum of the squared
    weights and bent back. The grid is closed on the torus.

    Parameters
    ----------
    sample : float32 (h, w)
    patch : float
        Distance of the grid's points as a share of the sample's shorter side, 0.1..0.4.
    apart : float
        The same piece of the sample stands no nearer to itself than this share of the side, where it can.
    """
    h, w = sample.shape
    wanted = patch * min(h, w)
    across = max(2, round(side / wanted))
    down = max(2, 2 * round(side / (wanted * np.sqrt(3) / 2) / 2))
    a, b = side / across, side / down
    bent, spread, tones = _gaussian_of(sample)
    rng = np.random.Generator(np.random.PCG64([seed & 0xFFFFFFFF, 71]))
    reach = int(np.ceil(max(a, b))) + 1
    low, high = np.array([reach, reach]), np.array([max(reach + 1, w - reach), max(reach + 1, h - reach)])
    placed = _Placed(side, apart * side, wanted * 0.75, striking(sample, patch))
    offsets = np.zeros((down, across, 2), int)
    for j in range(down):
        check()
        for i in range(across):
            at = np.round([(i * a + j * a / 2) % side, j * b]).astype(int)
            best, found = -1.0, low
            for _ in range(_TRIES):
                origin = rng.integers(low, high)
                near = placed.nearest(tuple(at), tuple(origin))
                if near > best:
                    best, found = near, origin
                if near >= 1:
                    break
            placed.add(tuple(at), tuple(found))
            offsets[j, i] = found
    out = np.empty((side, side), np.float32)
    rows = 256
    for top in range(0, side, rows):
        check()
        y, x = np.mgrid[top : min(side, top + rows), 0:side]
        v = (y + 0.5) / b
        u = (x + 0.5) / a - v / 2
        j0, i0 = np.floor(v).astype(int), np.floor(u).astype(int)
        fv, fu = (v - j0).astype(np.float32), (u - i0).astype(np.float32)
        lower = fu + fv < 1
        corners = (
            (np.where(lower, i0, i0 + 1), np.where(lower, j0, j0 + 1), np.where(lower, 1 - fu - fv, fu + fv - 1)),
            (i0 + 1, j0, np.where(lower, fu, 1 - fv)),
            (i0, j0 + 1, np.where(lower, fv, 1 - fu)),
        )
        total, norm = np.zeros(y.shape, np.float32), np.zeros(y.shape, np.float32)
        for i, j, weight in corners:
            turns = j // down
            jj, ii = j % down, (i + turns * (down // 2)) % across
            vx, vy = np.round(i * a + j * a / 2).astype(int), np.round(j * b).astype(int)
            origin = offsets[jj, ii]
            sx = np.clip(x - vx + origin[..., 0], 0, w - 1)
            sy = np.clip(y - vy + origin[..., 1], 0, h - 1)
            sharp = weight.astype(np.float32) ** np.float32(_SHARP)
            total += sharp * bent[sy, sx]
            norm += sharp * sharp
        total /= np.sqrt(np.maximum(norm, np.float32(1e-12)))
        out[top : top + rows] = np.interp(total.ravel(), spread, tones).reshape(y.shape)
    return same_tones(out, sample)


def same_tones(values: Pixels, sample: Pixels) -> Pixels:
    """The same picture with the sample's distribution of tones (histogram specification by ranks).

    No tone moves by more than a little: a spot that was kept away must not come back as noise.
    """
    ranks = np.linspace(0, 1, 4097)
    now = np.quantile(values, ranks)
    wanted = np.quantile(sample, ranks)
    keep = np.concatenate([[True], np.diff(now) > 0])
    made = np.interp(values.ravel(), now[keep], wanted[keep]).reshape(values.shape).astype(np.float32)
    most = np.float32(_NUDGE * max(1e-6, float(np.ptp(sample))))
    moved: Pixels = values + np.clip(made - values, -most, most)
    return moved


def _error_map(sample: Pixels, part: Pixels) -> Pixels:
    """Summed squared differences of a part to every place of the sample."""
    found: Pixels = cv2.matchTemplate(sample, np.ascontiguousarray(part), cv2.TM_SQDIFF)
    return found


def quilted(sample: Pixels, side: int, patch: float, apart: float, seed: int, check: Watch = unwatched) -> Pixels:
    """A tile (side, side) of best-fitting patches, parted along paths of least error, closed on the torus.

    A. A. Efros and W. T. Freeman, "Image Quilting for Texture Synthesis and Transfer" (SIGGRAPH
    2001). Patches are searched on a sample of at most 80 pixels, cut at full size. Parameters as
    of :func:`blended`.
    """
    h, w = sample.shape
    size = max(8, round(patch * min(h, w) * 1.3))
    step = max(4, round(size * (1 - _OVERLAP)))
    count = max(2, round(side / step))
    starts = [round(k * side / count) for k in range(count + 1)]
    wide = max(np.diff(starts)) + max(4, round(size * _OVERLAP))
    lap = wide - int(max(np.diff(starts)))
    if wide >= min(h, w):
        raise ValueError("the patches are larger than the sample")
    ratio = min(1.0, _SEARCH / min(h, w))
    few = sample
    if ratio < 1:
        few = cv2.resize(sample, (round(w * ratio), round(h * ratio)), interpolation=cv2.INTER_AREA)
    rng = np.random.Generator(np.random.PCG64([seed & 0xFFFFFFFF, 72]))
    placed = _Placed(side, apart * side, wide / 2, striking(sample, patch))
    out = np.zeros((side, side), np.float32)
    half = wide / 2
    for r in range(count):
        # A row of patches that closes on itself, then its one path along what is there: so no corners show.
        top = starts[r]
        rows = (top + np.arange(wide)) % side
        above, below = r > 0, r == count - 1 and r > 0
        row = np.zeros((wide, side), np.float32)
        for c in range(count):
            check()
            left = starts[c]
            columns = (left + np.arange(wide)) % side
            laps = _Laps(lap, starts[c + 1] - left, starts[r + 1] - top)
            fits = _strips(row[:, columns], laps, left=c > 0, right=c == count - 1 and c > 0)
            fits += _strips(out[np.ix_(rows, columns)], laps, above=above, below=below)
            origin = _best_patch(sample, few, ratio, wide, fits, (top, left), placed, rng)
            placed.add((left + half, top + half), (origin[1] + half, origin[0] + half))
            piece = sample[origin[0] : origin[0] + wide, origin[1] : origin[1] + wide]
            region = row[:, columns]
            error, mask = (region - piece) ** 2, np.ones((wide, wide), np.float32)
            if c > 0:
                mask[:, :lap] = _parted(error[:, :lap])
            if c == count - 1 and c > 0:
                part = _parted(error[:, laps.right :][:, ::-1])[:, ::-1]
                mask[:, laps.right :] = np.minimum(mask[:, laps.right :], part)
            row[:, columns] = region + mask * (piece - region)
        region, mask = out[rows], np.ones((wide, side), np.float32)
        error = (region - row) ** 2
        under = starts[r + 1] - top
        if above:
            mask[:lap] = _parted(error[:lap].T, closed=True).T
        if below:
            mask[under:] = np.minimum(mask[under:], _parted(error[under:][::-1].T, closed=True).T[::-1])
        out[rows] = region + mask * (row - region)
    return same_tones(out, sample)


@dataclass(frozen=True, slots=True)
class _Laps:
    """The overlap's width, and where the next column's and the next row's begin in a patch."""

    wide: int
    right: int
    under: int


def _strips(
    region: Pixels, laps: _Laps, *, left: bool = False, right: bool = False, above: bool = False, below: bool = False
) -> list[tuple[int, int, Pixels]]:
    """What a patch has to fit: where each strip begins in it (down, across), and its tones."""
    n = laps.wide
    sides = (
        (0, 0, region[:, :n]), (0, laps.right, region[:, laps.right :]),
        (0, 0, region[:n]), (laps.under, 0, region[laps.under :]),
    )  # fmt: skip
    return [side for side, on in zip(sides, (left, right, above, below), strict=True) if on]


def _best_patch(
    sample: Pixels, few: Pixels, ratio: float, wide: int, fits: list[tuple[int, int, Pixels]],
    place: tuple[int, int], placed: _Placed, rng: np.random.Generator,
) -> tuple[int, int]:  # fmt: skip
    """Row and column of the sample whose patch fits its neighbours, and is not seen again too near."""
    (top, left), (h, w) = place, sample.shape
    limit = (h - wide, w - wide)
    rows, columns = max(1, int(limit[0] * ratio) + 1), max(1, int(limit[1] * ratio) + 1)
    total = np.zeros((rows, columns), np.float64)
    for down, across, strip in fits:
        size = (max(2, round(strip.shape[1] * ratio)), max(2, round(strip.shape[0] * ratio)))
        part = cv2.resize(np.ascontiguousarray(strip), size, interpolation=cv2.INTER_AREA)
        errors = _error_map(few, part)
        y, x = round(down * ratio), round(across * ratio)
        seen = errors[y : y + rows, x : x + columns]
        total[: seen.shape[0], : seen.shape[1]] += seen
        total[seen.shape[0] :], total[:, seen.shape[1] :] = np.inf, np.inf
    order = np.argsort(total, axis=None)
    fit = total.ravel()[order]
    good = order[: max(8, int(np.searchsorted(fit, fit[0] * _TOLERANCE, side="right")))]
    best, chosen, half = -1.0, (0, 0), wide / 2
    for flat in [*rng.permutation(good)[:_TRIES], *order[len(good) : len(good) + 4 * _TRIES]]:
        y, x = divmod(int(flat), columns)
        origin = min(limit[0], round(y / ratio)), min(limit[1], round(x / ratio))
        near = placed.nearest((left + half, top + half), (origin[1] + half, origin[0] + half))
        if near > best:
            best, chosen = near, origin
        if near >= 1:
            break
    return chosen


def _parted(error: Pixels, *, closed: bool = False) -> Pixels:
    """0 before the path of least error down the strip, 1 after it, smoothly over a part of the strip's width."""
    smooth = cv2.GaussianBlur(np.ascontiguousarray(error, np.float32), (0, 0), 1.0).astype(np.float64)
    width = smooth.shape[1]
    soft = max(2.0, _SOFT * width)
    room = min(width // 2 - 1, round(soft / 2)) if width > 4 else 0  # both ends of the blend lie in the strip
    inside = np.ascontiguousarray(smooth[:, room : width - room])
    path = (closed_path(inside) if closed else least_path(inside)) + room
    return tone.smoothstep((np.arange(width)[None] - path[:, None]) / soft + 0.5)
