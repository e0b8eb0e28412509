"""The settings of a brush that paints strokes on the plate, each declared once."""

from __future__ import annotations

from .kinds.fraction import fraction
from .kinds.integer import integer
from .kinds.number import number
from .spec import Params

MOST_ARMS = 12


class BrushSettings(Params):
    """What the next stroke is like. Sizes are shares of the source's shorter side."""

    radius: float = fraction(
        0.025, 0.002, 0.5, "Size", "From the brush's middle to its border, of the source's shorter side "
        "(Alt and the arrow keys up and down change it).", step=0.001, soft=(0.002, 0.15),
    )  # fmt: skip
    strength: float = fraction(
        0.2, 0.01, 1.0, "Strength", "How strongly it acts; raising and cutting in heights of white."
    )
    soft: float = fraction(0.6, 0.0, 1.0, "Softness", "How much of the brush fades out.")
    spacing: float = fraction(0.6, 0.1, 3.0, "Spacing", "Of a tip: the way between two marks, in its radii.")
    turn: float = number(
        0.0, 0.0, 180.0, "Turn", "Of a tip: each mark is turned by up to so much, by chance.", step=1, unit="°"
    )
    vary: float = fraction(
        0.0, 0.0, 1.0, "Smaller", "Of a tip: each mark is made smaller by up to so much, by chance."
    )
    arms: int = integer(1, 1, MOST_ARMS, "Arms", "Each stroke is laid so many times round the plate's middle.")
