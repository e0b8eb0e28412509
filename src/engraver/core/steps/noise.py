"""Noise: a surface from numbers alone, seeded; it tiles to the bit where that is asked."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from ..numeric import fields
from ..params import choice, flag, fraction, integer, length, number
from ..raster import Facts, Raster
from .build import Built, built_extent, finely, meet
from .kind import StepContext, StepKind, reseeded

_FREE = {"tiles": False}
# How far noise goes up and down that roughens what is there.
_ROUGH = 0.08


class Noise(Built):
    kind: Literal["smooth", "ridged", "billowed", "cells", "borders", "second", "waves"] = choice(
        "smooth",
        {"smooth": "Smooth", "ridged": "Ridged", "billowed": "Billowed", "cells": "Cells, rounded",
         "borders": "Cells, jointed", "second": "Cells, creased", "waves": "Waves"},
        "Kind", "Gradient noise and what is made of it; cells go by the distance to strewn points.",
    )  # fmt: skip
    size: float = length(0.12, 0.004, 2.0, "Size", "Size of its largest features.", soft=(0.01, 0.5))
    octaves: int = integer(4, 1, 8, "Octaves", "Layers, each half as large as the one before.")
    gain: float = fraction(0.5, 0.05, 1.0, "Gain", "How high each layer is against the one before.")
    stretch: float = number(1.0, 0.1, 10.0, "Stretch", "How many times as long as wide its features are.", step=0.1)
    turn: float = number(
        0.0, -90.0, 90.0, "Direction", "Which way it is stretched, clockwise from level.", unit="°", when=_FREE
    )
    bend: float = fraction(0.0, 0.0, 2.0, "Bend", "How far another noise moves its places, in sizes.", step=0.05)
    level: float = fraction(0.5, -1.0, 1.0, "Level", "The height about which it goes up and down.")
    height: float = fraction(0.5, 0.0, 1.0, "Height", "How far it goes up and down.")
    tiles: bool = flag(False, "Tiles", "It goes on over the plate's borders, to the bit.")
    seed: int = integer(0, 0, 9999, "Seed", "Another number, another surface of the same kind.")


def _noise(raster: Raster, params: Noise, context: StepContext) -> Raster:
    form = fields.NoiseForm(
        params.kind, params.size, params.octaves, params.gain, params.stretch, math.radians(params.turn),
        params.bend, reseeded(context.seed, params.seed),
    )  # fmt: skip
    wrap = (params.tiles, params.tiles)
    made = finely(raster, context, lambda rows, columns: fields.noise(rows, columns, form, wrap, context.check))
    np.multiply(made, np.float32(params.height), out=made)
    made += np.float32(params.level)
    return meet(raster, made, params, context)


def _noise_extent(params: Noise, facts: Facts) -> Facts:
    """What covers everything and tiles makes the plate repeat."""
    facts = built_extent(params, facts)
    alone = params.tiles and params.meets == "over" and params.amount == 1 and not params.where
    return facts.but(wrap=(True, True)) if alone else facts


def _roughness(facts: Facts) -> dict[str, object]:
    """On what is there: a little of it, up and down, that closes where the plate does."""
    return {"meets": "add", "level": 0.0, "height": _ROUGH, "tiles": any(facts.wrap)}


NOISE = StepKind(
    id="noise", name="Noise", group="build", help="A surface from numbers: smooth, ridged, cells or waves.",
    params=Noise, apply=_noise, extent=_noise_extent, agreement="scales",
    on_relief=_roughness, made_for="tiling-height", goes_on=True, from_nothing={"tiles": True},
    words=("random", "cells", "waves", "fractal", "procedural"),
)  # fmt: skip
