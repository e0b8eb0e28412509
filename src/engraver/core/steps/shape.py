"""Relief from shapes and lines: bevels, pillows, thicker and thinner."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal

import cv2
import numpy as np
from pydantic import model_validator

from ..errors import BadPicture
from ..numeric import blur, distance, monotone, resample, tone, wide
from ..numeric.sections import NAMES, SECTIONS, Section
from ..params import CurvePoints, Params, choice, curve, flag, fraction, length
from ..pressing.tip import heights
from ..raster import ZERO_LEVEL, Facts, Pixels, Raster
from .contrast import check_points
from .kind import StepContext, StepKind, toned_extent

Form = Literal[Section, "free"]
FORMS = {**NAMES, "free": "Free"}
# Rounded corners: the depth is softened by this share of the bevel's width.
_ROUNDING = 0.22
# Most pixels a preview is refined to.
_FINE = 2_400_000
Apply = Callable[[Raster, Any, StepContext], Raster]


def form_curve(t: Pixels, form: Form, points: CurvePoints) -> Pixels:
    """Height 0..1 by depth 0..1, by a section that has a name or by free points."""
    if form == "free":
        return np.clip(tone.apply_table(t, monotone.table(points)), 0, 1)
    return SECTIONS[form](t)


class Bevel(Params):
    level: float = fraction(0.5, 0.01, 0.99, "Border at", "The height at which a shape begins.")
    side: Literal["inside", "outside", "both"] = choice(
        "inside", {"inside": "Inside", "outside": "Outside", "both": "Both"}, "Side",
        "From the border into the shape, away from it, or across it.",
    )  # fmt: skip
    ridge: bool = flag(
        False, "Up to the ridge", "Every shape rises as far as its middle: lines become cords, shapes cushions.",
        when={"side": "inside"},
    )  # fmt: skip
    width: float = length(0.02, 0.001, 0.5, "Width", "From the border to full height.", soft=(0.002, 0.15),
                          when={"ridge": False})  # fmt: skip
    form: Form = choice("round", FORMS, "Form", "The section of the bevel.")
    points: CurvePoints = curve(
        ((0.0, 0.0), (0.35, 0.15), (0.7, 0.8), (1.0, 1.0)), "Free form", "From the border (left) to full height.",
        when={"form": "free"}, editor="form",
    )  # fmt: skip
    corners: Literal["sharp", "rounded"] = choice(
        "sharp", {"sharp": "Sharp", "rounded": "Rounded"}, "Corners", "Whether creases run up from the corners."
    )
    keep: float = fraction(0.0, 0.0, 1.0, "Keep the grey", "How far the tones of the plate go into the height.")

    @model_validator(mode="after")
    def _form_points(self) -> Bevel:
        check_points(self.points)
        return self


def _depth(raster: Raster, level: float, context: StepContext) -> Pixels:
    """Signed distance in pixels, positive inside the shapes. Raises BadPicture where there is no border."""
    values = raster.pixels
    above = values >= np.float32(level)
    if above.all() or not above.any():
        what = "All of the plate is one shape" if above.all() else "There is no shape on the plate"
        raise BadPicture(
            what, f"no tone crosses {level * 100:.0f} %", "Set the border's tone, or add a threshold before"
        )
    return distance.signed(values, level, raster.wrap, context.check)


def _standing(work: Apply) -> Apply:
    """Work on heights over the ground: what is not covered is ground, and what cuts is shaped as what raises is."""

    def worked(height: Pixels, raster: Raster, params: Any, context: StepContext) -> Pixels:
        return work(Raster.of(height, wrap=raster.wrap), params, context).pixels

    def apply(raster: Raster, params: Any, context: StepContext) -> Raster:
        height = heights(raster.flat(), raster.zero)
        if raster.zero == "black":
            return raster.but(pixels=worked(height, raster, params, context), coverage=None)
        total, trouble = np.full_like(height, ZERO_LEVEL[raster.zero]), []
        for way in (np.float32(0.5), np.float32(-0.5)):
            try:
                total += way * worked(np.maximum(height * (2 * way), 0), raster, params, context)
            except BadPicture as error:
                trouble.append(error)
        if len(trouble) == 2:
            raise trouble[0]
        return raster.but(pixels=total, coverage=None)

    return apply


def _shaped_extent(params: Params, facts: Facts) -> Facts:
    return toned_extent(params, facts).but(coverage=False)


def _finely(work: Apply) -> Apply:
    """A preview's shapes are worked out on a finer picture of its own, so that thin ones keep their borders."""

    def apply(raster: Raster, params: Any, context: StepContext) -> Raster:
        finest = math.sqrt(_FINE / (raster.width * raster.height))
        factor = int(min(4.0, math.ceil(1 / context.scale), finest))
        if factor < 2:
            return work(raster, params, context)
        rows, columns = raster.height * factor, raster.width * factor
        pixels, cover = resample.with_coverage(raster.pixels, raster.coverage, rows, columns, raster.wrap)
        fine = work(raster.but(pixels=pixels, coverage=cover), params, replace(context, scale=context.scale * factor))
        return raster.but(pixels=resample.area(fine.pixels, raster.height, raster.width))

    return apply


