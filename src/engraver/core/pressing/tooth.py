"""Tooth: tiling textures that break up a mark, as paper breaks up chalk. Six ship, made from formulas."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache
from types import MappingProxyType

import numpy as np

from ..numeric import blur
from ..numeric.fields import NoiseForm, noise
from ..numeric.noise import lattice
from ..raster import Pixels

SIDE = 256
TEETH: Mapping[str, str] = MappingProxyType({
    "weave": "Weave", "grit": "Grit", "pores": "Pores", "fibres": "Fibres", "ripples": "Ripples", "dapple": "Dapple",
})  # fmt: skip
_WRAP = (True, True)


def _spread(values: Pixels) -> Pixels:
    """Ranks in place of values: as much of the tooth lies below any tone as that tone says, 0..1."""
    order = np.argsort(values.ravel(), kind="stable")
    ranks = np.empty(values.size, np.float32)
    ranks[order] = (np.arange(values.size, dtype=np.float32) + 0.5) / values.size
    return ranks.reshape(values.shape)


def _weave() -> Pixels:
    at = (np.arange(SIDE) + 0.5) / SIDE * 16 * np.pi
    across, down = np.sin(at)[None, :], np.sin(at)[:, None]
    over = np.sin(at / 2)[None, :] * np.sin(at / 2)[:, None] > 0
    woven: Pixels = np.where(over, np.abs(across), np.abs(down)).astype(np.float32)
    return woven


@lru_cache(maxsize=len(TEETH))
def tooth(id: str) -> Pixels:
    """A tooth that ships, float32 (SIDE, SIDE) in 0..1, every tone as frequent as any other; it tiles both ways.

    Raises KeyError for an unknown id.
    """
    makers: dict[str, Callable[[], Pixels]] = {
        "weave": lambda: _weave() + 0.25 * lattice(SIDE, SIDE, 0.03, 5, 2, _WRAP),
        "grit": lambda: lattice(SIDE, SIDE, 0.02, 11, 3, _WRAP),
        "pores": lambda: noise(SIDE, SIDE, NoiseForm("cells", 0.08, octaves=2), _WRAP),
        "fibres": lambda: noise(SIDE, SIDE, NoiseForm("ridged", 0.05, octaves=3, stretch=6.0), _WRAP),
        "ripples": lambda: noise(SIDE, SIDE, NoiseForm("waves", 0.12, octaves=2, bend=0.6), _WRAP),
        "dapple": lambda: blur.gaussian(lattice(SIDE, SIDE, 0.12, 23, 4, _WRAP), 1.0, wrap=_WRAP),
    }  # fmt: skip
    return _spread(np.ascontiguousarray(makers[id](), np.float32))
