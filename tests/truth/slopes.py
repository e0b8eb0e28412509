"""Openness to the sky and local contrast against their definitions."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from scipy import ndimage

from lines import run
from truth.fact import Fact
from truth.pictures import grey


def facts(quick: bool) -> Iterator[Fact]:
    names = ("brick",) if quick else ("brick", "gravel", "moon", "coins", "camera")
    for name in names:
        picture = np.ascontiguousarray(grey(name)[:200, :240])
        for strength, size in ((0.05, 0.1), (0.3, 0.05)) if quick else ((0.05, 0.1), (0.3, 0.05), (0.1, 0.4)):
            ours = run("mask-from", picture, what="sky", strength=strength, size=size).pixels
            reach = size * min(picture.shape)
            theirs = np.clip(2 * _openness(picture * strength * min(picture.shape), reach), 0, 1)
            off = float(np.abs(ours - theirs).mean())
            yield Fact(
                "openness to the sky: mean difference",
                f"{name}, height {strength:.0%}, width {size:.0%}",
                "horizons swept a pixel at a time in 48 directions",
                off,
                0.01,
            )
        for amount, size in ((0.6, 0.05), (1.0, 0.2)):
            ours = run("local-contrast", picture, amount=amount, size=size).pixels
            off = float(np.abs(ours - _wallis(picture, amount, size)).max())
            yield Fact(
                "local contrast",
                f"{name}, {amount:.0%} in {size:.0%}",
                "its formula, by SciPy's Gaussians",
                off,
                3e-3,
            )


def _openness(height: np.ndarray, reach: float) -> np.ndarray:
    """R. Yokoyama et al. (2002): the mean zenith angle of the horizon, as a share of 180 degrees."""
    total, ways = np.zeros(height.shape), 48
    deep = int(reach) + 2
    grown = np.pad(height.astype(np.float64), deep, mode="symmetric")
    rows, columns = np.mgrid[: height.shape[0], : height.shape[1]] + deep
    for angle in np.arange(ways) * 2 * np.pi / ways:
        steep = np.full(height.shape, -np.inf)
        for far in np.arange(1.0, reach + 1e-9):
            at = ndimage.map_coordinates(grown, (rows + np.sin(angle) * far, columns + np.cos(angle) * far), order=1)
            np.maximum(steep, (at - height) / far, out=steep)
        total += 0.5 - np.arctan(steep) / np.pi
    return total / ways


def _wallis(v: np.ndarray, amount: float, size: float) -> np.ndarray:
    v = v.astype(np.float64)
    sigma = size / 2 * min(v.shape)
    m = ndimage.gaussian_filter(v, sigma)
    s = np.sqrt(np.maximum(ndimage.gaussian_filter(v * v, sigma) - m * m, 0))
    usual = np.sqrt((s * s).mean())
    gain = np.clip((usual / np.maximum(s, usual * 1e-3)) ** amount, 1 / 4, 4)
    return (v - m) * gain + m
