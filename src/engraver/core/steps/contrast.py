"""Contrast: levels, curve, invert."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import model_validator

from ..numeric import monotone, tone
from ..params import CurvePoints, Params, choice, curve, fraction, number
from ..raster import ZERO_LEVEL, Pixels, Raster
from .kind import StepContext, StepKind, banded, measuring_mask, toned_extent

_AUTO, _HELD = {"find": "auto"}, {"find": "held"}


class Levels(Params):
    find: Literal["auto", "zero", "held"] = choice(
        "auto", {"auto": "Automatic", "zero": "About zero", "held": "Held"}, "Black and white",
        "Automatic measures them inside the falloff's outline; about zero leaves zero where it is; held keeps the "
        "numbers.", editor="levels",
    )  # fmt: skip
    sides: Literal["one", "each"] = choice(
        "one", {"one": "One gain", "each": "One each"}, "Up and down",
        "One gain for what raises and what cuts, or one each.", when={"find": "zero"},
    )  # fmt: skip
    low: float = number(
        10.0, 0.0, 49.0, "Dark share", "This share of the plate becomes black.", unit="%", step=0.1, when=_AUTO
    )
    high: float = number(
        99.8, 51.0, 100.0, "Light share", "Above this share the plate is white.", unit="%", step=0.1,
        when={"find": ("auto", "zero")},
    )  # fmt: skip
    black: float = fraction(0.0, -10.0, 10.0, "Black", "This tone becomes black.", when=_HELD, soft=(0.0, 1.0))
    white: float = fraction(1.0, -10.0, 10.0, "White", "This tone becomes white.", when=_HELD, soft=(0.0, 1.0))
    gamma: float = number(
        1.0, 0.1, 10.0, "Gamma", "Above 1 lifts the middle, below 1 lowers it.", step=0.01, soft=(0.2, 4.0)
    )
    toe: float = fraction(0.08, 0.0, 0.5, "Soft toe", "Rounds the cut at black, so that it leaves no edge.")
    out_black: float = fraction(0.0, 0.0, 1.0, "Output black", "Black comes out as this.", editor="levels")
    out_white: float = fraction(1.0, 0.0, 1.0, "Output white", "White comes out as this.", editor="levels")

    @model_validator(mode="after")
    def _order(self) -> Levels:
        if self.find == "held" and self.white - self.black < 1e-4:
            raise ValueError("white must lie above black")
        return self


def about_zero(values: Pixels, black: float, white: float, zero: float, gamma: float) -> Pixels:
    """Heights over and under ``zero`` spread so that black and white come to 0 and 1, and zero stays where it is."""
    away = values - np.float32(zero)
    up = np.float32(1 / max(white - zero, 1e-6))
    spread: Pixels = away * up
    if zero > 0:
        spread = np.where(away < 0, away * np.float32(1 / max(zero - black, 1e-6)), spread)
    if gamma != 1:
        spread = np.sign(spread) * tone.power(np.abs(spread), 1 / gamma)
    made: Pixels = np.where(spread < 0, spread * np.float32(zero), spread * np.float32(1 - zero)) + np.float32(zero)
    return made.astype(np.float32, copy=False)


def tone_levels(
    values: Pixels, black: float, white: float, params: Levels, zero: float = 0.0, out: Pixels | None = None
) -> Pixels:
    """The tone curve of levels, on any array; also what the editor draws.

    Values are stretched so that black is 0 and white is 1; a toe of width w joins
    0 and the straight line by a parabola between -w and w; then gamma, then the
    output range. Above white values go on rising: only screen and export clip. About
    ``zero`` neither a toe nor an output range has a place. ``out`` takes the result.
    """
    if params.find == "zero":
        return tone.into(out, about_zero(values, black, white, zero, params.gamma))
    ends = black, 1 / max(white - black, 1e-6)
    return tone.levels(values, ends, params.toe, 1 / params.gamma, (params.out_black, params.out_white), out)


def _ends(params: Levels, context: StepContext) -> tuple[float, float]:
    if params.find == "held":
        return params.black, params.white
    return context.autos["black"], context.autos["white"]


def _levels(raster: Raster, params: Levels, context: StepContext) -> Raster:
    (black, white), zero = _ends(params, context), ZERO_LEVEL[raster.zero]

    def level(values: Pixels, out: Pixels) -> None:
        tone_levels(values, black, white, params, zero, out)

    return raster.but(pixels=banded(raster.pixels, level, context.check))


def _measure(raster: Raster, params: Levels, context: StepContext) -> dict[str, float]:
    mask = measuring_mask(raster, context.outline)
    if params.find == "zero":
        return _reach(raster, params, mask)
    black, white = tone.percentiles(raster.pixels, (params.low, params.high), mask)
    return {"black": black, "white": max(white, black + 1e-3)}


def _reach(raster: Raster, params: Levels, mask: NDArray[np.uint8] | None) -> dict[str, float]:
    """How far the plate reaches over and under its zero, but for the share that is cut off."""
    zero = ZERO_LEVEL[raster.zero]
    low, high = tone.percentiles(raster.pixels, (100 - params.high, params.high), mask)
    up, down = max(high - zero, 0.0), max(zero - low, 0.0)
    if params.sides == "one" or min(up, down) < 1e-3:
        share = max(up / (1 - zero), down / zero if zero > 0 else 0.0, 1e-3)
        up, down = share * (1 - zero), share * zero
    return {"black": zero - down, "white": zero + up}


def _tells(params: Levels, autos: Mapping[str, float]) -> str:
    return "" if not autos else f"Found: black {autos['black'] * 100:.1f} %, white {autos['white'] * 100:.1f} %"


LEVELS = StepKind(
    id="levels", name="Levels", group="contrast", help="Sets which tone is lowest, which is highest, and the middle.",
    params=Levels, apply=_levels, measure=_measure, measures=lambda p: p.find != "held", tells=_tells,
    extent=toned_extent, agreement="tone", editor="levels",
    words=("contrast", "black point", "white point", "range"),
)  # fmt: skip


class Curve(Params):
    points: CurvePoints = curve(
        ((0.0, 0.0), (1.0, 1.0)), "Curve", "Tone in to tone out, through points; it never overshoots."
    )
    joined: Literal["smooth", "straight"] = choice(
        "smooth", {"smooth": "Smooth", "straight": "Straight pieces"}, "Joined", "How the points are joined."
    )

    @model_validator(mode="after")
    def _rising(self) -> Curve:
        check_points(self.points)
        return self


def check_points(points: CurvePoints) -> None:
    """Raise ValueError unless there are 2 to 32 points with rising x in 0..1 and y in 0..1."""
    if not 2 <= len(points) <= 32:
        raise ValueError("a curve needs 2 to 32 points")
    xs = [x for x, _ in points]
    if any(b - a < 1e-4 for a, b in pairwise(xs)):
        raise ValueError("the points of a curve must go from left to right")
    if any(not 0 <= v <= 1 for point in points for v in point):
        raise ValueError("the points of a curve lie between 0 and 1")


def _curve(raster: Raster, params: Curve, context: StepContext) -> Raster:
    values = monotone.table(params.points, straight=params.joined == "straight")
    return raster.but(
        pixels=banded(raster.pixels, lambda v, out: tone.apply_table(v, values, out=out), context.check)
    )


CURVE = StepKind(
    id="curve", name="Curve", group="contrast", help="Bends the tones by a smooth curve through your points.",
    params=Curve, apply=_curve, extent=toned_extent, agreement="tone", editor="curve",
    words=("curves", "tone", "contrast"),
)  # fmt: skip


class Invert(Params):
    pass


def _invert(raster: Raster, params: Invert, context: StepContext) -> Raster:
    return raster.but(pixels=banded(raster.pixels, lambda v, out: np.subtract(1, v, out=out), context.check))


INVERT = StepKind(
    id="invert", name="Invert", group="contrast", help="Light becomes dark and dark becomes light.",
    params=Invert, apply=_invert, extent=lambda params, facts: facts, agreement="tone",
    words=("negative", "reverse"),
)  # fmt: skip
