"""Gradient: heights that go evenly from one level to another, straight, radial or round the middle, or in steps."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from ..numeric import monotone
from ..params import CurvePoints, choice, curve, fraction, integer, length, number, position
from ..raster import Pixels, Raster
from .build import Built, built_extent, finely, meet
from .kind import StepContext, StepKind


class Gradient(Built):
    way: Literal["straight", "radial", "round"] = choice(
        "straight", {"straight": "Straight", "radial": "Radial", "round": "Round the middle"}, "Way",
        "Which way the height goes.",
    )  # fmt: skip
    x: float = position("x", 0.5, "Middle x", "Where its middle lies, from the left border.")
    y: float = position("y", 0.5, "Middle y", "Where its middle lies, from the top border.")
    reach: float = length(
        1.0, 0.002, 50.0, "Reach", "From one end to the other; of a radial one, from the middle outwards.",
        soft=(0.05, 1.5), when={"way": ("straight", "radial")},
    )  # fmt: skip
    turn: float = number(
        0.0, -180.0, 180.0, "Turn", "Direction, clockwise from the right.", unit="°",
        when={"way": ("straight", "round")},
    )  # fmt: skip
    start: float = fraction(0.0, -1.0, 1.0, "From", "The height at its beginning.")
    end: float = fraction(1.0, -1.0, 1.0, "To", "The height at its end.")
    steps: int = integer(0, 0, 256, "Steps", "So many exact, equal levels; 0 for a smooth one.")
    points: CurvePoints = curve(((0.0, 0.0), (1.0, 1.0)), "Curve", "How it gets from one to the other.")


def _share(height: int, width: int, params: Gradient) -> Pixels:
    """0 at its beginning, 1 at its end, (H, W)."""
    short = min(height, width)
    x = (np.arange(width, dtype=np.float32) + np.float32(0.5) - np.float32(params.x * width))[None]
    y = (np.arange(height, dtype=np.float32) + np.float32(0.5) - np.float32(params.y * height))[:, None]
    c, s = np.float32(math.cos(math.radians(params.turn))), np.float32(math.sin(math.radians(params.turn)))
    far = np.float32(params.reach * short)
    if params.way == "straight":
        share = (x * c + y * s) / far + np.float32(0.5)
    elif params.way == "radial":
        share = np.hypot(x, y) / far
    else:
        share = np.arctan2(y * c - x * s, x * c + y * s) / np.float32(2 * np.pi)
        share = share - np.floor(share)
    clipped: Pixels = np.clip(share, 0, 1)
    return clipped


def _heights(height: int, width: int, params: Gradient) -> Pixels:
    share = _share(height, width, params)
    if params.steps > 1:  # equal parts, whose levels begin and end at the ends
        share = np.minimum(np.floor(share * np.float32(params.steps)), np.float32(params.steps - 1))
        share /= np.float32(params.steps - 1)
    elif params.steps == 1:
        share = np.zeros_like(share)
    if params.points != ((0.0, 0.0), (1.0, 1.0)):
        share = monotone.evaluate(params.points, share.astype(np.float64)).astype(np.float32)
    built = np.float32(params.start) + np.float32(params.end - params.start) * share
    return built.astype(np.float32, copy=False)


def _gradient(raster: Raster, params: Gradient, context: StepContext) -> Raster:
    built = finely(raster, context, lambda rows, columns: _heights(rows, columns, params))
    return meet(raster, built, params, context)


GRADIENT = StepKind(
    id="gradient", name="Gradient", group="build", help="Heights from one level to another, smooth or in steps.",
    params=Gradient, apply=_gradient, extent=built_extent, agreement="scales",
    on_relief=lambda facts: {"meets": "multiply"}, words=("ramp", "radial", "steps"),
)  # fmt: skip
