"""Tone: exposure, threshold, terraces, and the tones of another plate."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import model_validator

from ..numeric import blur, monotone, threshold, tone
from ..params import CurvePoints, Params, choice, curve, fraction, integer, length, number, plate_reference
from ..raster import ZERO_LEVEL, Pixels, Raster
from .kind import StepContext, StepKind, banded, measuring_mask, toned_extent

_SHARES = 33


class Exposure(Params):
    stops: float = number(0.0, -8.0, 8.0, "Stops", "Each stop doubles or halves the height.", step=0.05, soft=(-3, 3))
    offset: float = fraction(0.0, -1.0, 1.0, "Offset", "Added after the stops.", step=0.005)
    gamma: float = number(1.0, 0.1, 10.0, "Gamma", "Above 1 lifts the middle, below 1 lowers it.", step=0.01,
                          soft=(0.2, 4.0))  # fmt: skip


def _exposure(raster: Raster, params: Exposure, context: StepContext) -> Raster:
    """About zero, so that the ground stays where it is: 2^stops h + offset, then its root, the sign kept."""
    zero = ZERO_LEVEL[raster.zero]
    gain, offset = 2.0**params.stops, params.offset * (1 - zero)

    share = 1 - zero
    ends = zero - offset / gain, gain / share

    def expose(values: Pixels, out: Pixels) -> None:
        tone.levels(values, ends, 0.0, 1 / params.gamma, (zero, 1.0), out)

    return raster.but(pixels=banded(raster.pixels, expose, context.check))


EXPOSURE = StepKind(
    id="exposure", name="Exposure", group="contrast", help="Raises or lowers all heights by stops, offset and gamma.",
    params=Exposure, apply=_exposure, extent=toned_extent, agreement="tone",
    words=("brightness", "gamma", "offset", "gain"),
)  # fmt: skip


class Threshold(Params):
    how: Literal["found", "level", "between", "local"] = choice(
        "found", {"found": "Found", "level": "At a level", "between": "Between two", "local": "For uneven paper"},
        "How",
        "Found looks for the level between ink and paper; for uneven paper every neighbourhood has its own.",
    )  # fmt: skip
    level: float = fraction(
        0.5, -1.0, 2.0, "Level", "Lighter becomes white, darker black.", soft=(0.0, 1.0),
        when={"how": ("level", "between")},
    )  # fmt: skip
    upper: float = fraction(
        0.8, -1.0, 2.0, "Up to", "Lighter than this is black again.", soft=(0.0, 1.0), when={"how": "between"}
    )
    window: float = length(0.06, 0.005, 0.5, "Window", "Side of the neighbourhood.", when={"how": "local"})
    bias: float = number(
        0.2, 0.0, 1.0, "Below the mean", "How far below its neighbourhood's mean a tone counts as ink.",
        step=0.01, when={"how": "local"},
    )  # fmt: skip
    softness: float = fraction(
        0.1, 0.0, 1.0, "Softness", "Width of the ramp in tones; it keeps the border between pixels."
    )


def _ramp(values: Pixels, level: Pixels | np.float32, softness: float, out: Pixels | None = None) -> Pixels:
    t: Pixels = np.subtract(values, level, out=out)
    if softness <= 1e-6:
        return np.greater(t, 0, out=t, casting="unsafe")
    t *= np.float32(1 / softness)
    t += np.float32(0.5)
    return np.clip(t, 0, 1, out=t)


def _threshold(raster: Raster, params: Threshold, context: StepContext) -> Raster:
    values = raster.pixels
    if params.how == "local":
        window = max(3.0, params.window * raster.shorter)
        paper = blur.spread(values, raster.coverage)
        level = threshold.sauvola(paper, window, params.bias, 0.5, raster.wrap)
        return raster.but(pixels=_ramp(values, level, params.softness))
    at = np.float32(context.autos["level"] if params.how == "found" else params.level)

    def part(band: Pixels, out: Pixels) -> None:
        _ramp(band, at, params.softness, out)
        if params.how == "between":
            out *= np.float32(1) - _ramp(band, np.float32(params.upper), params.softness)

    return raster.but(pixels=banded(values, part, context.check))


def _find_level(raster: Raster, params: Threshold, context: StepContext) -> dict[str, float]:
    return {"level": threshold.otsu(raster.pixels, measuring_mask(raster, context.outline))}


def _tell_level(params: Threshold, autos: Mapping[str, float]) -> str:
    return f"Found: level {autos['level'] * 100:.1f} %" if autos else ""


THRESHOLD = StepKind(
    id="threshold", name="Threshold", group="contrast", help="Parts light from dark; the border stays smooth.",
    params=Threshold, apply=_threshold, extent=toned_extent, agreement="grain",
    measure=_find_level, measures=lambda p: p.how == "found", tells=_tell_level,
    words=("binary", "black and white", "cut-off"),
)  # fmt: skip


class Terrace(Params):
    levels: int = integer(6, 2, 64, "Levels", "How many terraces, the lowest and highest among them.")
    riser: float = fraction(0.15, 0.0, 1.0, "Risers", "0 is a cliff between terraces, 100 % a plain slope.")


def _terrace(raster: Raster, params: Terrace, context: StepContext) -> Raster:
    steps = np.float32(params.levels - 1)
    width = np.float32(max(params.riser, 1e-6))

    from ..numeric import point_kernels

    def cut(values: Pixels, out: Pixels) -> None:
        point_kernels.terrace(values.reshape(-1), steps, width, out.reshape(-1))

    return raster.but(pixels=banded(raster.pixels, cut, context.check))


TERRACE = StepKind(
    id="terrace", name="Terrace", group="contrast", help="Cuts the relief into levels with soft or hard risers.",
    params=Terrace, apply=_terrace, extent=toned_extent, agreement="grain",
    words=("posterise", "quantise", "layers"),
)  # fmt: skip


class Match(Params):
    tones: CurvePoints = curve(
        ((0.0, 0.0), (1.0, 1.0)),
        "Tones",
        "Shares of the other plate (0..1) and the tones they reach.",
        editor="match",
    )
    plate: str = plate_reference("Tones of", "Another plate: its tones are followed as they change.", editor="match")
    amount: float = fraction(1.0, 0.0, 1.0, "Amount", "How far the tones are taken over.")

    @model_validator(mode="after")
    def _rising(self) -> Match:
        xs, ys = [x for x, _ in self.tones], [y for _, y in self.tones]
        if len(xs) < 2 or any(b <= a for a, b in pairwise(xs)):
            raise ValueError("the shares must go up")
        if any(b < a for a, b in pairwise(ys)):
            raise ValueError("the tones must not go down")
        return self


def _shares() -> NDArray[np.float64]:
    """Shares 0..1, closer at both ends, where tones are rare."""
    shares: NDArray[np.float64] = (1 - np.cos(np.linspace(0, np.pi, _SHARES))) / 2
    return shares


def distribution(raster: Raster, context: StepContext | None = None) -> CurvePoints:
    """Shares and the tones they reach: what :class:`Match` takes over from a finished plate."""
    mask = measuring_mask(raster, context.outline if context else None)
    shares = _shares()
    found = tone.percentiles(raster.pixels, tuple(shares * 100), mask)
    return tuple(
        (round(float(s), 5), round(float(v), 5)) for s, v in zip(shares, np.maximum.accumulate(found), strict=True)
    )


def _own_tones(raster: Raster, params: Match, context: StepContext) -> dict[str, float]:
    return {f"q{n}": value for n, (_, value) in enumerate(distribution(raster, context))}


def _wanted(params: Match, context: StepContext) -> CurvePoints:
    """The tones to reach: of the plate that is followed, else those taken over."""
    if not params.plate:
        return params.tones
    return distribution(context.followed(params.plate))


def _match(raster: Raster, params: Match, context: StepContext) -> Raster:
    """Histogram specification: every tone goes to the one that the same share of the other plate reaches."""
    if params.amount == 0:
        return raster
    own = np.array([context.autos[f"q{n}"] for n in range(_SHARES)])
    xs, ys = np.array(_wanted(params, context)).T
    wanted = np.interp(_shares(), xs, ys)
    kept = np.concatenate([[True], np.diff(own) > 1e-7])
    own, wanted = own[kept], wanted[kept]
    if len(own) < 2:
        return raster
    amount = np.float32(params.amount)
    # An entry more at each end: beyond them all tones come out alike.
    entry = (own[-1] - own[0]) / (monotone.TABLE - 1)
    lo, hi = float(own[0] - entry), float(own[-1] + entry)
    table = np.interp(np.linspace(lo, hi, monotone.TABLE + 2), own, wanted)

    def take(values: Pixels, out: Pixels) -> None:
        tone.apply_table(values, table, lo, hi, out)
        if amount < 1:
            out -= values
            out *= amount
            out += values

    return raster.but(pixels=banded(raster.pixels, take, context.check))


MATCH = StepKind(
    id="match", name="Match", group="contrast", help="Takes over another plate's tones: both press alike.",
    params=Match, apply=_match, extent=toned_extent, agreement="grain", measure=_own_tones,
    measures=lambda p: p.amount > 0, editor="match",
    words=("histogram", "tones"),
)  # fmt: skip
