"""Blurs against SciPy's, and against what a Gaussian does to a ramp and to a paraboloid."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from scipy import ndimage

from engraver.core.numeric import blur, wide
from truth.fact import Fact
from truth.pictures import grey

# Second differences are taken over so many pixels: float32 carries no finer ones of slow curves.
STRIDE = 8


def facts(quick: bool) -> Iterator[Fact]:
    side, sigmas = (640, (12, 40, 97)) if quick else (2048, (1, 2, 4, 8, 16, 25, 32, 48, 64, 97, 128, 200, 256))
    photo = ndimage.zoom(grey("gravel"), side / 512, order=1)[:side, :side].astype(np.float32)
    disc = (np.hypot(*np.ogrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]) < 0.6).astype(np.float32)
    for name, picture in (("a photo of gravel", photo), ("a hard disc", disc)):
        for sigma in sigmas:
            theirs = ndimage.gaussian_filter(picture, sigma, mode="reflect", truncate=4)
            off = float(np.abs(blur.gaussian(picture, sigma) - theirs).max())
            yield Fact(
                "a Gaussian blur", f"{name}, sigma {sigma} at {side}²", "scipy.ndimage.gaussian_filter", off, 2e-4
            )
    yield from _smooth(side, sigmas)


def _smooth(side: int, sigmas: tuple[int, ...]) -> Iterator[Fact]:
    """A Gaussian leaves a ramp as it is and lifts a paraboloid evenly: no lattice may stand on either."""
    x = (np.arange(side, dtype=np.float64) + 0.5) / side
    ramp = np.broadcast_to(x, (side, side)).astype(np.float32)
    bowl = ((x[:, None] ** 2 + x[None] ** 2) / 2).astype(np.float32)
    for sigma in (s for s in sigmas if s * 10 < side):
        free = int(4 * sigma) + STRIDE + 1
        rise = _second(blur.gaussian(ramp, sigma), free)
        yield Fact(
            "a blurred ramp: second difference over its step", f"sigma {sigma}", "0", rise[0] / (STRIDE / side), 0.01
        )
        true = (STRIDE / side) ** 2
        low, high = _second(blur.gaussian(bowl, sigma), free, signed=True)
        off = max(abs(low - true), abs(high - true)) / true
        yield Fact("a blurred paraboloid: its second difference", f"sigma {sigma}", "the paraboloid's own", off, 0.01)
    small = np.broadcast_to((np.arange(64, dtype=np.float32) + 0.5) / 64, (64, 64)).copy()
    big = wide.enlarged(small, side, side, (False, False))
    yield Fact(
        "an enlarged ramp: second difference over its step",
        f"64 to {side}",
        "0",
        _second(big, side // 6)[0] / (STRIDE / side),
        0.01,
    )


def _second(values: np.ndarray, free: int, *, signed: bool = False) -> tuple[float, float]:
    # A lattice stands in every row alike; what rounding to float32 leaves does not, and is averaged out.
    inner = values[free:-free, free:-free].mean(axis=0, dtype=np.float64)
    second = inner[2 * STRIDE :] - 2 * inner[STRIDE:-STRIDE] + inner[: -2 * STRIDE]
    if signed:
        return float(second.min()), float(second.max())
    return float(np.abs(second).max()), 0.0
