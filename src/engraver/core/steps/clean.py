"""Clean: specks, ruled lines, noise and terraces go; everything else stays."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import BadPicture
from ..numeric import blur, deband, denoise, harmonic, lines, specks, tone
from ..numeric.pad import pad
from ..params import Params, choice, flag, fraction, grain, number
from ..raster import Pixels, Raster
from .kind import StepContext, StepKind


def _each(raster: Raster, work: Callable[[Pixels], Pixels]) -> Pixels:
    """A grey function on every channel."""
    if raster.channels == 1:
        return work(raster.pixels)
    return np.stack([work(np.ascontiguousarray(raster.pixels[..., n])) for n in range(3)], axis=-1)


def _whole(raster: Raster) -> Raster:
    """The raster with what is there carried into its holes, so that their rims are no specks."""
    if raster.coverage is None:
        return raster
    return raster.but(pixels=blur.spread(raster.pixels, raster.coverage))


class Dust(Params):
    which: Literal["bright", "dark", "both"] = choice(
        "both", {"bright": "Bright", "dark": "Dark", "both": "Both"}, "Specks", "Which specks are taken out."
    )
    size: float = grain(7.0, 1.0, 60.0, "Up to", "The largest speck, and the width of a hair.", soft=(1.0, 30.0))
    contrast: float = fraction(
        0.08, 0.005, 1.0, "Stands out by", "Specks fainter than this stay.", step=0.005, soft=(0.005, 0.4)
    )
    hairs: bool = flag(True, "Hairs too", "Also what is long and thin.")


def _found(raster: Raster, params: Dust) -> NDArray[np.bool_]:
    size = params.size / raster.source_per_pixel
    return specks.find(tone.luma(raster.pixels), size, params.contrast, which=params.which, hairs=params.hairs)


def _dust(raster: Raster, params: Dust, context: StepContext) -> Raster:
    raster = _whole(raster)
    mask = _found(raster, params)
    context.check()
    if context.scale < 1:  # a draft: what is around is carried in, without solving for it
        rest = blur.spread(raster.pixels, (~mask).astype(np.float32))
        return raster.but(pixels=np.where(mask if raster.channels == 1 else mask[..., None], rest, raster.pixels))
    return raster.but(pixels=harmonic.fill(raster.pixels, mask, raster.wrap))


def _specks_shown(raster: Raster, params: Dust, context: StepContext) -> Raster:
    shown = tone.luma(raster.pixels) * np.float32(0.35)
    shown[_found(raster, params)] = 1.0
    return raster.but(pixels=shown)


DUST = StepKind(
    id="dust", name="Dust", group="clean", help="Takes out specks and hairs; everything else stays to the bit.",
    params=Dust, apply=_dust, takes="any", gives="any", agreement="grain",
    reveal=_specks_shown, revealed="the specks",
    words=("specks", "hairs", "despeckle"),
)  # fmt: skip


class Lines(Params):
    direction: Literal["found", "level", "upright", "set"] = choice(
        "found", {"found": "Found", "level": "Level", "upright": "Upright", "set": "Set"}, "Direction",
        "Which way the lines run.",
    )  # fmt: skip
    angle: float = number(
        0.0, -90.0, 90.0, "Angle", "Clockwise from level.", unit="°", step=0.05, when={"direction": "set"}
    )
    which: Literal["bright", "dark", "both"] = choice(
        "dark", {"bright": "Bright", "dark": "Dark", "both": "Both"}, "Lines", "Which lines are taken out."
    )
    width: float = grain(6.0, 1.0, 60.0, "Up to", "The widest line.", soft=(1.0, 30.0))
    contrast: float = fraction(
        0.01, 0.001, 0.5, "Stands out by", "Lines fainter than this stay.", step=0.001, soft=(0.001, 0.1)
    )
    amount: float = fraction(1.0, 0.0, 1.0, "Amount", "How much of them is taken out.")


def _angle(params: Lines, context: StepContext) -> float:
    fixed = {"level": 0.0, "upright": 90.0, "set": params.angle}
    return fixed[params.direction] if params.direction in fixed else context.autos.get("angle", 0.0)


def _ways(params: Lines) -> tuple[bool, ...]:
    """Whether bright lines, dark ones or both are meant."""
    return tuple(bright for word, bright in (("dark", False), ("bright", True)) if params.which in (word, "both"))


def _through(raster: Raster, params: Lines, context: StepContext) -> list[tuple[bool, Pixels]]:
    width = params.width / raster.source_per_pixel
    angle, grey = _angle(params, context), tone.luma(raster.pixels)
    return [
        (bright, lines.transmission(grey, angle, width, bright=bright, limit=params.contrast))
        for bright in _ways(params)
    ]


def _lines(raster: Raster, params: Lines, context: StepContext) -> Raster:
    raster = _whole(raster)
    shares = _through(raster, params, context)
    context.check()

    def without(values: Pixels) -> Pixels:
        for bright, share in shares:
            # Ink that crosses a line gets back its own share of light, so that it stays ink.
            gain = (1 + np.float32(params.amount) * (1 / share - 1)).astype(np.float32)
            values = 1 - (1 - values) * gain if bright else values * gain
        return values

    return raster.but(pixels=_each(raster, without))


def _lines_measured(raster: Raster, params: Lines, context: StepContext) -> dict[str, float]:
    width = params.width / raster.source_per_pixel
    grey = tone.luma(_whole(raster).pixels)
    return {"angle": lines.direction(grey, width, bright=_ways(params), limit=params.contrast)}


def _lines_shown(raster: Raster, params: Lines, context: StepContext) -> Raster:
    shown = np.full(raster.pixels.shape[:2], 0.5, np.float32)
    for bright, share in _through(_whole(raster), params, context):
        shown += (1 - share) * np.float32(2 if bright else -2)
    return raster.but(pixels=shown)


def _lines_told(params: Lines, autos: Mapping[str, float]) -> str:
    return "" if not autos else f"Found: lines at {autos['angle']:.2f}°"


LINES = StepKind(
    id="lines", name="Lines", group="clean", help="Takes out straight ruled lines and scanner streaks.",
    params=Lines, apply=_lines, takes="any", gives="any", agreement="grain",
    measure=_lines_measured, measures=lambda p: p.direction == "found", tells=_lines_told,
    reveal=_lines_shown, revealed="the lines",
    words=("streaks", "ruled", "scanner"),
)  # fmt: skip


class Denoise(Params):
    method: Literal["gaussian", "median", "edge-keeping", "alike"] = choice(
        "alike",
        {"alike": "Non-local means", "edge-keeping": "Edge-keeping", "median": "Median", "gaussian": "Gaussian"},
        "Method", "Non-local means keeps texture, slowly; edge-keeping is quick; median takes single pixels.",
    )  # fmt: skip
    strength: float = number(
        1.0, 0.1, 5.0, "Strength", "1 fits the measured noise; more also takes fine texture.", step=0.05,
        soft=(0.1, 3.0),
    )  # fmt: skip


def _denoise(raster: Raster, params: Denoise, context: StepContext) -> Raster:
    noise, wrap = context.autos["noise"], raster.wrap
    raster = _whole(raster)
    if noise <= 1e-6:
        return raster

    def quieter(values: Pixels) -> Pixels:
        if params.method == "gaussian":
            return blur.normalised(values, raster.coverage, 0.8 * params.strength, wrap)
        if params.method == "median":
            kernel = 3 if params.strength <= 1 else 5
            reach = kernel // 2
            return np.ascontiguousarray(
                cv2.medianBlur(pad(values, reach, reach, wrap), kernel)[reach:-reach, reach:-reach]
            )
        # Non-local means takes its time: until full size is there, its draft is the edge-keeping one.
        if params.method == "edge-keeping" or context.scale < 1:
            return blur.edge_keeping(values, 2.0, 2 * params.strength * noise, wrap, raster.coverage)
        return denoise.non_local_means(values, noise, 0.8 * params.strength, wrap, check=context.check)

    return raster.but(pixels=_each(raster, quieter))


def _noise_measured(raster: Raster, params: Denoise, context: StepContext) -> dict[str, float]:
    return {"noise": denoise.sigma(tone.luma(_whole(raster).pixels))}


def _migrate_denoise(version: int, values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 began with the edge-keeping method."""
    return {"method": "edge-keeping", **values} if version < 2 else values


