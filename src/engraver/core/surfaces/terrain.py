"""Terrain: rolling ground, seen as a landscape under a low sun."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..numeric.noise import lattice
from ..numeric.spline import weights
from ..raster import Pixels
from . import flat
from .flat import square_faces, square_grid, square_points, square_rows
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
    """Scene heights at scene places, by a cubic that joins the knots without a kink (C. de Boor, 1962).

    By arrays: SciPy's own, to which this is the same, would take a tenth of a start with hills to load.
    """
    spline, found = _spline(), np.zeros(np.shape(x))
    rows, down = _around((1 - y) / 2 * _KNOTS - 0.5)
    columns, across = _around((x + 1) / 2 * _KNOTS - 0.5)
    for row, high in zip(rows, down, strict=True):
        for column, wide in zip(columns, across, strict=True):
            found += high * wide * spline[row, column]
    return found * RELIEF


def _around(at: Places) -> tuple[list[NDArray[np.intp]], Places]:
    """The four knots about each place, and what each counts there; beyond the outermost knots places stay on them."""
    at = np.clip(at, 0, _KNOTS - 1)
    first = np.floor(at).astype(np.intp)
    return [_mirrored(first + n) for n in (-1, 0, 1, 2)], weights(at - first)


def _matrix(at: Places) -> Places:
    """What every knot counts at places (N,) along one axis: float64 (N, knots)."""
    found = np.zeros((len(at), _KNOTS))
    for knots, counts in zip(*_around(at), strict=True):
        np.add.at(found, (np.arange(len(at)), knots), counts)
    return found


def _mirrored(knots: NDArray[np.intp]) -> NDArray[np.intp]:
    """Knots beyond the ends, as seen in a mirror on the outermost."""
    last = _KNOTS - 1
    seen: NDArray[np.intp] = last - np.abs(last - np.abs(knots))
    return seen


@lru_cache(maxsize=1)
def _spline() -> Places:
    """What each knot counts, so that the spline goes through the hills."""
    through = _matrix(np.arange(_KNOTS, dtype=np.float64))
    rows = np.linalg.solve(through, hills().astype(np.float64))
    return np.linalg.solve(through, rows.T).T


def build(points: int, own: Any) -> Ground:
    """The square with hills on it; marks are pressed straight down."""
    count = max(8, round(math.sqrt(points)))
    places = square_points(count)
    few = min(count, _KNOTS)
    each = _matrix((np.arange(few) + 0.5) / few * _KNOTS - 0.5)
    tall = each @ _spline() @ each.T * RELIEF
    if few < count:  # smooth enough between the knots of the noise for a cubic that keeps ramps
        tall = _enlarged(tall, count)
    places[:, 2] = tall.ravel()
    up = np.broadcast_to(np.array([0.0, 0.0, 1.0]), places.shape)
    return ground_of(
        places, up, *square_faces(count, stride(points)), "plane", even=square_rows(count), grids=[square_grid(count)]
    )


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
