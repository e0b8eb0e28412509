"""A strip pressed along a way, as one band that is not stretched at bends."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..cache import Cache
from ..curves.laid import Laid
from ..curves.way import Way
from ..errors import BadValue, Watch, unwatched
from ..numeric.split_rows import split_rows
from ..raster import Pixels
from ..surfaces.ground import LIES, Lies
from ..surfaces.kind import Geometry
from .along import Course, Note, course_of, likeness, notes_of_way, way_of
from .expand import symmetry
from .gesture import Gesture
from .relief import ACTS, INK, MEETS, Relief, Tip, bite_of, fall_of, tones_of
from .settings import StrokeSettings
from .strip import Strip

_NONE = np.zeros((0, 0), np.float32)
_FAR = np.float32(1e9)


@dataclass(frozen=True, eq=False)
class Band:
    """What a gesture lays along its way: a strip, what stands at its start and at its end, and how it runs."""

    strip: Strip
    pieces: tuple[Strip | None, Strip | None]
    course: Course


def band_of(gesture: Gesture, tips: Mapping[str, Tip], made: Laid) -> Band:
    """The band of a gesture along its way. Raises BadValue where its plate is gone."""
    s, strips = gesture.settings, {id: tip.strip for id, tip in tips.items() if tip.strip is not None}
    strip = strips.get(gesture.plate)
    if strip is None:
        raise BadValue("The plate along the curve is gone", "", "Choose another one for it")
    named = ("", "") if made.way.closed else (s.first_piece, s.last_piece)  # a ring has no ends
    first, last = (strips.get(id) for id in named)
    ends = (0.0 if first is None else first.long, 0.0 if last is None else last.long)
    return Band(strip, (first, last), course_of(s, gesture.points, made, s.width, strip.long, ends))


def notes_of_band(settings: StrokeSettings, made: Laid, band: Band) -> tuple[Note, ...]:
    """What is worth knowing of a band: what is of its way, and what its strip cannot do."""
    course, found = band.course, []
    if not band.strip.wraps:
        found.append(Note("The plate does not tile along its way, so every joint will show. Seamless tiles it."))
    if settings.twist and not band.strip.across:
        found.append(Note("The plate does not tile across, so it cannot be twisted."))
    return (*notes_of_way(settings, made, course, room=float(course.width.max()) / 2, flat=True), *found)


def lay_band(
    relief: Relief, gesture: Gesture, geometry: Geometry, own: object, tips: Mapping[str, Tip], cache: Cache,
    check: Watch = unwatched,
) -> None:  # fmt: skip
    """Press the band of a gesture along a curve and its likes, in place; a cord that is a body of its own, a curve
    without enough points and a plate that is not there leave nothing. Raises Cancelled."""
    s, tip = gesture.settings, tips.get(gesture.plate)
    if s.made == "body" and tip is not None and tip.body is not None:
        return
    try:
        made = way_of(gesture, geometry, own, cache)
        band = band_of(gesture, tips, made)
    except BadValue:
        return
    tooth = tones_of(tips.get(s.tooth_plate))
    for to in symmetry(gesture.mirror, gesture.arms, geometry.axis):
        check()
        press_band(relief, likeness(made.way, to, geometry, own), band, s, tooth, check)


def press_band(
    relief: Relief, way: Way, band: Band, settings: StrokeSettings, tooth: Pixels | None = None,
    check: Watch = unwatched,
) -> None:  # fmt: skip
    """Press a strip along a way, in place.

    Every point that a plane across the way goes through, no farther from it than the band is wide, takes the height
    that the strip has there: as far along as the foot of the plane, and as far to the side as the point lies from it
    along the surface. Where two places of the way are as good the nearer one counts.

    Parameters
    ----------
    way : Way
        On the surface of ``relief``.
    tooth : float32 (H, W), optional
        The tones of a plate that is the tooth; else the one that the settings name.

    Raises
    ------
    Cancelled
        Nobody waits any more.
    """
    from . import band_kernels

    s, ground, course = settings, relief.ground, band.course
    best, where = _feet(relief, way, float(course.width.max()) / 2)
    check()
    rows = float(course.width.max()) / ground.edge
    parts = [p.at_rows(rows) if p is not None else None for p in (band.strip, *band.pieces)]
    acts = 0 if relief.page else ACTS[s.acts]
    sign = -1.0 if s.acts == "cut" else 1.0
    tables = np.stack([course.width, sign * course.strong, course.phase, course.shift])
    flips = s.alternate in ("along", "both"), s.alternate in ("across", "both")
    how = np.array([
        course.begin, course.end, way.length, 1.0 if s.top == "left" else -1.0, *flips, acts,
        INK if relief.page else MEETS[s.meets], s.level, s.flow, band.strip.wraps, band.strip.across,
    ], np.float64)  # fmt: skip
    bites, biting = bite_of(s, tooth)
    fall, moves, lies = fall_of(s), relief.moves_for(acts == 2), LIES.index(ground.lies)
    turned = _round_places(relief) if len(bites) and ground.lies == "round" else np.zeros(0, np.float32)
    split_rows(
        lambda a, b: band_kernels.lay(
            ground.points, ground.normals, lies, turned, best, where, 1 / way.step, tables, way.left, how,
            *_arrays(parts), fall, bites, biting, relief.height, moves, relief.touched, a, b,
        ), ground.count,
    )  # fmt: skip


def _feet(relief: Relief, way: Way, reach: float) -> tuple[Pixels, Pixels]:
    """How far to the left of the way each point lies, and how far along the foot of its plane is: float32 (n,), in
    scene units; more than 1e8 to the left for a point that is farther away than ``reach``."""
    from . import band_kernels

    ground = relief.ground
    best, where = np.full(ground.count, _FAR, np.float32), np.zeros(ground.count, np.float32)
    even, cells = ground.even, ground.cells
    if even is not None:
        legs = _legs(way, ground.lies, ground.radius)
        numbers, round_way = even.numbers(), 2 * np.pi * ground.radius if ground.lies == "round" else 0.0
        split_rows(
            lambda a, b: band_kernels.reach_even(numbers, round_way, legs, reach, best, where, a, b), even.rows
        )
        return best, where
    assert cells is not None
    legs, layer = _solid_legs(way), int(cells.dims[0] * cells.dims[1])
    split_rows(
        lambda a, b: band_kernels.reach_cells(
            ground.points, ground.normals, cells.starts, cells.low, cells.per, cells.dims, legs, reach, best, where,
            a * layer, b * layer,
        ), int(cells.dims[2]),
    )  # fmt: skip
    return best, where


def _arrays(parts: list[Strip | None]) -> list[Pixels]:
    found: list[Pixels] = []
    for part in parts:
        found += [_NONE, _NONE] if part is None else [part.tall, _NONE if part.cover is None else part.cover]
    return found


def _round_places(relief: Relief) -> Pixels:
    """How far round a tube each point lies, float32 (n,)."""
    even = relief.ground.even
    assert even is not None
    found = np.zeros(relief.ground.count, np.float32)
    found[: even.rows * even.columns] = np.repeat(even.y + even.down * np.arange(even.rows), even.columns)
    return found


def _turns(way: Way) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Where each leg begins, how long it is, and by how much it turns to the left."""
    count = len(way.place) - 1
    a, b = way.ahead[:-1], way.ahead[1:]
    turn = np.arctan2((b * way.left[:-1]).sum(1), (b * a).sum(1))
    return way.gone[:-1], np.full(count, way.length / count), turn