def _noise_told(params: Denoise, autos: Mapping[str, float]) -> str:
    return "" if not autos else f"Found: noise of {autos['noise'] * 100:.2f} % of white"


DENOISE = StepKind(
    id="denoise", name="Denoise", group="clean", help="Takes out the grain of camera or scanner, by its own measure.",
    params=Denoise, apply=_denoise, takes="any", gives="any", agreement="grain", version=2, migrate=_migrate_denoise,
    measure=_noise_measured, tells=_noise_told,
    words=("noise reduction", "grain"),
)  # fmt: skip


class Deband(Params):
    pass


def _deband(raster: Raster, params: Deband, context: StepContext) -> Raster:
    step = context.facts.lattice
    if context.source.lattice is None:
        why = "it is a JPEG or holds float values, so there are no stored levels"
        raise BadPicture("This picture has no terraces to take out", why, "Take the step out, or use Denoise")
    if step is None:
        why = "a step before this one has mixed the stored levels"
        raise BadPicture("The terraces cannot be told any more", why, "Put this step first")
    raster = _whole(raster)
    step = context.autos.get("step", step)
    if raster.lattice is None:  # a reduced picture, shown as a draft
        return raster.but(pixels=_each(raster, lambda v: blur.edge_keeping(v, 3.0, step, raster.wrap)))
    return raster.but(pixels=_each(raster, lambda v: deband.smoothest(v, step, context.check)))


def _step_found(raster: Raster, params: Deband, context: StepContext) -> dict[str, float]:
    if raster.lattice is None:
        return {}
    return {"step": deband.quantum(tone.luma(raster.pixels), raster.lattice)}


def _step_told(params: Deband, autos: Mapping[str, float]) -> str:
    return f"Found: {round(1 / autos['step']) + 1} levels" if autos.get("step") else ""


DEBAND = StepKind(
    id="deband", name="Remove banding", group="clean",
    help="Takes out the terraces of an 8-bit source and leaves its edges; it must stand first.",
    params=Deband, apply=_deband, takes="any", gives="any", agreement="grain", stands_first=True,
    measure=_step_found, tells=_step_told,
    words=("banding", "terraces", "8 bit"),
)  # fmt: skip
