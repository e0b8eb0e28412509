"""Relief: the form of the surface itself."""

from __future__ import annotations

from typing import Literal

from ..numeric import blur, wide
from ..params import Params, choice, fraction, length
from ..raster import Raster
from .kind import StepContext, StepKind


class Soften(Params):
    method: Literal["gaussian", "edge-keeping"] = choice(
        "gaussian", {"gaussian": "Gaussian", "edge-keeping": "Edge-keeping"}, "Method",
        "Gaussian softens everything; edge-keeping leaves steps standing.",
    )  # fmt: skip
    radius: float = length(
        0.003, 0.0, 0.25, "Radius", "Standard deviation of the blur.", step=0.0005, soft=(0.0, 0.03)
    )
    grip: float = fraction(
        0.1, 0.005, 1.0, "Grip", "Steps in tone above this stay, below it they soften.",
        when={"method": "edge-keeping"}, step=0.005, soft=(0.005, 0.5),
    )  # fmt: skip


def _soften(raster: Raster, params: Soften, context: StepContext) -> Raster:
    sigma = params.radius * raster.shorter
    if params.method == "gaussian":
        return raster.but(pixels=blur.normalised(raster.pixels, raster.coverage, sigma, raster.wrap))
    return raster.but(pixels=wide.edge_keeping(raster.pixels, sigma, params.grip, raster.wrap, raster.coverage))


SOFTEN = StepKind(
    id="soften", name="Soften", group="relief", help="Smooths the relief, with or without its edges.",
    params=Soften, apply=_soften, agreement="scales",
    words=("blur", "gaussian", "smooth"),
)  # fmt: skip
