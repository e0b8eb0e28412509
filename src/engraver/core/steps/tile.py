"""Tile: moved round, its border cleared, made to repeat."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import numpy as np

from ..errors import BadValue
from ..numeric import blur, seamless
from ..params import Params, choice, fraction, integer, length
from ..raster import Facts, Pixels, Raster, Wrap
from .kind import StepContext, StepKind

METHODS = ("overlap", "cut", "borders")
_WORDS = {"overlap": "a blended overlap", "cut": "a least-error cut", "borders": "matched borders"}
# A tile has at least so many pixels along an axis that is made to repeat.
_SMALLEST = 16


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
)  # fmt: skip


class ClearBorder(Params):
    rings: int = integer(1, 1, 64, "Rings", "So many outermost rings of pixels are exactly zero.", unit="px")
    soft: float = length(
        0.01, 0.0, 0.25, "Soft", "How far in the plate comes back to its full height.", soft=(0.0, 0.1)
    )


def _clear(raster: Raster, params: ClearBorder, context: StepContext) -> Raster:
    rows, columns = (_rise(n, full, params, context) for n, full in (
        (raster.height, context.facts.height), (raster.width, context.facts.width)))  # fmt: skip
    cover = np.minimum(rows[:, None], columns[None])
    return raster.but(coverage=cover if raster.coverage is None else cover * raster.coverage)


def _rise(count: int, full: int, params: ClearBorder, context: StepContext) -> Pixels:
    """0 on the rings, then a smooth rise, by full-size pixels from the border; a preview takes their mean."""
    parts = max(1, -(-full // count))
    here = (np.arange(count * parts) + 0.5) * full / (count * parts) - 0.5
    away = np.minimum(here, full - 1 - here) - (params.rings - 1)
    wide = max(1.0, params.soft * min(context.facts.width, context.facts.height))
    t = np.clip(away / wide, 0, 1)
    risen: Pixels = (t * t * (3 - 2 * t)).reshape(count, parts).mean(axis=1).astype(np.float32)
    return risen


def _clear_extent(params: ClearBorder, facts: Facts) -> Facts:
    return facts.but(coverage=True, lattice=None, wrap=(False, False))


CLEAR_BORDER = StepKind(
    id="clear-border", name="Clear border", group="edge", help="Sets the outermost rings exactly to zero.",
    params=ClearBorder, apply=_clear, extent=_clear_extent, agreement="tone",
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


def _axes(params: Seamless) -> Wrap:
    return params.axis != "down", params.axis != "across"


def _overlap(count: int, params: Seamless) -> int:
    return max(1, round(count * params.width))


def _checked(facts: Facts, params: Seamless) -> None:
    for on, count in zip(_axes(params), (facts.width, facts.height), strict=True):
        if on and count < _SMALLEST:
            raise BadValue("This is too small for a tile", f"{count} pixels", f"It needs {_SMALLEST} along each side")


def _one_way(values: Pixels, method: str, overlap: int, *, closed: bool) -> Pixels:
    if method == "overlap":
        return seamless.overlapped(values, overlap)
    return seamless.cut(values, overlap, closed=closed)


def _made(values: Pixels, method: str, params: Seamless) -> Pixels:
    """The tile by one method; with an overlap it is smaller by it."""
    x, y = _axes(params)
    if method == "mirror":
        values = seamless.mirrored(values) if x else values
        return np.ascontiguousarray(seamless.mirrored(np.ascontiguousarray(values.T)).T) if y else values
    if method == "borders":
        return seamless.matched(values, (x, y))
    if x:
        values = _one_way(values, method, _overlap(values.shape[1], params), closed=False)
    if y:
        turned = np.ascontiguousarray(values.T)
        values = np.ascontiguousarray(_one_way(turned, method, _overlap(turned.shape[1], params), closed=x).T)
    return values


def _kept(values: Pixels, params: Seamless) -> Pixels:
    """The part that matched borders keep where the size must be that of an overlap."""
    x, y = _axes(params)
    rows = values.shape[0] - (_overlap(values.shape[0], params) if y else 0)
    columns = values.shape[1] - (_overlap(values.shape[1], params) if x else 0)
    top, left = (values.shape[0] - rows) // 2, (values.shape[1] - columns) // 2
    return np.ascontiguousarray(values[top : top + rows, left : left + columns])


def _penalty(values: Pixels, tile: Pixels, method: str, params: Seamless) -> float:
    """Ranks of step and bend beyond what is usual, and the contrast that a blend lost or gained."""
    total = 0.0
    for on, turn in zip(_axes(params), (False, True), strict=True):
        if not on:
            continue
        made, before = (np.ascontiguousarray(p.T) if turn else p for p in (tile, values))
        found = seamless.seam(made)
        total += max(0.0, found.step - 0.9) * 4 + max(0.0, found.bend - 0.95) * 4
        if method != "borders":
            overlap = _overlap(before.shape[1], params)
            kept = seamless.contrast_kept(made[:, :overlap], *seamless.strips(before[: made.shape[0]], overlap))
            total += abs(1 - kept)
        else:  # what was taken out bends the inside
            moved = before[: made.shape[0], : made.shape[1]]
            total += 0.5 * abs(1 - float(made.std()) / max(float(moved.std()), 1e-9))
    return total


def _choose(raster: Raster, params: Seamless, context: StepContext) -> dict[str, float]:
    _checked(raster.facts(), params)
    values = blur.spread(raster.pixels, raster.coverage)
    found = {}
    for n, method in enumerate(METHODS):
        context.check()
        tile = _made(_kept(values, params) if method == "borders" else values, method, params)
        found[n] = _penalty(values, tile, method, params)
    best = min(found, key=lambda n: found[n])
    return {"method": float(best), "penalty": found[best]}


def _seamless(raster: Raster, params: Seamless, context: StepContext) -> Raster:
    _checked(raster.facts(), params)
    values = blur.spread(raster.pixels, raster.coverage)
    method: str = params.method
    if method == "auto":
        method = METHODS[int(context.autos["method"])]
        values = _kept(values, params) if method == "borders" else values
    return raster.but(pixels=_made(values, method, params), coverage=None)


def _seamless_extent(params: Seamless, facts: Facts) -> Facts:
    width, height = facts.width, facts.height
    x, y = _axes(params)
    if params.method in ("auto", "overlap", "cut"):
        width -= _overlap(width, params) if x and width >= _SMALLEST else 0
        height -= _overlap(height, params) if y and height >= _SMALLEST else 0
    wrap = (facts.wrap[0] or x, facts.wrap[1] or y)
    return facts.but(width=width, height=height, wrap=wrap, coverage=False, lattice=None)


def _tells(params: Seamless, autos: Mapping[str, float]) -> str:
    if params.method != "auto" or not autos:
        return ""
    return f"Took {_WORDS[METHODS[int(autos['method'])]]}: its seam is seen least."


SEAMLESS = StepKind(
    id="seamless", name="Seamless", group="tile", help="Makes the plate repeat, both ways or as a strip.",
    params=Seamless, apply=_seamless, extent=_seamless_extent, agreement="grain",
    measure=_choose, measures=lambda p: p.method == "auto", tells=_tells,
)  # fmt: skip
