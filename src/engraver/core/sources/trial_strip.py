"""A trial straightened along the curve of one of its gestures: a strip that tiles along its way."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from ..cache import Cache
from ..curves.way import Way, unit
from ..errors import BadValue, Watch, unwatched
from ..pressing.along import course_of, pieces_of, way_of
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


def curve_in(trial: Trial, uid: str) -> Gesture:
    """The gesture along a curve that a strip is made of. Raises BadValue where it is gone."""
    gesture = trial.gesture(uid)
    if not gesture.declared.curve:
        raise BadValue("Only what lies along a curve can be straightened", "", "Choose a curve")
    return gesture


def whole_repeats(
    gesture: Gesture, long: float, geometry: Geometry, own: OwnMesh | None, ends: tuple[float, float] = (0.0, 0.0)
) -> tuple[Way, float, float, float]:
    """The way of a band, where its whole repeats begin and end along it, and how wide it is at most, in scene units.
    ``long`` is the length of its plate over its width, ``ends`` those of its first and last piece, in widths.

    Raises BadValue for a curve without enough points, or one without a whole repeat.
    """
    made = way_of(gesture, geometry, own)
    course = course_of(gesture.settings, gesture.points, made, long, *ends)
    count = float(np.floor(course.repeats + 1e-6))
    if count < 1:
        raise BadValue("The curve holds no whole repeat", "", "Make it longer, or the band narrower")
    inside = (made.way.gone >= course.begin) & (made.way.gone <= course.end)
    at = np.interp([0.0, count], course.phase[inside], made.way.gone[inside])
    begin, end = (0.0, made.way.length) if made.way.closed else (float(at[0]), float(at[1]))
    return made.way, begin, end, float(course.width.max())


def shape_of_strip(gesture: Gesture, long: float, geometry: Geometry, own: OwnMesh | None) -> float:
    """The height of a straightened band over its length. Raises BadValue."""
    _, begin, end, wide = whole_repeats(gesture, long, geometry, own)
    return min(MOST_SHAPE, max(LEAST_SHAPE, wide / (end - begin)))


def _grid(way: Way, begin: float, end: float, wide: float, size: tuple[int, int], geometry: Geometry,
          own: OwnMesh | None) -> tuple[Places, Places]:  # fmt: skip
    """Places on the surface of every pixel of a strip, and normals there: float64 (rows * columns, 3).

    From the way to either side by small steps along the surface, each in the direction of the one before.
    """
    rows, columns = size
    at = (begin + (np.arange(columns) + 0.5) / columns * (end - begin)) / way.step
    k = np.minimum(at.astype(np.int64), len(way.place) - 2)
    t = (at - k)[:, None]
    middle, side = (way_part[k] + t * (way_part[k + 1] - way_part[k]) for way_part in (way.place, way.left))
    places, normals = np.empty((rows, columns, 3)), np.empty((rows, columns, 3))
    step = wide / rows
    for sign in (1.0, -1.0):
        now, up = geometry.onto(middle, own)
        heading = unit(side - (side * up).sum(1, keepdims=True) * up) * sign
        off = step / 2 if rows % 2 == 0 else (0.0 if sign > 0 else step)
        row = (rows - 1) // 2 if sign > 0 else (rows - 1) // 2 + 1
        while 0 <= row < rows:
            now, up = geometry.onto(now + off * heading, own)
            heading = unit(heading - (heading * up).sum(1, keepdims=True) * up)
            places[row], normals[row] = now, up
            off, row = step, row - int(sign)
    return places.reshape(-1, 3), normals.reshape(-1, 3)


def straightened(
    trial: Trial,
    tips: Mapping[str, Tip],
    own: OwnMesh | None,
    uid: str,
    size: tuple[int, int],
    check: Watch = unwatched,
) -> Pixels:
    """Heights along the whole repeats of a band, float32 (rows, columns) in scene units: columns along its way, the
    top row on its left.

    Raises
    ------
    BadValue
        The gesture is gone, or holds no whole repeat.
    Cancelled
        Nobody waits any more.
    """
    geometry = trial.declared.geometry
    gesture = curve_in(trial, uid)
    tip, strips = tips.get(gesture.plate), {id: t.strip for id, t in tips.items() if t.strip is not None}
    long = tip.strip.long if tip is not None and tip.strip is not None else 1.0
    first, last = pieces_of(gesture.settings, strips, bool(gesture.way.closed))
    ends = (0.0 if first is None else first.long, 0.0 if last is None else last.long)
    way, begin, end, wide = whole_repeats(gesture, long, geometry, own, ends)
    rows, columns = size
    places, normals = _grid(way, begin, end, wide, size, geometry, own)
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
