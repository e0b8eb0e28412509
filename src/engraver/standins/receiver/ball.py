"""What the receiver presses: one mark on its own small ball."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from engraver.core.cache import Cache
from engraver.core.errors import Watch, unwatched
from engraver.core.pressing.settings import checked
from engraver.core.proof.look import Look
from engraver.core.proof.trial_files import relief_of
from engraver.core.proof.trial_picture import TrialPicture
from engraver.core.proof.trial_view import pressed_once
from engraver.core.raster import Pixels
from engraver.core.surfaces import surface

from .habit import Habit

_POINTS, _WIDE = 250_000, 0.62


def ball_picture(
    heights: Pixels, habit: Habit, side: int = 512, check: Watch = unwatched, cache: Cache | None = None
) -> NDArray[np.uint8]:  # fmt: skip
    """One mark pressed into the front of a ball, uint8 (side, side, 3), RGB.

    Parameters
    ----------
    heights : float32 (n, n)
        1 for full height, 0 untouched, below 0 where it cuts.
    habit : Habit
        Its strength, and the falloff that it adds.
    cache : Cache, optional
        Keeps the bare ball, for who presses many.

    Raises
    ------
    Cancelled
        ``check`` said so.
    """
    ball = surface("ball")
    settings = checked(size=_WIDE, strength=habit.strength, fall=habit.fall)
    wish = pressed_once("ball", heights, settings, Look((side, side), ball.eye, ball.lamp), points=_POINTS)
    relief = relief_of(wish, cache if cache is not None else Cache(0), check)
    return TrialPicture(relief, ball.geometry).draw(wish.look, check).picture
