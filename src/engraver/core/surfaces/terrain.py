"""Terrain: rolling ground, seen as a landscape under a low sun."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import numpy as np

from ..numeric.noise import lattice
from ..raster import Pixels
from . import flat
from .flat import square_faces, square_points, square_rows
from .ground import Ground, Places, ground_of, stride
from .kind import Geometry, SurfaceKind
from .view import Eye, Lamp

# How far the hills stand above and below the middle, in scene units.
RELIEF = 0.16
_KNOTS, _SEED = 512, 71


@lru_cache(maxsize=1)
def hills() -> Pixels:
    """Heights over the square, -1..1, where the pixels of a picture of 512 have their middles."""
    noise = lattice(_KNOTS, _KNOTS, 0.6, _SEED, octaves=3)
    low, high = float(noise.min()), float(noise.max())
    rolling: Pixels = ((noise - low) / (high - low) * 2 - 1).astype(np.float32)
    return rolling


def height_at(x: Places, y: Places) -> Places:
    """Scene heights at scene places, by a cubic that joins the knots without a kink (C. de Boor, 1962)."""
    from scipy.ndimage import map_coordinates

    at = [(1 - y) / 2 * _KNOTS - 0.5, (x + 1) / 2 * _KNOTS - 0.5]
    found: Places = map_coordinates(_spline(), at, order=3, mode="nearest", prefilter=False) * RELIEF
    return found


@lru_cache(maxsize=1)
def _spline() -> Any:
    from scipy.ndimage import spline_filter

    return spline_filter(hills().astype(np.float64), order=3)


def build(points: int, own: Any) -> Ground:
    """The square with hills on it; marks are pressed straight down."""
    count = max(8, round(math.sqrt(points)))
    places = square_points(count)
    few = min(count, _KNOTS)
    axis = (2.0 * np.arange(few) + 1 - few) / few
    x, y = np.meshgrid(axis, -axis)
    tall = height_at(x, y)
    if few < count:  # smooth enough between the knots of the noise for a cubic that keeps ramps
        tall = _enlarged(tall, count)
    places[:, 2] = tall.ravel()
    up = np.broadcast_to(np.array([0.0, 0.0, 1.0]), places.shape)
    return ground_of(places, up, *square_faces(count, stride(points)), "plane", even=square_rows(count))


def _enlarged(tall: Places, count: int) -> Places:
    """The same hills at more points, separably by a spline."""
    from scipy.interpolate import make_interp_spline

    few = len(tall)
    at = (np.arange(count) + 0.5) / count * few - 0.5
    knots = np.arange(few)
    down = make_interp_spline(knots, tall, k=3)(at)
    found: Places = make_interp_spline(knots, down.T, k=3)(at).T
    return found


def onto(places: Places, own: Any) -> tuple[Places, Places]:
    """Straight down; marks are pressed straight too."""
    on, up = flat.onto(places, own)
    on[:, 2] = height_at(on[:, 0], on[:, 1])
    return on, up


def chart(x: Places, y: Places) -> Places:
    """The square from its upper left corner."""
    return onto(flat.chart(x, y), None)[0]


TERRAIN = SurfaceKind(
    id="terrain", name="Terrain", help="Rolling ground under a low sun; stamps are pressed straight down.",
    geometry=Geometry(build, onto, chart, flat.uncharted, axis=2, alike=False, day=True, reach=0.74),
    eye=Eye(tilt=71.0, turn=-24.0, y=-0.08), lamp=Lamp(300.0, 18.0), tilts=(0.0, 86.0),
)  # fmt: skip
