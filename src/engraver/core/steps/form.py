"""Remove form: takes away the large shape, so that detail on a curved surface becomes a flat alpha."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

import cv2
import numpy as np

from ..errors import BadPicture
from ..numeric import blur, form, resample, surface, wide
from ..params import Params, Strokes, choice, fraction, length
from ..params import strokes as stroke_field
from ..raster import ZERO_LEVEL, Facts, Pixels, Raster
from .kind import StepContext, StepKind, renamed
from .placed import painted, tagged

Shape = Literal["plane", "quadric", "wide"]
# The global fit looks at this many blocks along each side.
BLOCKS = 64
_ORDER = {"plane": 1, "quadric": 2, "wide": 2}


class RemoveForm(Params):
    shape: Shape = choice(
        "wide", {"plane": "A plane", "quadric": "A quadric", "wide": "All that is wide"}, "Form is",
        "A tilted plane, a bowl or saddle, or everything wider than a size.",
    )  # fmt: skip
    size: float = length(
        0.15, 0.03, 1.0, "Wider than", "What is wider than this is form, what is narrower stays.",
        when={"shape": "wide"}, soft=(0.03, 0.5),
    )  # fmt: skip
    grip: float = fraction(
        0.15, 0.0, 1.0, "Edges from", "Steps higher than this part two forms: a rim leaves no ditch. 0 for none.",
        when={"shape": "wide"}, step=0.01,
    )  # fmt: skip
    onto: Literal["zero", "mean"] = choice(
        "mean", {"mean": "Its mean", "zero": "Zero"}, "Lay it on",
        "Where the form is laid flat: at its own mean height, or at the grey that is zero.",
    )  # fmt: skip
    strokes: Strokes = stroke_field("Fit here", "Areas painted out of the form, or the only ones it is taken from.")


def _reduced(raster: Raster, weight: Pixels | None, side: float) -> tuple[Pixels, Pixels]:
    ratio = min(1.0, side / raster.shorter)
    rows, columns = max(4, round(raster.height * ratio)), max(4, round(raster.width * ratio))
    small, cover = resample.with_coverage(raster.pixels, weight, rows, columns, raster.wrap)
    return small, np.ones_like(small) if cover is None else cover


def _weight(raster: Raster, params: RemoveForm, context: StepContext, side: float) -> tuple[Pixels, Pixels]:
    """The picture reduced, and how much each pixel of it counts."""
    small, cover = _reduced(raster, raster.coverage, side)
    shrink = np.diag([small.shape[1] / raster.width, small.shape[0] / raster.height, 1.0])
    context = replace(context, from_source=shrink @ context.from_source)
    inside, outside = tagged(params.strokes, context, "in"), tagged(params.strokes, context, "out")
    if inside:
        cover = cover * painted(inside, *small.shape)
    if outside:
        cover = cover * (1 - painted(outside, *small.shape))
    return small, cover


def estimate(raster: Raster, params: RemoveForm, context: StepContext) -> Pixels:
    """The form at the raster's own size, in its tones.

    Raises
    ------
    BadPicture
        Too little is left to fit.
    """
    small, cover = _weight(raster, params, context, BLOCKS)
    order = _ORDER[params.shape]
    try:
        found, _ = surface.fit_polynomial(small, order, cover)
    except ValueError as error:
        if params.strokes:
            raise BadPicture("The form cannot be found", "too little is left to fit", "Paint less out") from error
        return np.full_like(raster.pixels, _mean(raster.pixels, raster.coverage))  # a few pixels have no form
    if raster.wrap[0] or raster.wrap[1]:  # a form that rises across a wrap would leave a seam
        found = _wrapping(found, order, raster)
    whole = surface.polynomial(raster.height, raster.width, found, order)
    if params.shape != "wide":
        return whole
    context.check()
    sigma = params.size / 2 * raster.shorter
    side = raster.shorter * min(1.0, form.WINDOW / sigma)
    fine, count = _weight(raster, params, context, side)
    rest = fine - surface.polynomial(fine.shape[0], fine.shape[1], found, order)
    rest = blur.spread(rest, np.clip(count, 0, 1)) if raster.coverage is not None else rest
    sides = form.wider_than(
        rest, np.maximum(count, np.float32(1e-4)), sigma * min(fine.shape) / raster.shorter,
        params.grip, raster.wrap, context.check,
    )  # fmt: skip
    context.check()
    return whole + _enlarged(sides, raster, whole)


def _wrapping(found: surface.Coefficients, order: int, raster: Raster) -> surface.Coefficients:
    """Only what does not vary along an axis that wraps."""
    kept = [
        not ((raster.wrap[0] and i > 0) or (raster.wrap[1] and j > 0))
        for i in range(order + 1) for j in range(order + 1 - i)
    ]  # fmt: skip
    return np.where(kept, found, 0.0)


def _enlarged(sides: form.Sides, raster: Raster, whole: Pixels) -> Pixels:
    """The form at the raster's size; beside an edge every pixel goes with the side whose form is nearest."""
    height, width = raster.height, raster.width

    fits = [wide.enlarged(fit, height, width, raster.wrap) for fit in sides.fits]
    if len(fits) == 1:
        return fits[0]
    # A pixel right beside an edge may be on either side of it: the coarse number is only sure a pixel away.
    number = sides.side.astype(np.float32)
    sure = cv2.morphologyEx(number, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) == 0
    known = np.where(sure, number, -1).astype(np.float32)
    side = cv2.resize(known, (width, height), interpolation=cv2.INTER_NEAREST_EXACT)
    result = np.zeros_like(whole)
    for n, fit in enumerate(fits):
        np.copyto(result, fit, where=side == n)
    open_ = side < 0
    result[open_] = form.choose((raster.pixels - whole)[open_], np.stack([fit[open_] for fit in fits]))
    return result


def _mean(values: Pixels, coverage: Pixels | None) -> float:
    return float(values.mean() if coverage is None else np.average(values, weights=coverage + 1e-9))


def _apply(raster: Raster, params: RemoveForm, context: StepContext) -> Raster:
    shape = estimate(raster, params, context)
    context.check()
    level = ZERO_LEVEL[raster.zero]
    if params.onto == "mean":
        level = _mean(shape, raster.coverage)
    result = raster.pixels - shape
    result += np.float32(level)
    return raster.but(pixels=result)


def _reveal(raster: Raster, params: RemoveForm, context: StepContext) -> Raster:
    return raster.but(pixels=estimate(raster, params, context))


def _extent(params: RemoveForm, facts: Facts) -> Facts:
    return facts.but(lattice=None)


def _migrate(version: int, values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 called its strokes marks."""
    return renamed(values, "marks", "strokes") if version < 2 else values


REMOVE_FORM = StepKind(
    id="remove-form", name="Remove form", group="relief",
    help="Takes away the large shape, so that detail on a curved surface lies flat.",
    params=RemoveForm, apply=_apply, extent=_extent, version=2, migrate=_migrate, agreement="scales",
    reveal=_reveal, revealed="the form", editor="remove-form",
    words=("flatten", "high-pass", "curvature", "detrend"),
)  # fmt: skip
