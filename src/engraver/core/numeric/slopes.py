"""Slopes and heights: a normal map from heights, and heights from a normal map."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from ..raster import Pixels, Wrap

# How far around the middle of the tones level ground is looked for, and how much of the map it must be.
_LEVEL_BAND, _LEVEL_SHARE = 2.5 / 255, 0.005
_FITTED = 1_000_000
_STILL = 1e-9
# Half the side of the part on which it is found out how a map was made, and how much less must be left.
_LOOKED_AT, _CALM, _SURE = 512, 4, 0.9


def of_height(height: Pixels, wrap: Wrap) -> tuple[Pixels, Pixels]:
    """Rise per pixel to the right and downwards, by central differences; mirrored or wrapping at the borders."""
    grown = np.pad(height, ((0, 0), (1, 1)), mode="wrap" if wrap[0] else "symmetric")
    across: Pixels = (grown[:, 2:] - grown[:, :-2]) * np.float32(0.5)
    grown = np.pad(height, ((1, 1), (0, 0)), mode="wrap" if wrap[1] else "symmetric")
    down: Pixels = (grown[2:] - grown[:-2]) * np.float32(0.5)
    return across, down


def normal_map(height: Pixels, wrap: Wrap = (False, False), *, green_up: bool = True) -> Pixels:
    """Tangent-space normals of heights in pixels, as colours 0..1 (H, W, 3).

    Red goes to the right, green upwards (or downwards), blue out of the surface.
    """
    across, down = of_height(height, wrap)
    up = down if green_up else -down
    normal = np.stack([-across, up, np.ones_like(across)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    return np.ascontiguousarray(normal * np.float32(0.5) + np.float32(0.5))


def flat_colour(colour: Pixels, lattice: float | None = None) -> tuple[float, float]:
    """The red and the green that stand for level ground in a normal map.

    Of 256 (or 65536) levels none lies in the middle: a map takes the one below it, the one above, or
    means the middle. Level ground shows which, as the most frequent colour; where nothing is level, the
    sphere does on which all normals of unit length lie.

    Parameters
    ----------
    colour : float32 (H, W, 3)
        0..1.
    lattice : float, optional
        Distance of two stored levels, where they are still as stored.
    """
    middle = _middle_of_sphere(colour)
    found = []
    for n, away in enumerate(middle):
        level = _most_frequent(np.ascontiguousarray(colour[..., n]))
        if level is None:
            near = (0.0, -lattice / 2, lattice / 2) if lattice else (away if abs(away) < _LEVEL_BAND else 0.0,)
            level = 0.5 + min(near, key=lambda one: abs(one - away))
        found.append(level)
    return found[0], found[1]


def _most_frequent(plane: Pixels) -> float | None:
    """The value near the middle that level ground has; None where no ground is level."""
    near = plane[np.abs(plane - np.float32(0.5)) < _LEVEL_BAND]
    values, counts = np.unique(near, return_counts=True)
    if not len(values):
        return None
    best = int(np.argmax(counts))
    mirrored = counts[np.abs(values - (1 - values[best])) < 1e-6].sum()
    stands_out = counts[best] >= _LEVEL_SHARE * plane.size and counts[best] >= 1.5 * mirrored
    return float(values[best]) if stands_out else None


def _middle_of_sphere(colour: Pixels) -> tuple[float, float]:
    """How far the sphere of all colours (H, W, 3) lies off the middle, in red and in green, as shares of white.

    A linear least-squares fit of |c - z|^2 = const: I. D. Coope, "Circle fitting by linear and nonlinear
    least squares" (1993), in three dimensions.
    """
    step = max(1, int((colour.shape[0] * colour.shape[1] / _FITTED) ** 0.5))
    c = colour[::step, ::step].reshape(-1, 3).astype(np.float64) - 0.5
    terms = np.stack([2 * c[:, 0], 2 * c[:, 1], np.ones(len(c))], axis=1)
    off = np.linalg.lstsq(terms, (c * c).sum(axis=1), rcond=1e-9)[0]
    return float(off[0]), float(off[1])


def of_normals(
    colour: Pixels, *, green_up: bool, flat: tuple[float, float] = (0.5, 0.5)
) -> tuple[Pixels, Pixels, float]:
    """Rise per pixel to the right and downwards from a normal map, and how far its normals are from unit length.

    ``flat`` is the red and the green of level ground. The last is the mean of | |n| - 1 |; a few
    thousandths come of eight bits.
    """
    n = colour * np.float32(2) - np.array([2 * flat[0], 2 * flat[1], 1], np.float32)
    size = np.sqrt(np.einsum("ijk,ijk->ij", n, n))
    steep = np.maximum(n[..., 2], np.float32(0.02))  # what points away from the eye has no height
    across, up = -n[..., 0] / steep, -n[..., 1] / steep
    return across, (-up if green_up else up), float(np.abs(size - 1).mean())


def curl(across: Pixels, down: Pixels) -> float:
    """How far slopes are from those of any surface: the spread of their curl over that of their changes."""
    if min(across.shape) < 2:
        return 0.0
    a, b = np.diff(across, axis=0)[:, 1:], np.diff(down, axis=1)[1:]
    return float(np.abs(a - b).mean() / max(float(np.abs(a).mean() + np.abs(b).mean()), 1e-12))


def integrate(across: Pixels, down: Pixels, wrap: Wrap = (False, False)) -> Pixels:
    """The heights whose slopes come nearest to these in the mean square; their mean is 0.

    T. Simchony, R. Chellappa and M. Shao, "Direct analytical methods for solving Poisson equations in
    computer vision problems" (1990): by cosine and sine transforms, no border being fixed. Slopes are
    those of the surface itself or, where that leaves less unexplained, central differences of heights
    (as :func:`of_height` and many programs make them).

    Parameters
    ----------
    across, down : float32 (H, W)
        Rise per pixel to the right and downwards.
    wrap : (bool, bool)
        Axes along which it repeats take Fourier transforms.
    """
    from scipy import fft

    central = _are_central(across, down)
    (x, wave_x), (y, wave_y) = (_spectrum(values, axis, wrap, central) for values, axis in ((across, 1), (down, 0)))
    power = wave_x**2 + wave_y**2
    still = power < _STILL  # the mean; and what alternates from pixel to pixel, which central differences do not see
    found = (_turned_back(x, wave_x, wrap[0]) + _turned_back(y, wave_y, wrap[1])) / np.where(still, 1, power)
    found = np.where(still, 0, found)
    rows, columns = across.shape
    for axis, wraps in ((0, wrap[1]), (1, wrap[0])):
        if not wraps:
            found = fft.idct(found, 2, axis=axis, workers=2)
    if wrap[0]:
        found = fft.ifft(found, axis=0, workers=2) if wrap[1] else found
        found = fft.irfft(found, columns, axis=1, workers=2)
    elif wrap[1]:
        found = fft.irfft(found, rows, axis=0, workers=2)
    return np.ascontiguousarray((found - found.mean()).astype(np.float32))


def _turned_back(spectrum: Any, waves: Any, wraps: bool) -> Any:
    """What one rise says of the heights, times the square of its waves.

    Differentiating multiplies waves that wrap by i w; of cosines it makes sines times -w.
    """
    return spectrum * (waves * (-1j if wraps else -1.0))


def _are_central(across: Pixels, down: Pixels) -> bool:
    """Whether the slopes are central differences of heights, not those of a smooth surface.

    Of either kind the rise of one slope along the other's axis is the same both ways round: with central
    differences for the one, with such of the fourth order for the other. Less of what is left is noise.
    """
    rows, columns = (slice(max(0, n // 2 - _LOOKED_AT), n // 2 + _LOOKED_AT) for n in across.shape)
    if min(across.shape) < 8 * _CALM:
        return False
    p, q = (cv2.GaussianBlur(v[rows, columns].astype(np.float64), (0, 0), _CALM) for v in (across, down))
    rim = 4 * _CALM + 2
    left = []
    for near, far in ((1 / 2, 0.0), (2 / 3, -1 / 12)):
        differences = [
            near * (np.roll(v, -1, n) - np.roll(v, 1, n)) + far * (np.roll(v, -2, n) - np.roll(v, 2, n))
            for n, v in ((0, p), (1, q))
        ]
        curl = (differences[0] - differences[1])[rim:-rim, rim:-rim]
        left.append(float((curl * curl).sum()))
    return left[0] < _SURE * left[1]


def _spectrum(values: Pixels, along: int, wrap: Wrap, central: bool) -> tuple[Any, Any]:
    """A rise (H, W) in waves: sines along its own axis, cosines along the other, complex ones along what wraps.

    Returns them, float64 or complex128 (H, W) with the first axis that wraps halved, and, spread along the
    axis, by how much differentiating multiplies the waves of the heights, in radians a pixel.
    """
    from scipy import fft

    made: Any = values.astype(np.float64)
    count = values.shape[along]
    own, other = wrap[1 - along], wrap[along]
    halved = wrap[0] if along == 0 else False  # real waves are halved along the first axis that wraps
    if wrap[0]:
        made = fft.rfft(made, axis=1, workers=2)
        made = fft.fft(made, axis=0, workers=2) if wrap[1] else made
    elif wrap[1]:
        made = fft.rfft(made, axis=0, workers=2)
    if not other:
        made = fft.dct(made, 2, axis=1 - along, workers=2)
    if own:
        cycles = np.fft.fftfreq(count) if halved else np.fft.rfftfreq(count)
        waves = 2 * np.pi * cycles
        waves = np.sin(waves) if central else waves
    elif central:
        made, waves = (
            _shifted(fft.dst(made, 2, axis=along, workers=2), along),
            np.sin(np.pi * np.arange(count) / count),
        )
    else:
        sines = fft.dst(_steps(made, along), 1, axis=along, workers=2) if count > 2 else _steps(made, along) * 2
        made = _shifted(np.concatenate([sines, 0 * np.take(made, [0], along)], along), along)
        waves = 2 * np.sin(np.pi * np.arange(count) / count / 2)
    return made, waves[None, :] if along == 1 else waves[:, None]


def _shifted(sines: Any, axis: int) -> Any:
    """Sines begin with the first wave, cosines with the mean: brought in step."""
    made = np.roll(sines, 1, axis)
    made[(slice(None), 0) if axis == 1 else 0] = 0
    return made


def _steps(slopes: Any, axis: int) -> Any:
    """The step in height from each pixel to the next, by the cubics through four slopes (J. C. Adams)."""
    s = np.moveaxis(slopes, axis, 0)
    made = (s[:-1] + s[1:]) / 2
    if len(s) >= 4:
        made[1:-1] = (13 * (s[1:-2] + s[2:-1]) - s[:-3] - s[3:]) / 24
        made[0] = (9 * s[0] + 19 * s[1] - 5 * s[2] + s[3]) / 24
        made[-1] = (9 * s[-1] + 19 * s[-2] - 5 * s[-3] + s[-4]) / 24
    return np.moveaxis(made, 0, axis)