def _ridges(depth: Pixels) -> Pixels:
    """How deep each shape is at its deepest, at every pixel of it."""
    inside = (depth > 0).astype(np.uint8)
    count, label = cv2.connectedComponents(inside, connectivity=8)
    deepest = np.zeros(count, np.float32)
    np.maximum.at(deepest, label.ravel(), np.maximum(depth, 0).ravel())
    deepest[0] = 1
    ridges: Pixels = np.maximum(deepest, np.float32(1e-3))[label]
    return ridges


def _bevel(raster: Raster, params: Bevel, context: StepContext) -> Raster:
    depth = _depth(raster, params.level, context)
    context.check()
    width: Pixels | np.float32 = np.float32(params.width * raster.shorter)
    if params.ridge and params.side == "inside":
        width = _ridges(depth)
    if params.corners == "rounded":
        soft = blur.gaussian(depth, _ROUNDING * params.width * raster.shorter, raster.wrap)
        depth += (soft - depth) * np.clip(np.abs(depth) / width, 0, 1)
    if params.side == "both":
        t = (depth / width + np.float32(1)) * np.float32(0.5)
    elif params.side == "outside":
        t = depth / width + np.float32(1)
    else:
        t = depth / width
    height = form_curve(np.clip(t, 0, 1), params.form, params.points)
    if params.keep > 0:
        height = height * (1 - np.float32(params.keep) * (1 - np.clip(raster.pixels, 0, 1)))
    return raster.but(pixels=height.astype(np.float32, copy=False))


BEVEL = StepKind(
    id="bevel", name="Bevel", group="relief", help="Height by the distance from the border of a shape or line.",
    params=Bevel, apply=_finely(_standing(_bevel)), extent=_shaped_extent, agreement="grain", editor="form",
    words=("chamfer", "carve", "distance"),
)  # fmt: skip


class Inflate(Params):
    level: float = fraction(0.5, 0.01, 0.99, "Border at", "The height at which a shape begins.")
    height: float = fraction(1.0, 0.0, 1.0, "Height", "Of the highest pillow.")
    fullness: float = fraction(0.5, 0.2, 1.0, "Fullness", "Low is full to the border, 50 % round, high is pointed.")
    alike: bool = flag(False, "All alike", "Every shape as high as the largest.")


