"""Grey: from colour to one tone."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from pydantic import model_validator

from ..errors import BadValue
from ..numeric import tone
from ..params import Colour, Params, choice, colour, flag, fraction
from ..raster import Facts, Pixels, Raster
from .kind import StepContext, StepKind

_MIXES = {
    "luma-709": "Luma (BT.709)", "luma-601": "Luma (BT.601)", "average": "Average", "lightest": "Lightest",
    "red": "Red only", "green": "Green only", "blue": "Blue only", "weights": "Own weights",
    "fade": "Fade out a colour", "hues": "Six hues",
}  # fmt: skip
_WEIGHTS = {
    "luma-709": tone.LUMA_709, "luma-601": tone.LUMA_601, "average": (1.0, 1.0, 1.0),
    "red": (1.0, 0.0, 0.0), "green": (0.0, 1.0, 0.0), "blue": (0.0, 0.0, 1.0),
}  # fmt: skip
_OWN, _FADE, _HUES = {"mix": "weights"}, {"mix": "fade"}, {"mix": "hues"}


class Grey(Params):
    mix: Literal["luma-709", "luma-601", "average", "lightest", "red", "green", "blue", "weights", "fade", "hues"] = (
        choice("luma-709", _MIXES, "Mix", "How much each colour counts.", editor="grey")
    )
    red: float = fraction(0.34, -2.0, 2.0, "Red", "Share of red; shares are made to sum to 1.", when=_OWN)
    green: float = fraction(0.33, -2.0, 2.0, "Green", "Share of green; shares are made to sum to 1.", when=_OWN)
    blue: float = fraction(0.33, -2.0, 2.0, "Blue", "Share of blue; shares are made to sum to 1.", when=_OWN)
    line: Colour = colour(
        (0.55, 0.66, 0.85), "Fades out", "The colour of the ruled lines or of the stain.", when=_FADE
    )
    paper: Colour = colour((0.93, 0.92, 0.88), "Into", "The colour of the paper they lie on.", when=_FADE)
    hue_red: float = fraction(0.2126, -1.0, 2.0, "Reds", "How light a pure red comes out.", when=_HUES)
    hue_yellow: float = fraction(0.9278, -1.0, 2.0, "Yellows", "How light a pure yellow comes out.", when=_HUES)
    hue_green: float = fraction(0.7152, -1.0, 2.0, "Greens", "How light a pure green comes out.", when=_HUES)
    hue_cyan: float = fraction(0.7874, -1.0, 2.0, "Cyans", "How light a pure cyan comes out.", when=_HUES)
    hue_blue: float = fraction(0.0722, -1.0, 2.0, "Blues", "How light a pure blue comes out.", when=_HUES)
    hue_magenta: float = fraction(0.2848, -1.0, 2.0, "Magentas", "How light a pure magenta comes out.", when=_HUES)
    linear: bool = flag(
        False, "Mix in linear light", "Decodes sRGB first (IEC 61966-2-1) and encodes the mix again.",
        when={"mix": ("luma-709", "luma-601", "average", "weights")},
    )  # fmt: skip

    @model_validator(mode="after")
    def _shares(self) -> Grey:
        if self.mix == "weights" and self.red + self.green + self.blue < 0.05:
            raise ValueError("the shares of red, green and blue must sum to more than 0.05")
        if any(not 0 <= v <= 1 for v in (*self.line, *self.paper)):
            raise ValueError("a colour has red, green and blue between 0 and 1")
        return self


def fading_weights(line: Colour, paper: Colour) -> tuple[float, float, float]:
    """Weights summing to 1 under which two colours come out equally bright.

    Among all those, the ones nearest to luma: what is neutral keeps its whole contrast,
    the rest comes out much as it is seen. The least-norm solution of two equations.

    Raises
    ------
    BadValue
        When the two differ in brightness alone: no mix can make them alike.
    """
    apart = np.array(paper, float) - np.array(line, float)
    tinted = float(np.linalg.norm(apart - apart.mean()))
    if tinted < max(0.02, 0.05 * float(np.linalg.norm(apart))):
        raise BadValue(
            "This colour cannot be faded out", "it differs from the paper in brightness alone",
            "Pick both again, or use Lines or Levels",
        )  # fmt: skip
    luma = np.array(tone.LUMA_709)
    rules = np.stack([apart, np.ones(3)])
    weights = luma + rules.T @ np.linalg.solve(rules @ rules.T, np.array([0.0, 1.0]) - rules @ luma)
    return float(weights[0]), float(weights[1]), float(weights[2])


def by_hues(rgb: Pixels, lightness: tuple[float, ...]) -> Pixels:
    """Grey of an (H, W, 3) array by how light six pure hues come out, red to magenta.

    Every colour is a sum of white, one of yellow, cyan, magenta, and one of red, green,
    blue, whose shares are its lowest, middle and highest channel's steps; greys stay as
    they are. With the lumas of the six hues it is luma exactly.
    """
    red, yellow, green, cyan, blue, magenta = (np.float32(v) for v in lightness)
    r, g, b = cv2.split(rgb)
    low, high = cv2.min(cv2.min(r, g), b), cv2.max(cv2.max(r, g), b)
    pure = np.where(r == high, red, np.where(g == high, green, blue))
    # The channel that is lowest says which of the three mixed hues takes part.
    mixed = np.where(r == low, cyan, np.where(g == low, magenta, yellow))
    middle = r + g + b - low - high
    result: Pixels = low + (middle - low) * mixed + (high - middle) * pure
    return result


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
    if params.mix == "fade":
        weights = fading_weights(params.line, params.paper)
    hues = (
        params.hue_red, params.hue_yellow, params.hue_green,
        params.hue_cyan, params.hue_blue, params.hue_magenta,
    )  # fmt: skip
    result = np.empty(raster.pixels.shape[:2], np.float32)
    for top in range(0, raster.height, 256):
        context.check()
        part = raster.pixels[top : top + 256]
        if params.mix == "hues":
            result[top : top + 256] = by_hues(part, hues)
        else:
            result[top : top + 256] = tone.mix(part, weights, linear=params.linear and params.mix != "fade")
    return raster.but(pixels=result)


GREY = StepKind(
    id="grey", name="Grey", group="grey", help="Mixes the colours to one tone.",
    params=Grey, apply=_grey, extent=_extent, takes="any", agreement="tone",
    editor="grey",
    words=("desaturate", "channels", "black and white", "luma"),
)  # fmt: skip
