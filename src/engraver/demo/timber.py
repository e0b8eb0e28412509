"""A plank of the quay's ship timber, photographed where it lies: long grain, a few knots, caulked edges."""

from __future__ import annotations

import cv2
import numpy as np

from engraver.core.numeric import blur, noise
from engraver.core.raster import Pixels

from .photos import Photo, daylight, developed


def plank(height: int, width: int, seed: int = 83) -> Pixels:
    """Heights 0..1 of a weathered plank: hard rings stand up, the soft wood between them is worn away."""
    rng = np.random.Generator(np.random.PCG64(seed))
    y, x = np.mgrid[0:height, 0:width].astype(np.float32) / np.float32(height)
    bow = noise.lattice(height, width, 1.4, seed, octaves=2) - np.float32(0.5)
    rings = y * 20 + bow * 3.2
    ways = np.zeros_like(rings)
    knots = np.zeros_like(rings)
    for n in range(round(width / height * 1.6)):
        kx = (n + rng.uniform(0.25, 0.75)) / (width / height * 1.6) * width / height
        ky, size = rng.uniform(0.2, 0.8), rng.uniform(0.05, 0.085)
        dx, dy = (x - kx) / np.float32(size * 2.1), (y - ky) / np.float32(size)
        away = np.sqrt(dx * dx + dy * dy)
        ways += (2.6 * dy / np.sqrt(dy * dy + 0.5) * np.exp(-away * 0.8)).astype(np.float32)
        knots = np.maximum(knots, np.clip(1.1 - away, 0, 1) * (0.75 + 0.25 * np.cos(away * 14)))
    phase = rings + ways
    along = phase - np.floor(phase)
    hard = np.clip(1 - np.abs(along - np.float32(0.78)) / np.float32(0.2), 0, 1) ** 0.7
    fibre = noise.lattice(height, max(2, width // 14), 0.012, seed + 1, octaves=2)
    streak = cv2.resize(fibre, (width, height), interpolation=cv2.INTER_CUBIC)
    body = 0.42 + 0.3 * hard + 0.22 * (streak - 0.5)
    body = np.maximum(body, 0.35 + 0.6 * knots)
    edge = np.clip(np.minimum(y, 1 - y) / np.float32(0.05), 0, 1)
    return blur.gaussian(np.clip(body * (edge * (2 - edge)), 0, 1).astype(np.float32), height / 700)


def timber_plank(height: int = 700, width: int = 2000) -> Photo:
    """The plank in daylight, a little darker at one end."""
    heights = plank(height, width)
    slope = np.gradient(heights, axis=0) * np.float32(height / 80)
    tone = (0.2 + 0.5 * heights - 0.05 * np.clip(slope, -1, 1)).astype(np.float32)
    light = daylight(height, width, 0.8, 0.14)
    return Photo("timber_plank.jpg", developed(tone * light, (1.05, 0.97, 0.86), 43, 0.008), heights, light,
                 (0, 0, width, height))  # fmt: skip
