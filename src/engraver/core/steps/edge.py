"""Edge: how the plate meets the surface around it, and which grey is zero."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import model_validator

from ..numeric import monotone, noise, resample, shapes, tone
from ..params import Params, choice, curve, flag, fraction, length
from ..params.fields import CurvePoints
from ..raster import Facts, Pixels, Raster
from .contrast import check_points
from .kind import Outline, StepContext, StepKind

Profile = Literal["straight", "smooth", "round", "sharp", "free"]


class Falloff(Params):
    profile: Profile = choice(
        "smooth",
        {"straight": "Straight", "smooth": "Smooth", "round": "Round", "sharp": "Sharp", "free": "Free"},
        "Profile", "The form of the fade from the border to the inside.", editor="falloff",
    )  # fmt: skip
    points: CurvePoints = curve(
        ((0.0, 0.0), (0.35, 0.15), (0.7, 0.8), (1.0, 1.0)), "Free profile", "From the border (left) to the inside.",
        when={"profile": "free"}, editor="falloff",
    )  # fmt: skip
    outline: Literal["circle", "square", "rounded"] = choice(
        "circle", {"circle": "Circle", "square": "Square", "rounded": "Rounded square"}, "Outline",
        "The form the plate fades out to.",
    )  # fmt: skip
    corner: float = fraction(0.35, 0.0, 1.0, "Corner", "How round the corners are.", when={"outline": "rounded"})
    margin: float = length(
        0.016, 0.0, 0.45, "Margin", "Free ground between the outline and the border.", soft=(0.0, 0.2)
    )
    fade: float = length(0.22, 0.0, 0.5, "Fade", "How wide the fade is.")
    ragged: float = fraction(0.3, 0.0, 1.0, "Ragged", "How far the outline wanders inwards, as a share of the fade.")
    ragged_size: float = length(
        0.06, 0.01, 0.5, "Ragged size", "Size of the bays along the outline.", soft=(0.01, 0.25)
    )
    same: bool = flag(True, "Same all round", "Off: the outline is stretched to fill a plate that is not square.")

    @model_validator(mode="after")
    def _profile_points(self) -> Falloff:
        check_points(self.points)
        return self


def profile_curve(t: Pixels, profile: Profile, points: CurvePoints) -> Pixels:
    """Coverage by depth into the fade, t in 0..1: straight, a smoothstep, a quarter circle, a parabola."""
    if profile == "smooth":
        return t * t * (np.float32(3) - np.float32(2) * t)
    if profile == "round":
        return np.sqrt(t * (np.float32(2) - t))
    if profile == "sharp":
        return t * t
    if profile == "free":
        shaped: Pixels = np.clip(tone.apply_table(t, monotone.table(points)), 0, 1)
        return shaped
    return t


def outline_of(params: Falloff) -> Outline:
    """The outline in the form other steps measure inside of."""
    return Outline(params.outline, params.margin, params.corner, not params.same)


def _cover(params: Falloff, height: int, width: int, context: StepContext) -> Pixels:
    """Coverage 0..1 of a plate of this many pixels."""
    short = min(height, width)
    # Half a full-size pixel inwards: the outermost ring's centres then lie on the outline at
    # the latest, and are zero to the last bit whatever the margin.
    half = 0.5 * short / context.facts.shorter
    margin = params.margin * short + half
    deep = shapes.depth(height, width, params.outline, margin, corner=params.corner, stretch=not params.same)
    context.check()
    fade = params.fade * short
    if params.ragged > 0 and fade > 0:
        wander = noise.lattice(height, width, params.ragged_size, context.seed)
        wander *= np.float32(params.ragged * fade)
        deep -= wander
        context.check()
    if params.fade * context.facts.shorter < 1:  # under one full-size pixel: a clean cut
        return (deep > 0).astype(np.float32)
    outside = deep <= 0 if params.profile == "free" else None  # a free profile may start above zero
    deep *= np.float32(1 / fade)
    cover = profile_curve(np.clip(deep, 0, 1, out=deep), params.profile, params.points)
    return cover if outside is None else np.where(outside, np.float32(0), cover)


def _falloff(raster: Raster, params: Falloff, context: StepContext) -> Raster:
    # A steep fade seen on a reduced plate is computed finer and averaged, as full size would be.
    steep = params.profile in ("round", "free") or params.fade * raster.shorter < 12
    finer = 4 if context.scale < 1 and steep else 1
    cover = _cover(params, raster.height * finer, raster.width * finer, context)
    if finer > 1:
        cover = resample.area(cover, raster.height, raster.width)
    if raster.coverage is not None:
        cover = cover * raster.coverage
    return raster.but(coverage=cover)


def _falloff_extent(params: Falloff, facts: Facts) -> Facts:
    return facts.but(coverage=True, wrap=(False, False))


FALLOFF = StepKind(
    id="falloff", name="Falloff", group="edge", help="Fades the plate to zero before its border.",
    params=Falloff, apply=_falloff, extent=_falloff_extent, takes="any", gives="any", agreement="scales",
    editor="falloff",
)  # fmt: skip


class ZeroLevel(Params):
    zero: Literal["black", "mid"] = choice(
        "black", {"black": "Black", "mid": "Mid-grey"}, "Zero is",
        "Black: the plate only raises. Mid-grey: it raises and cuts.",
    )  # fmt: skip
    tones: Literal["convert", "keep"] = choice(
        "convert", {"convert": "Keep the heights", "keep": "Keep the tones"}, "Tones",
        "Keep the heights moves the tones (0 becomes 0.5); keep the tones only says what they mean.",
    )  # fmt: skip


def _zero(raster: Raster, params: ZeroLevel, context: StepContext) -> Raster:
    if params.zero == raster.zero or params.tones == "keep":
        return raster.but(zero=params.zero)
    if params.zero == "mid":
        return raster.but(pixels=np.float32(0.5) + raster.pixels * np.float32(0.5), zero="mid")
    return raster.but(pixels=(raster.pixels - np.float32(0.5)) * np.float32(2), zero="black")


def _zero_extent(params: ZeroLevel, facts: Facts) -> Facts:
    moved = params.zero != facts.zero and params.tones == "convert"
    units = facts.units
    if moved and units is not None:
        units = units * 2 if params.zero == "mid" else units / 2
    return facts.but(zero=params.zero, units=units, lattice=None if moved else facts.lattice)


ZERO = StepKind(
    id="zero", name="Zero", group="edge", help="Says which grey leaves the surface untouched.",
    params=ZeroLevel, apply=_zero, extent=_zero_extent, takes="any", gives="any", agreement="tone",
)  # fmt: skip
