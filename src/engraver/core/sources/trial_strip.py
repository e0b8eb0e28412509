"""A trial straightened along the curve of one of its gestures: a strip that tiles along its way."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..cache import Cache
from ..curves.way import Way, square_to
from ..errors import BadValue, Watch, unwatched
from ..pressing.along import way_of
from ..pressing.band import band_of
from ..pressing.gesture import Gesture
from ..pressing.relief import Tip
from ..pressing.replay import Replay
from ..raster import Pixels
from ..recipe.trial import Trial
from ..surfaces.ground import Ground, grid_faces, in_cells
from ..surfaces.kind import Geometry
from ..surfaces.own import OwnMesh

Places = NDArray[np.float64]
# The least and the most of a strip's height over its width.
LEAST_SHAPE, MOST_SHAPE = 1 / 64, 4.0
# A repeat that lacks less than this share is a whole one.
_ALMOST = 1e-6


def curve_in(trial: Trial, uid: str) -> Gesture:
    """The gesture along a curve that a strip is made of. Raises BadValue where it is gone."""
    gesture = trial.gesture(uid)
    if not gesture.declared.curve:
        raise BadValue("Only what lies along a curve can be straightened", "", "Choose a curve")
    return gesture


@dataclass(frozen=True, eq=False)
class Span:
    """The whole repeats of a band: its way, where they begin and end along it, and how wide it is at most, in scene
    units."""

    way: Way
    begin: float
    end: float
    wide: float

    @property
    def shape(self) -> float:
        """Its height over its length as a strip."""
        return min(MOST_SHAPE, max(LEAST_SHAPE, self.wide / (self.end - self.begin)))


def whole_repeats(gesture: Gesture, tips: Mapping[str, Tip], geometry: Geometry, own: OwnMesh | None) -> Span:
    """What of a band can be straightened to a strip that tiles; its end pieces are left out.

    Raises BadValue for a curve without enough points, a plate that is gone, or a curve without a whole repeat.
    """
    made = way_of(gesture, geometry, own)
    way, course = made.way, band_of(gesture, tips, made).course
    count = float(np.floor(course.repeats + _ALMOST))
    if count < 1:
        raise BadValue("The curve holds no whole repeat", "", "Make it longer, or the band narrower")
    at = course.reached(way, np.array([0.0, count]))
    begin, end = (0.0, way.length) if way.closed else (float(at[0]), float(at[1]))
    return Span(way, begin, end, float(course.width.max()))


def _grid(span: Span, size: tuple[int, int], geometry: Geometry, own: OwnMesh | None) -> tuple[Places, Places]:
    """Places on the surface of every pixel of a strip, and normals there: float64 (rows * columns, 3).

    From the way to either side by small steps along the surface, each in the direction of the one before.
    """
    (rows, columns), way = size, span.way
    at = (span.begin + (np.arange(columns) + 0.5) / columns * (span.end - span.begin)) / way.step
    k = np.minimum(at.astype(np.int64), len(way.place) - 2)
    t = (at - k)[:, None]
    middle, side = (way_part[k] + t * (way_part[k + 1] - way_part[k]) for way_part in (way.place, way.left))
    places, normals = np.empty((rows, columns, 3)), np.empty((rows, columns, 3))
    step = span.wide / rows
    for sign in (1.0, -1.0):
        now, up = geometry.onto(middle, own)
        heading = square_to(side, up) * sign
        off = step / 2 if rows % 2 == 0 else (0.0 if sign > 0 else step)
        row = (rows - 1) // 2 if sign > 0 else (rows - 1) // 2 + 1
        while 0 <= row < rows:
            now, up = geometry.onto(now + off * heading, own)
            heading = square_to(heading, up)
            places[row], normals[row] = now, up
            off, row = step, row - int(sign)
    return places.reshape(-1, 3), normals.reshape(-1, 3)


def straightened(
    trial: Trial, tips: Mapping[str, Tip], own: OwnMesh | None, uid: str, size: tuple[int, int],
    check: Watch = unwatched,
) -> Pixels:  # fmt: skip
    """Heights along the whole repeats of a band, float32 (rows, columns) in scene units: columns along its way, the
    top row on its left.

    Raises
    ------
    BadValue
        The gesture or its plate is gone, or its curve holds no whole repeat.
    Cancelled
        Nobody waits any more.
    """
    geometry = trial.declared.geometry
    gesture = curve_in(trial, uid)
    rows, columns = size
    places, normals = _grid(whole_repeats(gesture, tips, geometry, own), size, geometry, own)
    check()
    points = np.ascontiguousarray(places, np.float32)
    cells, order = in_cells(points)
    to = np.empty(len(order), np.int32)
    to[order] = np.arange(len(order), dtype=np.int32)
    faces = to[grid_faces(np.arange(rows), np.arange(columns), np.arange(rows * columns).reshape(rows, columns))]
    ups = np.ascontiguousarray(normals[order], np.float32)
    ground = Ground(points[order], ups, faces, faces[:0], "bent", cells=cells)
    replay = Replay(ground, geometry, own, f"strip {uid} {size}", Cache(0))
    replay.bring(trial.gestures, tips, check)
    found: Pixels = np.ascontiguousarray(replay.relief.height[to].reshape(size))
    return found
