"""Light: takes out what the lamp did, keeps what the surface is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any, Literal

import numpy as np

from ..errors import BadPicture, BadValue
from ..numeric import blur, resample, surface, wide
from ..numeric.split_rows import BAND, split_rows
from ..params import Params, Strokes, choice, fraction, integer, length, reference
from ..params import strokes as stroke_field
from ..raster import Pixels, Raster
from ..words import per_cent
from .kind import StepContext, StepKind, renamed, same_extent, toned_extent
from .placed import painted, tagged

# Light is smooth: it is found on a picture reduced to this many pixels on its shorter side.
FIT_SIDE = 512
PAPER_SIDE = 256
# A polynomial needs less: means of this many blocks along each side.
BLOCKS = 32
MOST_ORDER = 4
COARSE = 4
DARKEST = 0.004
BLANK_SOFT = 0.01


class EvenLight(Params):
    light: Literal["surface", "blur", "paper", "blank"] = choice(
        "surface",
        {"surface": "Smooth surface", "blur": "Large blur", "paper": "The paper", "blank": "A blank picture"},
        "Light is", "A fitted surface, a blur, the brightest nearby, or a picture of the empty set-up.",
    )  # fmt: skip
    method: Literal["subtract", "divide"] = choice(
        "divide", {"divide": "Divide", "subtract": "Subtract"}, "Method",
        "Divide takes out uneven light; subtract takes out haze and slow height.",
    )  # fmt: skip
    bend: Literal["found", "set"] = choice(
        "found", {"found": "Found", "set": "Set"}, "Bending",
        "Found: as much as foretells the light of parts left out.",
        when={"light": "surface"},
    )  # fmt: skip
    order: int = integer(
        2, 1, 4, "Order", "How much the surface may bend: 1 is a plane, 4 has several hills.",
        when={"light": "surface", "bend": "set"},
    )  # fmt: skip
    radius: float = length(
        0.125, 0.01, 0.5, "Radius", "Everything wider than this counts as light (standard deviation of the blur).",
        when={"light": "blur"},
    )  # fmt: skip
    window: float = length(
        0.06, 0.01, 0.5, "Window", "Within this width some bare paper must show.", when={"light": "paper"}
    )
    percent: float = fraction(
        0.9, 0.5, 1.0, "Paper above", "This share of a window is darker than its paper.", when={"light": "paper"}
    )
    blank: str = reference(
        "Blank picture", "A picture of the empty set-up, of the same size.", when={"light": "blank"}
    )
    amount: float = fraction(1.0, 0.0, 1.0, "Amount", "How much of it is taken out.")
    strokes: Strokes = stroke_field("Fit here", "Areas painted out of the fit, or the only ones in it.")


def _counted(raster: Raster, params: EvenLight, context: StepContext) -> Pixels | None:
    """How much each pixel counts for the fit, or None for all alike."""
    cover = raster.coverage
    inside, outside = tagged(params.strokes, context, "in"), tagged(params.strokes, context, "out")
    if not inside and not outside:
        return cover
    weight = painted(inside, raster.height, raster.width) if inside else np.ones_like(raster.pixels)
    weight = weight * (1 - painted(outside, raster.height, raster.width))
    return weight if cover is None else weight * cover


def _reduced(raster: Raster, weight: Pixels | None, side: int) -> tuple[Pixels, Pixels | None]:
    ratio = min(1.0, side / raster.shorter)
    rows, columns = max(1, round(raster.height * ratio)), max(1, round(raster.width * ratio))
    return resample.with_coverage(raster.pixels, weight, rows, columns, raster.wrap)


def _found_order(values: Pixels, weight: Pixels | None, most: int) -> int:
    """The order by cross-validation; a quarter of the blocks tells it as well, while a hand moves too."""
    rows, columns = max(8, values.shape[0] // 2), max(8, values.shape[1] // 2)
    few, count = resample.through(values, weight, lambda part: resample.resize(part, rows, columns))
    return surface.best_order(few, count, most)


def measure(raster: Raster, params: EvenLight, context: StepContext) -> dict[str, float]:
    """Coefficients of the surface, and whether it varies less than the texture's own blocks.

    Raises
    ------
    BadPicture
        When what is left to fit is too little.
    """
    # Marks and outline are drawn on a reduced picture: a fit needs no finer rim.
    pixels, cover = _reduced(raster, raster.coverage, FIT_SIDE)
    shrink = np.diag([pixels.shape[1] / raster.width, pixels.shape[0] / raster.height, 1.0])
    context = replace(context, from_source=shrink @ context.from_source)
    raster = raster.but(pixels=pixels, coverage=cover)
    weight = _counted(raster, params, context)
    if context.outline is not None:
        # What the falloff takes away is no part of the subject's light.
        inside = context.outline.mask(raster.height, raster.width).astype(np.float32)
        weight = inside if weight is None else weight * inside
    small, weight = _reduced(raster, weight, BLOCKS)
    log = params.method == "divide"
    values = np.log(np.maximum(small, DARKEST)) if log else small
    try:
        # Where part of the picture does not count, a surface that bends much runs away there.
        left_out = 0.0 if weight is None else float((weight < 0.5).mean())
        most = MOST_ORDER if left_out < 0.1 else MOST_ORDER // 2
        order = _found_order(values, weight, most) if params.bend == "found" else params.order
        found, left = surface.fit_polynomial(values, order, weight)
    except ValueError as error:
        if not params.strokes and raster.coverage is None:  # a picture of a few pixels has no light to take out
            return {"even": 1.0, "varies": 0.0, "order": 0.0}
        raise BadPicture("The light cannot be found", "too little is left to fit", "Paint less out") from error
    fitted = surface.polynomial(small.shape[0], small.shape[1], found, order)
    there = np.ones_like(small) if weight is None else weight
    rows, columns = max(1, small.shape[0] // COARSE), max(1, small.shape[1] // COARSE)
    blocks, share = resample.through(left, weight, lambda part: resample.area(part, rows, columns))
    own = float(np.sqrt(np.average(blocks**2, weights=np.ones_like(blocks) if share is None else share + 1e-9)))
    middle = np.average(fitted, weights=there)
    varies = float(np.sqrt(np.average((fitted - middle) ** 2, weights=there)))
    even = order == 0 if params.bend == "found" else varies < max(own, 1e-4)
    return {
        "even": float(even),
        "varies": varies,
        "order": float(order),
        **{f"c{n}": float(v) for n, v in enumerate(found)},
    }


def estimate(raster: Raster, params: EvenLight, context: StepContext) -> Pixels | None:
    """The light at the raster's own size, in its tones; None when the light is even.

    Surface: a robust polynomial on the tone, or on its logarithm for dividing. Blur: a
    Gaussian on a reduced picture. Paper: a local percentile, softened. Blank: another
    picture of the same set-up, softened a little against its noise.
    """
    if params.light == "surface":
        if context.autos.get("even"):
            return None
        order = int(context.autos["order"])
        count = (order + 1) * (order + 2) // 2
        found = np.array([context.autos[f"c{n}"] for n in range(count)])
        divides = params.method == "divide"
        return surface.polynomial(raster.height, raster.width, found, order, exponential=divides)
    if params.light == "blank":
        if "blank" not in context.references:
            raise BadValue(
                "There is nothing to divide by",
                "no blank picture is chosen",
                "Choose a picture of the empty set-up, or another light",
            )
        other = context.references["blank"]
        sized = resample.resize(other.pixels, raster.height, raster.width, raster.wrap)
        return blur.gaussian(sized, BLANK_SOFT * raster.shorter, raster.wrap)
    side = PAPER_SIDE if params.light == "paper" else FIT_SIDE
    small, weight = _reduced(raster, _counted(raster, params, context), side)
    short = min(small.shape)
    if params.light == "paper":
        window = max(3, round(params.window * short))
        soft = surface.local_percentile(small, window, params.percent * 100, weight)
        soft = blur.gaussian(soft, window / 4, raster.wrap)
    else:
        soft = blur.normalised(small, weight, params.radius * short, raster.wrap)
    return wide.enlarged(soft, raster.height, raster.width, raster.wrap)


def _even(raster: Raster, params: EvenLight, context: StepContext) -> Raster:
    light = estimate(raster, params, context)
    context.check()
    if light is None:
        return raster
    mean = _mean(light, raster.coverage)
    pixels, amount = raster.pixels, np.float32(params.amount)
    made = np.empty_like(pixels)
    if params.method == "subtract":

        def without(first: int, end: int) -> None:
            part = np.subtract(light[first:end], np.float32(mean), out=made[first:end])
            part *= -amount
            part += pixels[first:end]

        split_rows(without, len(pixels), BAND)
        return raster.but(pixels=made)
    floor = np.float32(max(0.02 * abs(mean), 1e-4))

    def divided(first: int, end: int) -> None:
        gain = np.maximum(light[first:end], floor, out=made[first:end])
        np.divide(np.float32(mean), gain, out=gain)
        if amount < 1:
            gain -= np.float32(1)
            gain *= amount
            gain += np.float32(1)
        gain *= pixels[first:end]

    split_rows(divided, len(pixels), BAND)
    context.check()
    # What is bright gained less than what is dark: the mean tone is brought back.
    before, after = _mean(pixels, raster.coverage), _mean(made, raster.coverage)
    if abs(after) > 1e-6:
        by = np.float32(before / after)
        split_rows(lambda first, end: np.multiply(made[first:end], by, out=made[first:end]), len(made))
    return raster.but(pixels=made)


def _reveal(raster: Raster, params: EvenLight, context: StepContext) -> Raster:
    light = estimate(raster, params, context)
    if light is None:
        light = np.full_like(raster.pixels, _mean(raster.pixels, raster.coverage))
    return raster.but(pixels=light)


def _mean(values: Pixels, coverage: Pixels | None) -> float:
    """Of what is covered, float32 (H, W) each."""
    sums = np.zeros((-(-len(values) // BAND), 2))

    def part(first: int, end: int) -> None:
        some, cover = values[first:end], coverage[first:end] if coverage is not None else None
        weight = some.size if cover is None else cover.sum(dtype=np.float64)
        sums[first // BAND] = (some if cover is None else some * cover).sum(dtype=np.float64), weight

    split_rows(part, len(values), BAND)
    total, weight = sums.sum(axis=0)
    return float(total / max(weight, 1e-6))


def _migrate(version: int, values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 knew the blur only, subtracted; 2 called its strokes marks; 3 did not find how far light bends."""
    if version < 2:
        values = {"light": "blur", "method": "subtract", **values}
    if version < 3:
        values = renamed(values, "marks", "strokes")
    return {"bend": "set", **values} if version < 4 else values


def _tells(params: EvenLight, autos: Mapping[str, float]) -> str:
    if not autos:
        return ""
    if autos["even"]:
        return "The light is even: nothing is done."
    if params.method == "divide":
        bends = f", in a surface of order {autos['order']:.0f}" if params.bend == "found" else ""
        return f"Found: the light varies by {per_cent(autos['varies'])} about its mean{bends}."
    return f"Found: the haze varies by {autos['varies'] * 100:.1f} % of white."


EVEN_LIGHT = StepKind(
    id="even-light", name="Even light", group="light", help="Takes out light that falls off across the picture.",
    params=EvenLight, apply=_even, version=4, migrate=_migrate, agreement="scales",
    extent=lambda p, facts: (toned_extent if p.method == "divide" else same_extent)(p, facts),
    measure=measure, measures=lambda p: p.light == "surface", tells=_tells,
    reveal=_reveal, revealed="the light", editor="even-light",
    words=("shadow", "flat-field", "vignette", "lighting"),
)  # fmt: skip
