"""Compiles the loops of pressing and drawing, or fetches them from the cache, by using each once on little."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from ..errors import Watch, unwatched
from ..pressing.expand import expand
from ..pressing.gesture import Gesture, packed_points
from ..pressing.relief import Relief, Tip
from ..pressing.settings import checked
from ..surfaces import Sheet, surface
from .relief_light import cast, lamp_table, lit, plaster_colours
from .scene import BenchScene
from .trial_picture import Look, TrialPicture

_POINTS = 300


@lru_cache(maxsize=1)
def _once() -> None:
    tip = np.ones((8, 8), np.float32)
    for id in ("flat", "ball", "pipe"):
        geometry = surface(id).geometry
        ground = geometry.build(_POINTS, None)
        relief = Relief(ground)
        picture = TrialPicture(relief, geometry)
        places = geometry.chart(np.array([0.5, 0.52]), np.array([0.5, 0.5]))
        for more in ({}, {"fall": "soft", "tooth": "grit", "push": "mark"}, {"acts": "gather"}):
            settings = checked(size=0.2, **more)
            marks = expand(
                Gesture(uid="g", kind="stroke", plate="p", settings=settings, data=packed_points(places)), geometry
            )
            for cover in (None, tip):
                relief.press(marks, Tip(tip, cover), settings)
        picture.draw(Look((16, 16)))
        relief.smooth(marks, settings)
        relief.scrape(marks, settings)
        picture.draw(Look((16, 16)))
        picture.draw(Look((16, 16), moving=True))
    lit(cast(tip, 8), lamp_table(0.0, 45.0), plaster_colours(), np.zeros((8, 8), np.uint32))


def warm_bench(check: Watch = unwatched) -> None:
    """What the bench's proof needs, by drawing a small one. Raises Cancelled."""
    on = surface("ball")
    height = np.ones((8, 8), np.float32)
    BenchScene().draw(on, Sheet(height, 0.02, _POINTS, (16, 16), eye=on.eye, smooth=False), check)


def warm(check: Watch = unwatched) -> None:
    """Make ready; at once when it has been done. Raises Cancelled."""
    check()
    _once()
