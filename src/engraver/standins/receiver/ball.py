"""What the receiver presses: one mark on its own small ball."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from engraver.core.cache import Cache
from engraver.core.errors import Watch, unwatched
from engraver.core.pressing.gesture import Gesture, packed_points
from engraver.core.pressing.relief import Tip
from engraver.core.pressing.settings import checked
from engraver.core.proof.trial_picture import Look
from engraver.core.proof.trial_view import TrialView, TrialWish
from engraver.core.raster import Pixels
from engraver.core.recipe import Trial
from engraver.core.surfaces import surface

_POINTS, _WIDE = 250_000, 0.62


def ball_picture(heights: Pixels, strength: float, side: int = 512, check: Watch = unwatched) -> NDArray[np.uint8]:
    """One mark pressed into the front of a ball, uint8 (side, side, 3).

    ``heights`` float32 (n, n): 1 for full height; ``strength`` that height as a share of the mark's width.
    """
    ball = surface("ball")
    places = ball.geometry.chart(np.array([0.5]), np.array([0.5]))
    press = Gesture(
        uid="arrived", kind="single", plate="arrived", settings=checked(size=_WIDE, strength=min(0.5, strength)),
        data=packed_points(places),
    )  # fmt: skip
    trial = Trial(id="arrived", surface="ball", points=_POINTS, gestures=(press,))
    look = Look((side, side), ball.eye, ball.lamp)
    return TrialView(Cache()).draw(TrialWish(trial, {"arrived": Tip(heights)}, look), check).picture
