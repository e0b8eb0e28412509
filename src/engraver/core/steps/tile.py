"""Tile: moved round, made to repeat."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import product
from typing import Literal

import numpy as np

from ..errors import BadValue
from ..numeric import blur, resample, seam, seamless
from ..params import Params, choice, flag, fraction
from ..raster import Facts, Pixels, Raster, Wrap
from .kind import StepContext, StepKind

METHODS = ("overlap", "cut", "borders")
_WORDS = {"overlap": "a blended overlap", "cut": "a least-error cut", "borders": "matched borders"}
# A tile has at least so many pixels along an axis that is made to repeat.
_SMALLEST = 16
# How near the border, in pixels, matched borders are looked at, and how much their bending counts.
_RIM, _BENT = 3, 0.5
# How much a stretch one way counts against strips that are alike.
_STRETCH = 3.0


class WrapShift(Params):
    across: float = fraction(0.5, 0.0, 1.0, "Across", "How far it moves to the right, as a share of the width.")
    down: float = fraction(0.5, 0.0, 1.0, "Down", "How far it moves downwards, as a share of the height.")


def _moved(count: int, share: float) -> int:
    return round(count * share) % count


def _shift(raster: Raster, params: WrapShift, context: StepContext) -> Raster:
    by = _moved(raster.height, params.down), _moved(raster.width, params.across)

    def roll(values: Pixels) -> Pixels:
        return np.ascontiguousarray(np.roll(values, by, axis=(0, 1)))

    cover = None if raster.coverage is None else roll(raster.coverage)
    return raster.but(pixels=roll(raster.pixels), coverage=cover)


def _shift_extent(params: WrapShift, facts: Facts) -> Facts:
    """What was inside meets at the new border, so the picture goes on there."""
    x, y = _moved(facts.width, params.across) != 0, _moved(facts.height, params.down) != 0
    return facts.but(wrap=(facts.wrap[0] or x, facts.wrap[1] or y))


WRAP_SHIFT = StepKind(
    id="wrap-shift", name="Move round", group="tile",
    help="Moves the picture round, so that what was its border can be seen and healed.",
    params=WrapShift, apply=_shift, extent=_shift_extent, takes="any", gives="any", agreement="grain",
    words=("offset", "roll", "seam"),
)  # fmt: skip


class Seamless(Params):
    axis: Literal["both", "across", "down"] = choice(
        "both", {"both": "Both ways", "across": "Across", "down": "Down"}, "Repeats", "A strip repeats one way only."
    )
    method: Literal["auto", "overlap", "cut", "borders", "mirror"] = choice(
        "auto",
        {"auto": "Automatic", "overlap": "Overlap", "cut": "Cut", "borders": "Match the borders", "mirror": "Mirror"},
        "Method", "Automatic tries the first three and takes the one whose seam is seen least.",
    )  # fmt: skip
    width: float = fraction(
        0.12, 0.01, 0.5, "Overlap", "Share of each side that goes into the overlap.", soft=(0.02, 0.3),
        when={"method": ("auto", "overlap", "cut")},
    )  # fmt: skip
    fit: bool = flag(
        True, "Let the pattern meet", "A weave's overlap is moved to where it meets itself; the tile keeps its size.",
        when={"method": ("auto", "overlap", "cut")},
    )  # fmt: skip


def _axes(params: Seamless) -> Wrap:
    return params.axis != "down", params.axis != "across"


def _overlap(count: int, params: Seamless) -> int:
    return max(1, round(count * params.width))


def _checked(facts: Facts, params: Seamless) -> None:
    for on, count in zip(_axes(params), (facts.width, facts.height), strict=True):
        if on and count < _SMALLEST:
            raise BadValue("This is too small for a tile", f"{count} pixels", f"It needs {_SMALLEST} along each side")


def _one_way(values: Pixels, method: str, overlap: int, width: int, *, closed: bool, meets: bool) -> Pixels:
    """Repeats across with this overlap, brought to ``width``."""
    if meets:
        values = seamless.meeting(values, overlap, closed=closed)
    if method == "overlap":
        made = seamless.overlapped(values, overlap)
    else:
        made = seamless.cut(values, overlap, closed=closed)
    return resample.resize(made, made.shape[0], width, (True, closed)) if made.shape[1] != width else made


def _made(values: Pixels, method: str, params: Seamless, autos: Mapping[str, float]) -> Pixels:
    """The tile by one method; with an overlap it is smaller by it."""
    x, y = _axes(params)
    if method == "mirror":
        values = seamless.mirrored(values) if x else values
        return np.ascontiguousarray(seamless.mirrored(np.ascontiguousarray(values.T)).T) if y else values
    if method == "borders":
        return seamless.matched(values, (x, y))
    if x:
        columns = values.shape[1]
        wide = columns - _overlap(columns, params)
        values = _one_way(
            values, method, _met(columns, "across", params, autos), wide, closed=False, meets=params.fit
        )
    if y:
        turned = np.ascontiguousarray(values.T)
        rows = turned.shape[1]
        tall = rows - _overlap(rows, params)
        met = _met(rows, "down", params, autos)
        values = np.ascontiguousarray(_one_way(turned, method, met, tall, closed=x, meets=params.fit).T)
    return values


def _met(count: int, axis: str, params: Seamless, autos: Mapping[str, float]) -> int:
    """The overlap in pixels: as asked, or where the pattern was found to meet itself."""
    found = round(count * autos[axis]) if params.fit and axis in autos else _overlap(count, params)
    return max(1, min(count // 2, found))


def _kept(values: Pixels, params: Seamless) -> Pixels:
    """The part that matched borders keep where the size must be that of an overlap."""
    x, y = _axes(params)
    rows = values.shape[0] - (_overlap(values.shape[0], params) if y else 0)
    columns = values.shape[1] - (_overlap(values.shape[1], params) if x else 0)
    top, left = (values.shape[0] - rows) // 2, (values.shape[1] - columns) // 2
    return np.ascontiguousarray(values[top : top + rows, left : left + columns])


# A seam that is seen counts so much; one whose step is among the largest inside, by its rank.
_SEEN, _RANK = 4.0, 0.9


def _penalty(values: Pixels, tile: Pixels, method: str, params: Seamless, autos: Mapping[str, float]) -> float:
    """How much is seen of a tile's making: its seams, what blending did to contrast, and what now repeats."""
    total = 0.0
    for on, turn in zip(_axes(params), (False, True), strict=True):
        if not on:
            continue
        source = _kept(values, params) if method == "borders" else values
        made, before = (np.ascontiguousarray(p.T) if turn else p for p in (tile, source))
        found = seam.seam(made)
        ranks = max(0.0, found.step - _RANK) + max(0.0, found.bend - _RANK)
        total += _SEEN * max(0.0, found.over - seam.GOOD) + ranks
        overlap = _met(before.shape[1], "down" if turn else "across", params, autos)
        kept = seam.contrast_kept(made[:, :overlap], *seamless.strips(before[: made.shape[0]], overlap))
        total += abs(1 - kept)
        if (
            method == "borders"
        ):  # only a slow mismatch can be taken out unseen: what is fine near the border was bent to fit
            taken = before - made
            fine = taken - blur.gaussian(np.ascontiguousarray(taken), max(2.0, _overlap(made.shape[1], params) / 4))
            rim = np.concatenate([fine[:, :_RIM], fine[:, -_RIM:]], axis=1)
            total += _BENT * float(rim.std()) / max(float(values.std()), 1e-9)
    return total + max(0.0, seam.repeat(tile).strength - seam.repeat(values).strength)