def _solid_legs(way: Way) -> NDArray[np.float64]:
    """Legs for points in cells, float64 (n - 1, 27)."""
    ends = np.concatenate([way.place, way.up, way.ahead, way.left], axis=1)
    return np.ascontiguousarray(np.column_stack([ends[:-1], ends[1:], *_turns(way)]))


def _legs(way: Way, lies: Lies, radius: float) -> NDArray[np.float64]:
    """Legs in a plane's or a tube's own coordinates, float64 (n - 1, 15)."""
    if lies == "plane":
        rows = np.column_stack([way.place[:, :2], way.ahead[:, :2], way.left[:, :2]])
        return np.ascontiguousarray(np.column_stack([rows[:-1], rows[1:], *_turns(way)]))
    round_ = np.column_stack([np.zeros(len(way.place)), -way.up[:, 2], way.up[:, 1]])
    at = radius * np.unwrap(np.arctan2(way.place[:, 2], way.place[:, 1]))
    rows = np.column_stack([
        way.place[:, 0], at, way.ahead[:, 0], (way.ahead * round_).sum(1), way.left[:, 0], (way.left * round_).sum(1),
    ])  # fmt: skip
    begin, _, turn = _turns(way)
    flat = np.hypot(np.diff(rows[:, 0]), np.diff(rows[:, 1]))
    # On the unrolled tube the way turns by what it turns in the surface.
    left = rows[:-1, 4:6]
    turn = np.arctan2((rows[1:, 2:4] * left).sum(1), (rows[1:, 2:4] * rows[:-1, 2:4]).sum(1))
    return np.ascontiguousarray(np.column_stack([rows[:-1], rows[1:], begin, flat, turn]))
