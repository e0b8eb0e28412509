"""Noise made from numbers alone: gradient noise, cells, ridges, waves; the same at every scale of a plate."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..raster import Pixels, Wrap
from .split_rows import split_rows

NoiseKind = Literal["smooth", "ridged", "billowed", "cells", "borders", "second", "waves"]
_FORMS = {"smooth": 0, "billowed": 1, "ridged": 2}
_DISTANCES = {"cells": 0, "second": 1, "borders": 2}
# Where nothing is periodic, noise comes back after so many of its cells.
PERIOD = 256
# Octaves of waves run in directions that differ by the golden angle.
_GOLDEN = math.pi * (3 - math.sqrt(5))


@dataclass(frozen=True, slots=True)
class NoiseForm:
    """What a noise is like.

    ``size`` is that of its largest features as a share of the shorter side; each of ``octaves`` has
    half the size of the one before and ``gain`` of its height. Features are ``stretch`` times as long
    along ``turn`` (radians, clockwise) as across. ``bend`` moves places by a second noise, in sizes.
    """

    kind: NoiseKind
    size: float
    octaves: int = 1
    gain: float = 0.5
    stretch: float = 1.0
    turn: float = 0.0
    bend: float = 0.0
    seed: int = 0


def noise(height: int, width: int, form: NoiseForm, wrap: Wrap = (False, False), check: Watch = unwatched) -> Pixels:
    """Noise about 0, mostly within -1..1, (H, W).

    *Smooth* is gradient noise (K. Perlin, "Improving Noise", SIGGRAPH 2002: gradients joined by the
    quintic 6t^5 - 15t^4 + 10t^3; here the gradients are unit vectors in any direction). *Ridged* and
    *billowed* take its size (F. K. Musgrave, in "Texturing and Modeling", 1994). *Cells*, *second* and
    *borders* go by the distances to the first and second nearest of points strewn one to a square
    (S. Worley, "A Cellular Texture Basis Function", SIGGRAPH 1996), and by their difference. *Waves*
    are sines.

    Parameters
    ----------
    height, width : int
    form : NoiseForm
    wrap : (bool, bool)
        Along which axes it goes on over the border, exactly: a whole number of features then fits,
        and none can be turned.

    Raises
    ------
    Cancelled
        When nobody waits any more.
    """
    out: Pixels = np.zeros((height, width), np.float32)
    bend = np.zeros((2, 1, 1), np.float32)
    if form.bend > 0:
        other = replace(form, kind="smooth", octaves=2, gain=0.5, bend=0.0)
        seeds = (form.seed + 7919, form.seed + 2 * 7919)
        bend = np.stack([noise(height, width, replace(other, seed=seed), wrap) for seed in seeds])
    total = sum(form.gain**n for n in range(form.octaves))
    for octave in range(form.octaves):
        check()
        _add(out, form, octave, wrap, bend, np.float32(form.gain**octave / total))
    return out


def _add(out: Pixels, form: NoiseForm, octave: int, wrap: Wrap, bend: Pixels, gain: np.float32) -> None:
    from . import field_kernels as kernels

    height, width = out.shape
    plane, counts = _plane(height, width, form, octave, wrap)
    rng = np.random.Generator(np.random.PCG64([form.seed & 0xFFFFFFFF, octave]))
    by = np.float32(form.bend * 2**octave) if form.bend > 0 else np.float32(0)
    # Numbers are drawn for all cells of the period, so that a wider picture keeps its left part.
    drawn = rng.random((2, PERIOD, PERIOD), dtype=np.float32)[:, : counts[0], : counts[1]]
    if form.kind in _FORMS:
        angle = 2 * np.pi * drawn[0]
        slopes = np.stack([np.cos(angle), np.sin(angle)]).astype(np.float32)
        what = _FORMS[form.kind]
        if by == 0 and plane[1] == 0 == plane[3]:
            split_rows(lambda a, b: kernels.gradient_straight(a, b, plane, slopes, what, gain, out), height)
            return
        split_rows(lambda a, b: kernels.gradient(a, b, plane, bend, by, slopes, what, gain, out), height)
    elif form.kind in _DISTANCES:
        points, which = np.ascontiguousarray(drawn), _DISTANCES[form.kind]
        split_rows(lambda a, b: kernels.cells(a, b, plane, bend, by, points, which, gain, out), height)
    else:
        phase = np.float32(rng.random())
        split_rows(lambda a, b: kernels.waves(a, b, plane, bend, by, phase, gain, out), height)


def _plane(
    height: int, width: int, form: NoiseForm, octave: int, wrap: Wrap
) -> tuple[NDArray[np.float32], tuple[int, int]]:
    """From pixels to cells of an octave, and how many cells there are down and across before they come back."""
    short = min(height, width)
    across = 2.0**octave / (form.size * form.stretch * short)
    down = 2.0**octave / (form.size * short)
    if form.kind == "waves":
        across, down = down, across
    if any(wrap):
        nx, ny = across * width, down * height
        if wrap[0]:
            nx = float(min(PERIOD, max(1, round(nx))))
        if wrap[1]:
            ny = float(min(PERIOD, max(1, round(ny))))
        # Waves that may not turn run along and across by turns.
        slant = ny / height if form.kind == "waves" and octave % 2 else 0.0
        plane = np.array([nx / width, slant, 0, 0, ny / height, 0], np.float32)
        counts = int(ny) if wrap[1] else PERIOD, int(nx) if wrap[0] else PERIOD
        return plane, counts
    turn = form.turn + (_GOLDEN * octave if form.kind == "waves" else 0.0)
    c, s = math.cos(turn), math.sin(turn)
    return np.array([c * across, s * across, 0, -s * down, c * down, 0], np.float32), (PERIOD, PERIOD)
