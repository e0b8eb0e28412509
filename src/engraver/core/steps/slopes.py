"""Slopes: heights from a normal map, and masks for painting from heights."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import BadPicture
from ..numeric import blur, slopes, tone, wide
from ..numeric.pad import pad
from ..numeric.split_rows import split_rows
from ..params import Params, choice, fraction, length, number
from ..raster import Facts, Pixels, Raster
from .kind import StepContext, StepKind, measuring_mask, toned_extent

# Mean departure from unit length above which a picture is no normal map.
NOT_NORMALS = 0.2
UNSURE = 0.02
_LEAST_BLUE = 0.55
# Shares of the heights that leave less than this of their range are of no use to set black and white by.
_FEW = 0.1
_SKY_SIDE = 1024
_SKY_WAYS = 16
_SPACING = 0.1


class Slopes(Params):
    green: Literal["found", "up", "down"] = choice(
        "found", {"found": "Found", "up": "Up", "down": "Down"}, "Green points",
        "Which way green rises; found takes the one whose slopes can be those of a surface.",
    )  # fmt: skip
    low: float = number(
        0.1, 0.0, 20.0, "Dark share", "This share of the heights lies below black.", unit="%", step=0.1
    )
    high: float = number(99.9, 80.0, 100.0, "Light share", "Above this share is white.", unit="%", step=0.1)


def _flat_where_open(raster: Raster) -> Raster:
    """What is not there counts as level ground."""
    if raster.coverage is None or raster.channels != 3:
        return raster
    level = np.array([0.5, 0.5, 1.0], np.float32)
    return raster.but(pixels=np.where(raster.coverage[..., None] > 0, raster.pixels, level))


def _checked(raster: Raster) -> None:
    if raster.channels != 3:
        raise BadPicture(
            "This is no normal map", "the picture is grey", "Put this step before the grey, on a normal map in colour"
        )
    _, _, off = slopes.of_normals(raster.pixels, green_up=True)
    blue = float(raster.pixels[..., 2].mean())
    if off > NOT_NORMALS or blue < _LEAST_BLUE:
        raise BadPicture(
            "This is no normal map", f"its normals miss unit length by {off * 100:.0f} % on average",
            "Choose a tangent-space normal map: mostly light blue",
        )  # fmt: skip


def _green_up(raster: Raster) -> tuple[bool, float]:
    """Whether green points up, and how sure that is: the smaller curl over the larger."""
    curls = [slopes.curl(*slopes.of_normals(raster.pixels, green_up=up)[:2]) for up in (True, False)]
    return curls[0] <= curls[1], min(curls) / max(max(curls), 1e-12)


def _measure(raster: Raster, params: Slopes, context: StepContext) -> dict[str, float]:
    raster = _flat_where_open(raster)
    _checked(raster)
    flat = slopes.flat_colour(raster.pixels, raster.lattice)
    up, sure = _green_up(raster) if params.green == "found" else (params.green == "up", 0.0)
    across, down, off = slopes.of_normals(raster.pixels, green_up=up, flat=flat)
    context.check()
    height = slopes.integrate(across, down, raster.wrap)
    lo, hi = tone.percentiles(height, (params.low, params.high), measuring_mask(raster, context.outline))
    lowest, highest = float(height.min()), float(height.max())
    if hi - lo < _FEW * (highest - lowest):  # a small shape on wide ground: its few pixels are the range
        lo, hi = lowest, highest
    found = {"lo": lo, "hi": max(hi, lo + 1e-6), "up": float(up), "sure": sure, "off": off}
    return {**found, "red": flat[0], "green": flat[1]}


def _slopes(raster: Raster, params: Slopes, context: StepContext) -> Raster:
    """Slopes from the normals, integrated; lowest and highest as measured at full size."""
    raster = _flat_where_open(raster)
    _checked(raster)
    autos = context.autos
    across, down, _ = slopes.of_normals(
        raster.pixels, green_up=autos["up"] > 0.5, flat=(autos["red"], autos["green"])
    )
    height = slopes.integrate(across, down, raster.wrap)
    context.check()
    lo, hi = autos["lo"], autos["hi"]
    # Slopes are rises per pixel: a preview's pixels are wider.
    height *= np.float32(1 / context.scale / (hi - lo))
    height -= np.float32(lo / (hi - lo))
    return raster.but(pixels=height)


def _tells(params: Slopes, autos: Mapping[str, float]) -> str:
    if not autos:
        return ""
    words = f"Green points {'up' if autos['up'] > 0.5 else 'down'}"
    if params.green == "found":
        words += " (unsure)" if autos["sure"] > 0.8 else " (found)"
    words += f" · {autos['hi'] - autos['lo']:.3g} px from lowest to highest"
    if autos["off"] > UNSURE:
        words += f" · normals miss unit length by {autos['off'] * 100:.0f} %"
    return words


def _extent(params: Slopes, facts: Facts) -> Facts:
    return facts.but(channels=1, lattice=None, units=None)


SLOPES = StepKind(
    id="slopes", name="Height from normals", group="grey", help="Integrates the slopes of a normal map into heights.",
    params=Slopes, apply=_slopes, extent=_extent, takes="any", agreement="grain", measure=_measure,
    measures=lambda p: True, tells=_tells,
    words=("normal map", "integrate"),
)  # fmt: skip


class MaskFrom(Params):
    what: Literal["heights", "slope", "hollows", "ridges", "sky"] = choice(
        "hollows",
        {"heights": "Between heights", "slope": "By slope", "hollows": "Hollows", "ridges": "Ridges",
         "sky": "Open sky"},
        "White where", "What the mask reveals.",
    )  # fmt: skip
    low: float = fraction(0.3, -1.0, 2.0, "From", "Height at which it begins.", soft=(0, 1), when={"what": "heights"})
    high: float = fraction(0.7, -1.0, 2.0, "To", "Height at which it ends.", soft=(0, 1), when={"what": "heights"})
    least: float = number(20.0, 0.0, 90.0, "From", "Steeper than this.", unit="°", step=1, when={"what": "slope"})
    most: float = number(90.0, 0.0, 90.0, "To", "Less steep than this.", unit="°", step=1, when={"what": "slope"})
    size: float = length(0.02, 0.001, 0.5, "Size", "Width of what is looked for.", soft=(0.003, 0.15),
                         when={"what": ("hollows", "ridges", "sky")})  # fmt: skip
    strength: float = fraction(0.03, 0.001, 0.5, "Height of white", "As a share of the plate's side.", step=0.001,
                               soft=(0.005, 0.2), when={"what": ("slope", "sky")})  # fmt: skip
    amount: float = number(1.0, 0.1, 10.0, "Contrast", "How quickly it becomes white.", step=0.05, soft=(0.2, 4.0),
                           when={"what": ("hollows", "ridges", "sky")})  # fmt: skip
    softness: float = fraction(0.1, 0.005, 1.0, "Softness", "Width of its edges.",
                               when={"what": ("heights", "slope")})  # fmt: skip


def _between(values: Pixels, low: float, high: float, soft: float) -> Pixels:
    rise = np.clip((values - np.float32(low)) / np.float32(soft) + np.float32(0.5), 0, 1)
    fall = np.clip((np.float32(high) - values) / np.float32(soft) + np.float32(0.5), 0, 1)
    both: Pixels = (rise * fall).astype(np.float32)
    return both


def _hollow(raster: Raster, size: float, amount: float, way: float) -> Pixels:
    """By how much a place lies below (or above) the mean round about, in spreads of that over the plate."""
    sigma = size / 2 * raster.shorter
    near = blur.normalised(raster.pixels, raster.coverage, sigma / 4, raster.wrap)
    far = blur.normalised(raster.pixels, raster.coverage, sigma, raster.wrap)
    depth = (far - near) * np.float32(way)
    spread = float(np.sqrt(np.average(depth.astype(np.float64) ** 2, weights=raster.coverage)))
    found: Pixels = np.clip(depth * np.float32(amount / max(2 * spread, 1e-6)), 0, 1)
    return found


def _looks(reach: float) -> NDArray[np.float64]:
    """Distances at which a horizon is looked for: every pixel near by, wider apart far off, the last at its reach."""
    found = [1.0]
    while found[-1] < reach:
        found.append(min(reach, found[-1] + max(1.0, _SPACING * found[-1])))
    return np.array(found)


def _sky(raster: Raster, params: MaskFrom) -> Pixels:
    """Openness (R. Yokoyama et al., "Visualizing Topography by Openness", 2002), on about 1024 pixels."""
    from ..numeric import shape_kernels

    factor = max(1, round(raster.shorter / _SKY_SIDE))
    values = blur.spread(raster.pixels, raster.coverage)
    reach = params.size * raster.shorter / factor
    deep = int(reach) + 3
    height = pad(wide.averaged(values, factor), deep, deep, raster.wrap)
    height = height * np.float32(params.strength * raster.shorter / factor)
    angles = np.arange(_SKY_WAYS) * 2 * np.pi / _SKY_WAYS
    ways = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    inner = np.empty((height.shape[0] - 2 * deep, height.shape[1] - 2 * deep), np.float32)
    looks = _looks(reach)
    split_rows(lambda a, b: shape_kernels.open_sky(height, deep, ways, looks, a, b, inner), inner.shape[0])
    open_ = wide.enlarged(inner, raster.height, raster.width, raster.wrap)
    found: Pixels = np.clip((open_ * 2 - 1) * np.float32(params.amount) + np.float32(1), 0, 1)
    return found


def _mask(raster: Raster, params: MaskFrom, context: StepContext) -> Raster:
    if params.what == "heights":
        found = _between(raster.pixels, params.low, params.high, params.softness)
    elif params.what == "slope":
        across, down = slopes.of_height(raster.pixels, raster.wrap)
        rise = np.hypot(across, down) * np.float32(params.strength * raster.shorter)
        angle: Pixels = np.degrees(np.arctan(rise)).astype(np.float32)
        found = _between(angle, params.least, params.most + 1e-3, 90 * params.softness)
        if params.most >= 90:
            found = np.clip(
                (angle - np.float32(params.least)) / np.float32(90 * params.softness) + np.float32(0.5), 0, 1
            )
    elif params.what == "sky":
        found = _sky(raster, params)
    else:
        found = _hollow(raster, params.size, params.amount, 1 if params.what == "hollows" else -1)
    return raster.but(pixels=found.astype(np.float32))


def _mask_extent(params: MaskFrom, facts: Facts) -> Facts:
    return toned_extent(params, facts).but(zero="black")


MASK_FROM = StepKind(
    id="mask-from", name="Mask from height", group="relief",
    help="A mask for painting: by height, slope, hollows, ridges or openness to the sky.",
    params=MaskFrom, apply=_mask, extent=_mask_extent, agreement="grain",
    words=("slope", "cavity", "curvature", "occlusion", "mask"),
)  # fmt: skip
