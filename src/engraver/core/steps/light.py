"""Light: takes out what the lamp did, keeps what the surface is."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np

from ..numeric import blur, resample
from ..params import Params, choice, fraction, length
from ..raster import Facts, Pixels, Raster
from .kind import StepContext, StepKind

# Light is smooth: it is found on a picture reduced to this many pixels on its shorter side.
FIT_SIDE = 512


class EvenLight(Params):
    method: Literal["subtract", "divide"] = choice(
        "subtract", {"subtract": "Subtract", "divide": "Divide"}, "Method",
        "Subtract takes out haze and slow height; divide takes out uneven light.",
    )  # fmt: skip
    radius: float = length(
        0.125, 0.01, 0.5, "Radius", "Everything wider than this counts as light (standard deviation of the blur)."
    )
    amount: float = fraction(1.0, 0.0, 1.0, "Amount", "How much of it is taken out.")


def estimate(raster: Raster, radius: float) -> tuple[Pixels, float]:
    """The light at the raster's own size, and its mean over what is covered.

    A Gaussian of ``radius`` (share of the shorter side) on a reduced picture.
    """
    ratio = min(1.0, FIT_SIDE / raster.shorter)
    rows, columns = max(1, round(raster.height * ratio)), max(1, round(raster.width * ratio))
    small, cover = resample.with_coverage(raster.pixels, raster.coverage, rows, columns, raster.wrap)
    soft = blur.normalised(small, cover, radius * min(rows, columns), raster.wrap)
    mean = _mean(soft, cover)
    if soft.shape == raster.pixels.shape:
        return soft, mean
    # Two mirrored pixels around keep the enlarging cubic honest at the border.
    ring = blur.pad(soft, 2, 2, raster.wrap)
    scale_y, scale_x = raster.height / rows, raster.width / columns
    matrix = np.array([[1 / scale_x, 0, 2 + 0.5 / scale_x - 0.5], [0, 1 / scale_y, 2 + 0.5 / scale_y - 0.5]])
    big = cv2.warpAffine(
        ring, matrix, (raster.width, raster.height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return big, mean


def _even(raster: Raster, params: EvenLight, context: StepContext) -> Raster:
    light, mean = estimate(raster, params.radius)
    context.check()
    if params.method == "subtract":
        light = light - np.float32(mean)
        light *= np.float32(-params.amount)
        light += raster.pixels
        return raster.but(pixels=light)
    floor = np.float32(max(0.02 * abs(mean), 1e-4))
    gain: Pixels = np.divide(np.float32(mean), np.maximum(light, floor))
    if params.amount < 1:
        gain -= np.float32(1)
        gain *= np.float32(params.amount)
        gain += np.float32(1)
    gain *= raster.pixels
    # What is bright gained less than what is dark: the mean tone is brought back.
    before, after = _mean(raster.pixels, raster.coverage), _mean(gain, raster.coverage)
    if abs(after) > 1e-6:
        gain *= np.float32(before / after)
    return raster.but(pixels=gain)


def _mean(values: Pixels, coverage: Pixels | None) -> float:
    if coverage is None:
        return float(values.mean())
    return float((values * coverage).sum() / max(float(coverage.sum()), 1e-6))


def _extent(params: EvenLight, facts: Facts) -> Facts:
    return facts.but(lattice=None)


EVEN_LIGHT = StepKind(
    id="even-light", name="Even light", group="light", help="Takes out light that falls off across the picture.",
    params=EvenLight, apply=_even, extent=_extent, agreement="scales",
)  # fmt: skip
