"""Which scale, size and key each place of a line has for one request."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ..raster import Facts, Raster
from ..steps import kind_of
from ..steps.kind import NOTHING
from .line import Line

Autos = Mapping[str, float]
Size = tuple[int, int]


@dataclass(slots=True)
class Plan:
    """What is known before anything is computed, place by place (0 is the source).

    ``keys`` name the cached result. ``grain`` says at which steps the result comes from
    full size and is then reduced. ``draft``: a grain step runs on reduced pixels.
    """

    place: int
    scales: list[float]
    sizes: list[Size]
    keys: list[str]
    known: list[Autos | None]
    grain: list[bool]
    provisional: bool
    draft: bool


def stamped(raster: Raster, facts: Facts, scale: float) -> Raster:
    """What a raster carries comes from the declared extent, in one place for every step."""
    lattice = facts.lattice if scale >= 1 else None
    return raster.but(
        wrap=facts.wrap, zero=facts.zero, units=facts.units, lattice=lattice,
        unit=facts.unit, spacing=facts.spacing, detail=facts.detail, source_per_pixel=facts.source_per_pixel / scale,
    )  # fmt: skip


def size_at(facts: Facts, scale: float) -> Size:
    """Height and width of a raster of these facts at a scale."""
    return max(1, round(facts.height * scale)), max(1, round(facts.width * scale))


def grain_key(line: Line, place: int, size: Size) -> str:
    """Names the result of a grain step that was computed at full size, reduced to ``size``."""
    return hashlib.blake2b(f"grain {line.keys[place]} {size}".encode(), digest_size=16).hexdigest()


def scales_for(line: Line, place: int, side: int | None) -> list[float]:
    """Back from the wanted side to the scale at which the source must be read."""
    facts = line.facts
    longer = max(facts[place].width, facts[place].height)
    last = 1.0 if side is None else min(1.0, side / longer)
    scales = [1.0] * (place + 1)
    scales[place] = last
    for i in range(place - 1, -1, -1):
        scales[i] = scales[i + 1]
        if line.steps[i].on and last < 1 and kind_of(line.steps[i].kind).resamples:
            scales[i] = min(1.0, scales[i + 1] * facts[i + 1].width / facts[i].width)
    return scales


def make_plan(
    line: Line, place: int, side: int | None, *, exact: bool,
    found: Callable[[str], Autos | None], held: Callable[[str], bool],
    settled: Callable[[int], bool] = lambda i: True,
) -> Plan:  # fmt: skip
    """Plan the places up to ``place``.

    Parameters
    ----------
    side : int or None
        Pixels along the longer side of the result; None for full size.
    exact : bool
        Automatic values and grain steps from full-size pixels; else those that are known.
    found : (key) -> autos or None
        Automatic values known for a full-size key.
    held : (key) -> bool
        Whether a result is in the cache.
    settled : (step) -> bool
        Whether the plates that a step refers to have their automatic values and grain from full size.
    """
    scales = scales_for(line, place, side)
    sizes = [size_at(f, s) for f, s in zip(line.facts, scales, strict=False)]
    keys = [f"{line.keys[0]} {sizes[0]}"]
    known: list[Autos | None] = []
    grain: list[bool] = []
    provisional = draft = False
    for i in range(place):
        step, kind = line.steps[i], kind_of(line.steps[i].kind)
        values: Autos | None = NOTHING
        if step.on and kind.measure is not None and kind.measures(step.params):
            values = found(line.keys[i + 1])
            if values is None and not exact:
                provisional = True
        if step.on and not exact and not settled(i):
            provisional = True
        known.append(values)
        finer = False
        if step.on and kind.agreement == "grain":
            whole = size_at(line.facts[i + 1], 1.0)
            name = grain_key(line, i + 1, sizes[i + 1])
            finer = exact or sizes[i + 1] == whole or held(name) or held(grain_key(line, i + 1, whole))
            # What was computed at full size makes good whatever was provisional before it.
            provisional, draft = (False, False) if finer else (provisional, True)
        grain.append(finer)
        if not step.on:
            keys.append(keys[-1])
        elif finer:
            keys.append(name)
        else:
            text = f"{keys[-1]}|{line.keys[i + 1]}|{sizes[i + 1]}|{provisional}|{draft}"
            keys.append(hashlib.blake2b(text.encode(), digest_size=16).hexdigest())
    return Plan(place, scales, sizes, keys, known, grain, provisional, draft)
