"""Marks as rows of place, radius, turn and strength, and how they meet what lies below."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..numeric import resample
from ..numeric.meeting import MEETS, Meets
from ..numeric.split_rows import split_rows
from ..raster import Pixels

# How a mark meets what lies there: the greater one stands, the one farther from zero stands, or it
# leaves a share of what is still bare.
Meeting = Literal["greater", "farther", "covers"]
# How copies meet each other: as all that is built, or the one farther from the surface stands.
Overlap = Literal[Meets, "outer"]
OVERLAPS: Mapping[str, str] = MappingProxyType({"outer": "Higher or deeper wins", **MEETS})
_WAYS = {name: n for n, name in enumerate((*MEETS, "outer", "greater", "farther", "covers"))}
# A tip is kept at sizes a quarter of an octave apart: a mark is averaged, not sampled.
_STEP = 2**0.25
_LEAST = 2
_NONE = np.zeros(0, np.float32)
# Marks that are laid before it is asked whether anybody still waits.
_AT_ONCE = 256
# Rows of x, y, radius (below 0 for one that is turned over), cosine and sine of the turn, strength.
Rows = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Mark:
    """One mark: its middle in pixels (centres at .5), half the side of its square in pixels, its turn
    clockwise in degrees, whether it is turned over, and how strong it is."""

    x: float
    y: float
    radius: float
    turn: float = 0.0
    flip: bool = False
    strength: float = 1.0


def rows_of(marks: Iterable[Mark]) -> Rows:
    """Marks as rows for the compiled loop."""
    found = [
        (m.x, m.y, -m.radius if m.flip else m.radius, math.cos(math.radians(m.turn)), math.sin(math.radians(m.turn)),
         m.strength) for m in marks
    ]  # fmt: skip
    return np.array(found, np.float64).reshape(-1, 6)


def along(path: NDArray[np.float64], step: float) -> NDArray[np.float64]:
    """Rows of ``path`` (n, 2 or more) at even ways along it, about ``step`` apart; its ends among them."""
    legs = np.hypot(*np.diff(path[:, :2], axis=0).T) if len(path) > 1 else np.zeros(0)
    total = float(legs.sum())
    count = int(total / max(step, 0.5) + 1e-6)  # a way that is a whole number of steps long has all of them
    if count < 1:
        return path[:1]
    way, at = np.concatenate([[0.0], np.cumsum(legs)]), np.linspace(0, total, count + 1)
    return np.column_stack([np.interp(at, way, path[:, k]) for k in range(path.shape[1])])


@dataclass(frozen=True, slots=True)
class TipSizes:
    """A tip at the sizes that some marks need, one after the other, each in a ring of zeros."""

    tall: Pixels
    wide: Pixels
    starts: NDArray[np.int64]
    sides: NDArray[np.int64]
    which: NDArray[np.int64]


def _level(side: int, radius: NDArray[np.float64]) -> NDArray[np.int64]:
    """How often a tip is made a step smaller for marks of these radii."""
    wanted = np.clip(2 * radius, _LEAST, side)
    return np.maximum(np.floor(np.log(side / wanted) / math.log(_STEP) + 1e-9), 0).astype(np.int64)


def _ringed(tip: Pixels, side: int) -> Pixels:
    """A tip at a size, in a ring of zeros, row after row."""
    less = resample.joined_area(tip, side, side) if side < tip.shape[0] else tip
    ringed: Pixels = np.pad(less, 1).astype(np.float32, copy=False).ravel()
    return ringed


def sizes_for(
    tip: Pixels, cover: Pixels | None, radius: NDArray[np.float64],
    made: dict[int, tuple[Pixels, ...]] | None = None, joined: list[Any] | None = None,
) -> TipSizes:  # fmt: skip
    """A tip reduced by area, for each mark to the least size that has as many pixels as the mark has.

    Parameters
    ----------
    radius : float64 (m,)
        Half the side of each mark, in pixels or in points of a surface.
    made : dict, optional
        Sizes of this tip that have been made; filled with those that are needed.
    joined : list, optional
        Those of them that were joined last, to be used again where they are enough.
    """
    side = tip.shape[0]
    known, which = np.unique(_level(side, radius), return_inverse=True)
    made = {} if made is None else made
    for n in known.tolist():
        if n not in made:
            less = max(_LEAST, math.ceil(side / _STEP**n)) if n else side
            made[n] = tuple(_ringed(p, less) for p in (tip, cover) if p is not None)
    wanted = tuple(known.tolist())
    if joined is not None and joined and set(wanted) <= set(joined[0][0]):
        have, flat, starts, real = joined[0]
        which = np.searchsorted(np.array(have), known)[which]
    else:
        have = wanted if joined is None or not joined else tuple(sorted({*wanted, *joined[0][0]}))
        parts = [[made[n][k] for n in have] for k in range(1 if cover is None else 2)]
        real = np.array([math.isqrt(p.size) - 2 for p in parts[0]], np.int64)
        starts = np.concatenate([[0], np.cumsum((real + 2) ** 2)[:-1]]).astype(np.int64)
        flat = tuple(one[0] if len(one) == 1 else np.concatenate(one) for one in parts)
        which = np.searchsorted(np.array(have), known)[which]
        if joined is not None:
            joined[:] = [(have, flat, starts, real)]
    return TipSizes(flat[0], flat[1] if cover is not None else _NONE, starts, real, which.astype(np.int64))


def press(
    tip: Pixels, cover: Pixels | None, rows: Rows, out: Pixels, built_on: Pixels | None,
    meets: Overlap | Meeting, check: Watch = unwatched,
) -> None:  # fmt: skip
    """Lay marks one after the other, in place.

    Parameters
    ----------
    tip : float32 (n, n)
        Heights of the mark over its square, times ``cover`` where that is given.
    cover : float32 (n, n), optional
        How much of the square is there, 0..1.
    rows : float64 (m, 6)
        As :func:`rows_of` gives them, in pixels of ``out``.
    out : float32 (H, W)
        Heights; with "covers" how bare it still is, 1 for untouched.
    built_on : float32 (H, W), optional
        How much of each pixel is built on, 0..1; for the ways of :mod:`.meeting`.
    """
    from . import kernels

    if not len(rows):
        return
    sizes = sizes_for(tip, cover, np.abs(rows[:, 2]))
    there = built_on if built_on is not None else np.zeros((1, 1), np.float32)
    for first in range(0, len(rows), _AT_ONCE):
        check()
        part = slice(first, first + _AT_ONCE)
        marks, which = np.ascontiguousarray(rows[part]), sizes.which[part]

        def band(a: int, b: int, marks: Rows = marks, which: NDArray[np.int64] = which) -> None:
            kernels.press(
                sizes.tall, sizes.wide, sizes.starts, sizes.sides, marks, which, _WAYS[meets], out, there, a, b
            )

        few = float(np.sum(marks[:, 2] ** 2)) < 30_000
        split_rows(band, out.shape[0], out.shape[0] if few else None)


def lay(tip: Pixels, marks: Iterable[Mark], out: Pixels, meeting: Meeting, check: Watch = unwatched) -> None:
    """Lay marks one after the other on heights, in place; see :func:`press`."""
    press(tip, None, rows_of(marks), out, None, meeting, check)