def _inflate(raster: Raster, params: Inflate, context: StepContext) -> Raster:
    """The solution of Poisson's equation inside each shape, 0 on its border, to a power (its root is round)."""
    depth = _depth(raster, params.level, context)
    solved: Pixels = np.maximum(distance.pillow(depth, context.check), np.float32(0))
    if params.alike:
        _, label = cv2.connectedComponents((depth > 0).astype(np.uint8), connectivity=8)
        top = np.zeros(int(label.max()) + 1, np.float32)
        np.maximum.at(top, label.ravel(), solved.ravel())
        solved = solved / np.maximum(top, np.float32(1e-6))[label]
    else:
        solved = solved / np.float32(max(float(solved.max()), 1e-6))
    height = tone.power(solved, params.fullness) * np.float32(params.height)
    return raster.but(pixels=height.astype(np.float32, copy=False))


INFLATE = StepKind(
    id="inflate", name="Inflate", group="relief", help="A pillow over each shape, full in its middle.",
    params=Inflate, apply=_finely(_standing(_inflate)), extent=_shaped_extent, agreement="grain",
    words=("pillow", "puff", "dome"),
)  # fmt: skip


class Thicken(Params):
    by: float = length(0.004, -0.2, 0.2, "By", "Shapes grow, or shrink below 0, by this on every side.", step=0.0005,
                       soft=(-0.03, 0.03))  # fmt: skip
    level: float = fraction(0.5, 0.01, 0.99, "Border at", "The height at which a shape begins.")
    edge: float = length(0.0, 0.0, 0.1, "Soft edge", "Width of the ramp at the new border; 0 for a pixel.",
                         step=0.0005, soft=(0.0, 0.02))  # fmt: skip


def _thicken(raster: Raster, params: Thicken, context: StepContext) -> Raster:
    """Shapes whose border is the line at a distance from the old one."""
    depth = _depth(raster, params.level, context)
    ramp = max(params.edge * raster.shorter, context.scale, 1e-3)
    depth += np.float32(params.by * raster.shorter)
    depth *= np.float32(1 / ramp)
    depth += np.float32(0.5)
    return raster.but(pixels=np.clip(depth, 0, 1))


THICKEN = StepKind(
    id="thicken", name="Thicken", group="relief", help="Shapes and lines grow or shrink by a length.",
    params=Thicken, apply=_finely(_standing(_thicken)), extent=_shaped_extent, agreement="grain",
    words=("dilate", "erode", "grow", "shrink", "offset"),
)  # fmt: skip


class SmoothRelief(Params):
    keep: Literal["edges", "peaks", "hollows"] = choice(
        "edges", {"edges": "Edges", "peaks": "Peaks", "hollows": "Hollows"}, "Keep",
        "What stays: steps, all that stands above its surroundings, or all that lies below.",
    )  # fmt: skip
    size: float = length(0.01, 0.0005, 0.25, "Size", "Standard deviation of the smoothing.", step=0.0005,
                         soft=(0.001, 0.05))  # fmt: skip
    grip: float = fraction(0.08, 0.002, 1.0, "Grip", "What differs by more than this stays.", step=0.002,
                           soft=(0.005, 0.4))  # fmt: skip


def _smooth(raster: Raster, params: SmoothRelief, context: StepContext) -> Raster:
    """A guided filter; of what it would take from peaks (or hollows) the part beyond the grip is given back."""
    sigma = params.size * raster.shorter
    if params.keep == "edges":
        soft = wide.edge_keeping(raster.pixels, sigma, params.grip, raster.wrap, raster.coverage)
        return raster.but(pixels=soft)
    soft = blur.normalised(raster.pixels, raster.coverage, sigma, raster.wrap)
    away = raster.pixels - soft
    share = np.clip(away / np.float32(params.grip) * (1 if params.keep == "peaks" else -1), 0, 1)
    share = share * share * (np.float32(3) - np.float32(2) * share)
    return raster.but(pixels=soft + away * share)


SMOOTH_RELIEF = StepKind(
    id="smooth-relief", name="Smooth relief", group="relief", help="Smooths, and keeps edges, peaks or hollows.",
    params=SmoothRelief, apply=_smooth, agreement="tone",
    words=("median", "bilateral", "denoise", "open", "close"),
)  # fmt: skip
