"""Sections of bevels: height 0..1 by the way 0..1 from the ground, one curve each. Elementary geometry."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Literal

import numpy as np

from ..raster import Pixels
from .tone import smoothstep

Section = Literal["straight", "round", "cove", "ogee", "step"]
NAMES: Mapping[str, str] = MappingProxyType({
    "straight": "Straight", "round": "Round", "cove": "Cove", "ogee": "Ogee", "step": "Two steps",
})  # fmt: skip
# A step rises over this share of the way.
_CLIFF = 0.06


def rounded(t: Pixels) -> Pixels:
    """A quarter circle that stands up from 0 and is level at 1; any shape, 0..1."""
    out: Pixels = np.sqrt(np.maximum(t * (np.float32(2) - t), 0))
    return out


def _cove(t: Pixels) -> Pixels:
    out: Pixels = np.float32(1) - np.sqrt(np.maximum(np.float32(1) - t * t, 0))
    return out


def _steps(t: Pixels) -> Pixels:
    rise = np.float32(1 / _CLIFF)
    out: Pixels = (np.clip(t * rise, 0, 1) + np.clip((t - np.float32(0.5)) * rise, 0, 1)) / np.float32(2)
    return out


# A ramp, a quarter circle out or in, an S (3t^2 - 2t^3), two steps.
SECTIONS: Mapping[str, Callable[[Pixels], Pixels]] = MappingProxyType({
    "straight": lambda t: t, "round": rounded, "cove": _cove, "ogee": smoothstep, "step": _steps,
})  # fmt: skip
