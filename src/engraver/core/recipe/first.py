"""The first minute: what a dropped picture is read as, and the line it starts with."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

import numpy as np

from ..numeric import resample, tone
from ..raster import Facts, Raster
from .models import ReadAs, Step

READ_AS: Mapping[ReadAs, str] = MappingProxyType(
    {"surface": "All-over surface", "relief": "Relief on dark", "plain": "As it is"}
)
RING = 0.08


def ring_share(raster: Raster) -> float:
    """Spread of tone in the outer 8 % ring, as a share of the spread inside it.

    Spread is the distance of the 10th from the 90th percentile of luma, so that a
    few specks in the ring do not count.
    """
    ratio = min(1.0, 256 / raster.shorter)
    rows, columns = max(3, round(raster.height * ratio)), max(3, round(raster.width * ratio))
    small = resample.resize(raster.pixels, rows, columns)
    grey = tone.mix(small, tone.LUMA_709) if small.ndim == 3 else small
    edge = max(1, round(RING * min(rows, columns)))
    ring = np.ones(grey.shape, bool)
    ring[edge:-edge, edge:-edge] = False
    low, high = np.percentile(grey[ring], (10, 90))
    inner = grey[~ring]
    if inner.size == 0:
        return 1.0
    low_in, high_in = np.percentile(inner, (10, 90))
    return float((high - low) / max(high_in - low_in, 1e-6))


def guess(raster: Raster) -> ReadAs:
    """What a picture most likely is.

    Relief on dark ground when the ring is nearly flat against the inside and
    darker than its middle; otherwise a surface.
    """
    if ring_share(raster) < 1 / 3:
        return "relief"
    return "surface"


def first_steps(read_as: ReadAs, facts: Facts) -> tuple[Step, ...]:
    """The line a source of this kind starts with; shares are of the plate's side."""
    if read_as == "plain":
        return (Step.make("grey"),) if facts.channels == 3 else ()
    frame = () if facts.width == facts.height else (Step.make("crop"),)
    if read_as == "surface":
        middle = (
            Step.make("even-light", light="blur", method="subtract", radius=0.125),
            Step.make("levels", low=10.0, high=99.8, toe=0.08),
            Step.make("soften", method="edge-keeping", radius=0.003),
            Step.make("falloff", margin=0.016, fade=0.22, ragged=0.3, ragged_size=0.06),
        )
    else:
        middle = (
            Step.make("even-light", light="surface", order=2, method="divide"),
            Step.make("levels", low=30.0, high=99.7, toe=0.05),
            Step.make("soften", method="gaussian", radius=0.0015),
            Step.make("falloff", margin=0.016, fade=0.15, ragged=0.3, ragged_size=0.06),
        )
    return (*frame, Step.make("grey"), *middle, Step.make("size", side=1024))
