"""Pieces for a cabinet, for tests."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from conftest import png_bytes
from engraver.core.cabinet import Cabinet, Entry
from engraver.core.cabinet.to_keep import of_file


def tones(seed: int, side: int = 48) -> np.ndarray:
    """A picture of its own for each seed: a figure with so many points, under a soft falloff."""
    y, x = np.mgrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]
    r, a = np.hypot(x, y), np.arctan2(y, x)
    rng = np.random.default_rng(seed)
    high = sum(rng.normal() * np.cos(n * a + rng.uniform(0, 6)) * np.cos(3 * n * r) for n in range(1, 7))
    return ((high - high.min()) / np.ptp(high) * np.clip(1.2 - 1.25 * r, 0, 1)).astype(np.float32)


def png(seed: int, side: int = 48) -> bytes:
    return png_bytes(np.round(tones(seed, side) * 65535).astype(np.uint16))


def put(cabinet: Cabinet, name: str, seed: int = 0, **more: object) -> Entry:
    made = of_file(png(seed), f"{name}.png")
    return cabinet.keep(replace(made, entry=made.entry.model_copy(update={"origin": name, **more})))