def _meetings(values: Pixels, params: Seamless) -> dict[str, float]:
    """Where the pattern meets itself along the axes that are to repeat, as shares of the sides.

    The tile is brought back to its size: of several places those are taken that stretch it least one way.
    """
    if not params.fit:
        return {}
    offered: list[dict[int, float]] = []
    counts = values.shape[1], values.shape[0]
    for on, turn in zip(_axes(params), (False, True), strict=True):
        plane = np.ascontiguousarray(values.T) if turn else values
        asked = _overlap(plane.shape[1], params)
        offered.append(seamless.meeting_overlaps(plane, asked) if on else {asked: 0.0})

    def worth(pair: tuple[int, ...]) -> float:
        scales = [(count - o) / (count - _overlap(count, params)) for count, o in zip(counts, pair, strict=True)]
        alike = offered[0][pair[0]] + offered[1][pair[1]]
        return alike - _STRETCH * abs(float(np.log(scales[0] / scales[1])))

    best = max(product(*offered), key=worth)
    named = zip(("across", "down"), _axes(params), best, counts, strict=True)
    return {axis: o / count for axis, on, o, count in named if on}


def _choose(raster: Raster, params: Seamless, context: StepContext) -> dict[str, float]:
    _checked(raster.facts(), params)
    values = blur.spread(raster.pixels, raster.coverage)
    met = _meetings(values, params)
    if params.method != "auto":
        return met
    found = {}
    for n, method in enumerate(METHODS):
        context.check()
        tile = _made(_kept(values, params) if method == "borders" else values, method, params, met)
        found[n] = _penalty(values, tile, method, params, met)
    best = min(found, key=lambda n: found[n])
    return {"method": float(best), "penalty": found[best], **met}


def _seamless(raster: Raster, params: Seamless, context: StepContext) -> Raster:
    _checked(raster.facts(), params)
    values = blur.spread(raster.pixels, raster.coverage)
    method: str = params.method
    if method == "auto":
        method = METHODS[int(context.autos["method"])]
        values = _kept(values, params) if method == "borders" else values
    return raster.but(pixels=_made(values, method, params, context.autos), coverage=None)


def _seamless_extent(params: Seamless, facts: Facts) -> Facts:
    width, height = facts.width, facts.height
    x, y = _axes(params)
    if params.method in ("auto", "overlap", "cut"):
        width -= _overlap(width, params) if x and width >= _SMALLEST else 0
        height -= _overlap(height, params) if y and height >= _SMALLEST else 0
    wrap = (facts.wrap[0] or x, facts.wrap[1] or y)
    return facts.but(width=width, height=height, wrap=wrap, coverage=False, lattice=None)


def _tells(params: Seamless, autos: Mapping[str, float]) -> str:
    if not autos:
        return ""
    words = []
    if params.method == "auto":
        words.append(f"Took {_WORDS[METHODS[int(autos['method'])]]}: its seam is seen least.")
    if any(abs(autos[a] - params.width) > 0.004 for a in ("across", "down") if a in autos):
        words.append("The overlap was moved to where the pattern meets itself.")
    return " ".join(words)


def _looks(params: Seamless) -> bool:
    """Whether something has to be found on the plate first."""
    return params.method == "auto" or (params.fit and params.method in ("overlap", "cut"))


SEAMLESS = StepKind(
    id="seamless", name="Seamless", group="tile", help="Makes the plate repeat, both ways or as a strip.",
    params=Seamless, apply=_seamless, extent=_seamless_extent, agreement="grain",
    measure=_choose, measures=_looks, tells=_tells,
    words=("tile", "tiling", "repeat", "seam"),
)  # fmt: skip
