"""Grey: from colour to one tone."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import model_validator

from ..numeric import tone
from ..params import Params, choice, flag, fraction
from ..raster import Facts, Raster
from .kind import StepContext, StepKind

_MIXES = {
    "luma-709": "Luma (BT.709)", "luma-601": "Luma (BT.601)", "average": "Average", "lightest": "Lightest",
    "red": "Red only", "green": "Green only", "blue": "Blue only", "weights": "Own weights",
}  # fmt: skip
_WEIGHTS = {
    "luma-709": tone.LUMA_709, "luma-601": tone.LUMA_601, "average": (1.0, 1.0, 1.0),
    "red": (1.0, 0.0, 0.0), "green": (0.0, 1.0, 0.0), "blue": (0.0, 0.0, 1.0),
}  # fmt: skip
_OWN = {"mix": "weights"}


class Grey(Params):
    mix: Literal["luma-709", "luma-601", "average", "lightest", "red", "green", "blue", "weights"] = choice(
        "luma-709", _MIXES, "Mix", "How much each colour counts."
    )
    red: float = fraction(0.34, -2.0, 2.0, "Red", "Share of red; shares are made to sum to 1.", when=_OWN)
    green: float = fraction(0.33, -2.0, 2.0, "Green", "Share of green; shares are made to sum to 1.", when=_OWN)
    blue: float = fraction(0.33, -2.0, 2.0, "Blue", "Share of blue; shares are made to sum to 1.", when=_OWN)
    linear: bool = flag(
        False, "Mix in linear light", "Decodes sRGB first (IEC 61966-2-1) and encodes the mix again.",
        when={"mix": ("luma-709", "luma-601", "average", "weights")},
    )  # fmt: skip

    @model_validator(mode="after")
    def _shares(self) -> Grey:
        if self.mix == "weights" and self.red + self.green + self.blue < 0.05:
            raise ValueError("the shares of red, green and blue must sum to more than 0.05")
        return self


def _extent(params: Grey, facts: Facts) -> Facts:
    if facts.channels == 1:
        return facts
    return facts.but(channels=1, lattice=None)


def _grey(raster: Raster, params: Grey, context: StepContext) -> Raster:
    if raster.channels == 1:
        return raster
    if params.mix == "lightest":
        return raster.but(pixels=raster.pixels.max(axis=2))
    weights = _WEIGHTS.get(params.mix, (params.red, params.green, params.blue))
    result = np.empty(raster.pixels.shape[:2], np.float32)
    for top in range(0, raster.height, 256):
        context.check()
        part = raster.pixels[top : top + 256]
        result[top : top + 256] = tone.mix(part, weights, linear=params.linear)
    return raster.but(pixels=result)


GREY = StepKind(
    id="grey", name="Grey", group="grey", help="Mixes the colours to one tone.",
    params=Grey, apply=_grey, extent=_extent, takes="any", agreement="tone",
)  # fmt: skip
