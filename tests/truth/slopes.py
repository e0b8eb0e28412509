"""Openness to the sky and local contrast against their definitions."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from scipy import ndimage

from engraver.core.raster import Raster
from lines import run
from truth.fact import Fact
from truth.pictures import grey


def facts(quick: bool) -> Iterator[Fact]:
    yield from _heights_from_normals(quick)
    names = ("brick",) if quick else ("brick", "gravel", "moon", "coins", "camera")
    for name in names:
        picture = np.ascontiguousarray(grey(name)[:120, :150] if quick else grey(name)[:200, :240])
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


def normals(across: np.ndarray, down: np.ndarray, bits: int, flat: str, green_up: bool) -> np.ndarray:
    """A normal map as programs write it: level ground is the level below the middle or the one above."""
    top = 2**bits - 1
    n = np.stack([-across, down if green_up else -down, np.ones_like(across)], axis=-1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    middle = top // 2 + (flat == "above")
    stored = np.clip(np.round(n * (top - middle if flat == "above" else middle) + middle), 0, top)
    return (stored / top).astype(np.float32)


def _heights_from_normals(quick: bool) -> Iterator[Fact]:
    """A small boss on level ground, and ripples, from analytic slopes."""
    side = 768 if quick else 4096
    y, x = np.mgrid[0:side, 0:side] + 0.5
    away2 = ((x - side * 0.4) ** 2 + (y - side * 0.55) ** 2) / 5.0**2
    boss = 4 * np.exp(-away2 / 2)
    slopes = -boss * (x - side * 0.4) / 25, -boss * (y - side * 0.55) / 25
    for bits in (8,) if quick else (8, 16):
        for flat in ("below", "above"):
            for up in (True,) if quick else (True, False):
                made = run("slopes", Raster.of(normals(*slopes, bits, flat, up)), green="up" if up else "down").pixels
                ground = made[away2 > 36]
                off = float(np.abs(ground - np.median(ground)).max())
                case = f"{side}², {bits} bits, {flat} the middle, green {'up' if up else 'down'}"
                yield Fact("heights from normals: ground beside a boss of 10 px", case, "level", off, 0.01)
    u, v = 2 * np.pi * 11 / side, 2 * np.pi * 7 / side
    ripples = 6 * np.sin(u * x + 0.3 * np.cos(v * y))
    turn = 6 * np.cos(u * x + 0.3 * np.cos(v * y))
    for how, pair in (
        ("a tilted plane of ripples", (turn * u + 0.01, -turn * 0.3 * v * np.sin(v * y))),
        ("analytic slopes", (turn * u, -turn * 0.3 * v * np.sin(v * y))),
        ("central differences", (_central(ripples, 1), _central(ripples, 0))),
    ):
        for flat in ("above", "below"):
            colour = Raster.of(normals(*pair, 16, flat, True), lattice=1 / 65535)
            made = run("slopes", colour, low=0.0, high=100.0).pixels
            true = ripples + 0.01 * x if "tilted" in how else ripples
            wanted = (true - true.min()) / np.ptp(true)
            off = float((made - wanted).std())
            yield Fact(
                "heights from normals of 16 bits: ripples, rms", f"{side}², {how}", "those they came from", off, 2e-4
            )


def _central(height: np.ndarray, axis: int) -> np.ndarray:
    grown = np.pad(height, [(1, 1) if n == axis else (0, 0) for n in range(2)], mode="symmetric")
    return (
        np.take(grown, range(2, grown.shape[axis]), axis) - np.take(grown, range(grown.shape[axis] - 2), axis)
    ) / 2


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
