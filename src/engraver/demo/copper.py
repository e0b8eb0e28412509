"""Hammered copper as a height scan: dents of many blows, a bulge of the whole sheet, and the grain of the scan."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from engraver.core.files.write import encode
from engraver.core.numeric import noise
from engraver.core.raster import Pixels


@dataclass(frozen=True, slots=True)
class HeightScan:
    """Heights 0..1, and the dents alone."""

    heights: Pixels
    dents: Pixels

    def file(self) -> bytes:
        """A 16-bit PNG."""
        return encode(self.heights, "png", "16")


def hammered_copper(side: int = 1024, seed: int = 71) -> HeightScan:
    """Every blow leaves a round dent with a low rim; later ones flatten those before."""
    rng = np.random.Generator(np.random.PCG64(seed))
    dents = np.zeros((side, side), np.float32)
    y, x = np.mgrid[0:side, 0:side].astype(np.float32) / np.float32(side)
    for _ in range(520):
        cx, cy, radius = rng.random(), rng.random(), rng.uniform(0.028, 0.05)
        reach = int(1.5 * radius * side)
        r, c = int(cy * side), int(cx * side)
        rows, columns = slice(max(0, r - reach), r + reach), slice(max(0, c - reach), c + reach)
        away = np.hypot(x[rows, columns] - cx, y[rows, columns] - cy) / radius
        dent = -1.0 + away * away
        rim = 0.28 * np.exp(-(((away - 1.12) / 0.16) ** 2))
        spot = dents[rows, columns]
        blow = np.clip(1.15 - away, 0, 1)
        spot += (np.minimum(dent, 0) * rng.uniform(0.75, 1.0) + rim - spot) * np.minimum(1, blow * 4).astype(
            np.float32
        )
    bulge = 0.5 + 0.5 * np.cos(np.pi * (x - 0.42) * 1.3) * np.cos(np.pi * (y - 0.55) * 1.2)
    grain = noise.lattice(side, side, 0.006, seed, octaves=2) - np.float32(0.5)
    dents = ((dents - dents.min()) / np.ptp(dents)).astype(np.float32)
    heights = 0.12 + 0.5 * bulge + 0.22 * dents + 0.03 * grain
    return HeightScan(np.clip(heights, 0, 1).astype(np.float32), dents)
