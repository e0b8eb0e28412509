"""Slopes and heights: a normal map from heights, and heights from a normal map."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels, Wrap


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


def of_normals(colour: Pixels, *, green_up: bool) -> tuple[Pixels, Pixels, float]:
    """Rise per pixel to the right and downwards from a normal map, and how far its normals are from unit length.

    The last is the mean of | |n| - 1 |; a few thousandths come of eight bits.
    """
    n = colour * np.float32(2) - np.float32(1)
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
    """The heights whose central differences come nearest to the slopes in the mean square; their mean is 0.

    R. T. Frankot and R. Chellappa, "A method for enforcing integrability in shape from shading
    algorithms" (1988), with the transfer function of central differences in place of that of the
    derivative, so that slopes made by :func:`of_height` give their heights back, mirrored or
    wrapping at the borders.
    """
    from scipy import fft

    rows, columns = across.shape
    # A border that mirrors is one half of a picture twice the size that wraps: slopes along it turn round.
    x, y = across.astype(np.float64), down.astype(np.float64)
    for axis, wraps in ((1, wrap[0]), (0, wrap[1])):
        if not wraps:
            x = np.concatenate([x, np.flip(x, axis) * (-1 if axis == 1 else 1)], axis)
            y = np.concatenate([y, np.flip(y, axis) * (-1 if axis == 0 else 1)], axis)
    height, width = x.shape
    wx = np.sin(2 * np.pi * np.fft.rfftfreq(width))[None, :]
    wy = np.sin(2 * np.pi * np.fft.fftfreq(height))[:, None]
    spectrum = -1j * (wx * fft.rfft2(x, workers=2) + wy * fft.rfft2(y, workers=2))
    power: NDArray[np.float64] = wx * wx + wy * wy
    still = power < 1e-9  # the mean, and what alternates from pixel to pixel: central differences do not see it
    spectrum /= np.where(still, 1, power)
    spectrum[still] = 0
    whole = fft.irfft2(spectrum, s=(height, width), workers=2)
    found: Pixels = whole[:rows, :columns].astype(np.float32)
    return np.ascontiguousarray(found - found.mean())
