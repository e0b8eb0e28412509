"""Compiles the loops of pressing and drawing, or fetches them from the cache, by using each once on little."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from engraver.core.mesh.model import mesh_of

from ..cache import Cache
from ..cords.free import free_cord
from ..cords.segment import segment_of
from ..curves.model import Curve
from ..errors import Watch, unwatched
from ..pressing.band import lay_band
from ..pressing.expand import expand
from ..pressing.gesture import Gesture, packed_points
from ..pressing.marks import Mark, press, rows_of
from ..pressing.relief import Relief, Tip
from ..pressing.settings import checked
from ..pressing.strip import strip_of_heights
from ..pressing.way import steadied
from ..surfaces import Sheet, surface
from ..surfaces.kind import Geometry
from .look import Look
from .relief_light import cast, lamp_table, lit, plaster_colours
from .scene import BenchScene
from .trial_picture import TrialPicture

_POINTS = 300


@lru_cache(maxsize=1)
def _once() -> None:
    tip = np.ones((8, 8), np.float32)
    for id in ("flat", "ball", "pipe", "terrain"):
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
        _along(relief, geometry)
    press(tip, None, rows_of((Mark(4.0, 4.0, 3.0),)), np.zeros_like(tip), np.zeros_like(tip), "outer")
    steadied(np.eye(3), 0.5)
    lit(cast(tip, 8), lamp_table(0.0, 45.0), plaster_colours(), np.zeros((8, 8), np.uint32))


def _along(relief: Relief, geometry: Geometry) -> None:
    """A band along a curve on a surface, and a cord along one in space."""
    places = geometry.chart(np.linspace(0.4, 0.6, 4), np.array([0.5, 0.52, 0.5, 0.52]))
    settings = checked(size=0.2, tooth="grit")
    band = Gesture(uid="a", kind="along", plate="p", settings=settings, data=packed_points(places), curve=Curve())
    strip = strip_of_heights(np.ones((8, 16), np.float32))
    lay_band(
        relief, band, geometry, None, {"p": Tip(np.ones((8, 8), np.float32), key="p", strip=strip)}, Cache(2**20)
    )
    ring = np.array([[1.0, 1.0], [-1.0, 1.0], [-1.0, -1.0], [1.0, -1.0]])
    rings = [np.column_stack([ring, np.full(4, height)]) for height in (0.0, 2.0)]
    walls = [(a, (a + 1) % 4, (a + 1) % 4 + 4, a, (a + 1) % 4 + 4, a + 4) for a in range(4)]
    piece = segment_of(mesh_of(np.vstack(rings), np.array(walls).reshape(-1, 3), "a piece"))
    way = np.array([[0.0, 0.0, 0.0], [0.0, 4.0, 1.0], [0.0, 8.0, 0.0]])
    cord, _ = free_cord(piece, way, Curve(), settings)
    cord.normals  # noqa: B018  (worked out when it is asked for)


def warm_bench(check: Watch = unwatched) -> None:
    """What the bench's proof needs, by drawing a small one. Raises Cancelled."""
    on = surface("ball")
    height = np.ones((8, 8), np.float32)
    BenchScene().draw(on, Sheet(height, 0.02, _POINTS, (16, 16), eye=on.eye, smooth=False), check)


def warm(check: Watch = unwatched) -> None:
    """Make ready; at once when it has been done. Raises Cancelled."""
    check()
    _once()
