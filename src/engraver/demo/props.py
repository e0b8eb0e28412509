"""Heights of the harbour props: barnacles on a slab, ripples in sand. Made up, seeded."""

from __future__ import annotations

import math

import numpy as np

from engraver.core.numeric import blur, noise
from engraver.core.raster import Pixels


def _scatter(rng: np.random.Generator, count: int, reach: float) -> list[tuple[float, float, float]]:
    """Centres and radii in a disc of radius ``reach`` about (0.5, 0.5), hardly overlapping."""
    placed: list[tuple[float, float, float]] = []
    for size in np.sort(rng.gamma(3.0, 0.012, count))[::-1]:
        radius = float(np.clip(size, 0.015, 0.078))
        for _ in range(60):
            away, angle = reach * math.sqrt(rng.random()), rng.random() * 2 * math.pi
            x, y = 0.5 + away * math.cos(angle), 0.5 + away * math.sin(angle)
            if all(math.hypot(x - a, y - b) > 0.86 * (radius + c) for a, b, c in placed):
                placed.append((x, y, radius))
                break
    return placed


def _barnacle(radius: float, x: Pixels, y: Pixels, rng: np.random.Generator) -> Pixels:
    """One shell in local pixels: a ribbed cone of plates with a sunk mouth."""
    plates, turn = int(rng.integers(6, 9)), rng.random() * 2 * math.pi
    phi = np.arctan2(y, x) + turn
    seam = np.abs(np.sin(phi * plates / 2))
    outline = radius * (0.86 + 0.12 * seam + 0.03 * np.sin(3 * phi + turn * 5))
    rho = np.sqrt(x * x + y * y) / outline
    mouth = 0.36 * (0.9 + 0.12 * np.abs(np.sin(phi * 2.5 + 1)))
    flank = np.clip((1 - rho) / (1 - mouth), 0, 1) ** 0.8
    ribs = 1 - 0.1 * (1 - seam) - 0.05 * (0.5 + 0.5 * np.cos(phi * plates * 4))
    into = np.clip((mouth - rho) / (mouth * 0.45), 0, 1)
    cone = flank * ribs * (1 - 0.92 * into * into * (3 - 2 * into))
    shell: Pixels = (cone * (0.45 + 0.55 * rng.random() ** 0.5)).astype(np.float32)
    return shell


def barnacles(side: int, seed: int = 11) -> Pixels:
    """Heights 0..1 of a cluster of barnacles on a fairly flat slab, (side, side)."""
    rng = np.random.Generator(np.random.PCG64(seed))
    slab = 0.05 * noise.lattice(side, side, 0.2, seed) + 0.035 * noise.lattice(side, side, 0.02, seed + 1)
    height = slab.copy()
    for cx, cy, radius in _scatter(rng, 150, 0.41):
        r = radius * side
        left, top = max(0, int(cx * side - r * 1.15)), max(0, int(cy * side - r * 1.15))
        right, bottom = min(side, int(cx * side + r * 1.15) + 1), min(side, int(cy * side + r * 1.15) + 1)
        x = np.arange(left, right, dtype=np.float32) - np.float32(cx * side)
        y = (np.arange(top, bottom, dtype=np.float32) - np.float32(cy * side))[:, None]
        shell = _barnacle(r, x, y, rng) * np.float32(0.55 + 0.45 * min(1.0, radius / 0.05))
        part = height[top:bottom, left:right]
        np.maximum(part, shell * np.float32(0.93), out=part)
    return blur.gaussian(np.clip(height, 0, 1), side / 1600)


def ripples(height: int, width: int, seed: int = 23) -> Pixels:
    """Heights 0..1 of wind ripples in sand: steep on the lee side, forking, with fine grain."""
    short = min(height, width)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32) / np.float32(short)
    wander = noise.lattice(height, width, 0.45, seed, octaves=2) - np.float32(0.5)
    fine = noise.lattice(height, width, 0.12, seed + 1, octaves=2) - np.float32(0.5)
    phase = (y * 13.0 + x * 2.6 + wander * 4.0 + fine * 0.8).astype(np.float32)
    along = phase - np.floor(phase)
    rise = np.clip(along / 0.68, 0, 1)
    fall = np.clip((1 - along) / 0.32, 0, 1)
    crest = np.minimum(rise, fall)
    crest = crest * crest * (3 - 2 * crest)
    strength = 0.62 + 0.38 * noise.lattice(height, width, 0.3, seed + 2, octaves=1)
    grain = noise.lattice(height, width, 0.008, seed + 3, octaves=2) - np.float32(0.5)
    return blur.gaussian(np.clip(0.06 + 0.84 * crest * strength + 0.12 * grain, 0, 1), short / 1200)
