"""A strip pressed along a way, as one band that is not stretched at bends."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..curves.way import Way
from ..errors import Watch, unwatched
from ..numeric.split_rows import cores, split_rows
from ..raster import Pixels
from ..surfaces.ground import SCENE
from .along import Course
from .relief import ACTS, INK, MEETS, Relief, fall_table
from .settings import StrokeSettings
from .strip import Strip
from .tooth import tooth as shipped_tooth

_NONE = np.zeros((0, 0), np.float32)
_FAR = np.float32(1e9)


def press_band(
    relief: Relief, way: Way, course: Course, strip: Strip, settings: StrokeSettings,
    pieces: tuple[Strip | None, Strip | None] = (None, None), tooth: Pixels | None = None, check: Watch = unwatched,
) -> None:  # fmt: skip
    """Press a strip along a way, in place.

    Every point that a plane across the way goes through, no farther from it than the band is wide, takes the height
    that the strip has there: as far along as the foot of the plane, and as far to the side as the point lies from it
    along the surface. Where two places of the way are as good the nearer one counts.

    Parameters
    ----------
    way : Way
        On the surface of ``relief``.
    course : Course
        How the band runs along it.
    pieces : (Strip or None, Strip or None)
        What stands at its start and at its end.
    tooth : float32 (H, W), optional
        The tones of a plate that is the tooth; else the one that the settings name.

    Raises
    ------
    Cancelled
        Nobody waits any more.
    """
    from . import band_kernels

    s, ground = settings, relief.ground
    reach = float(course.width.max()) / 2
    best, where = np.full(ground.count, _FAR, np.float32), np.zeros(ground.count, np.float32)
    legs = _legs(way, ground.lies, ground.radius) if ground.even is not None else _solid_legs(way)
    check()
    even, cells = ground.even, ground.cells
    if even is not None:
        numbers, round_way = even.numbers(), 2 * np.pi * ground.radius if ground.lies == "round" else 0.0
        split_rows(
            lambda a, b: band_kernels.reach_even(numbers, round_way, legs, reach, best, where, a, b), even.rows
        )
    else:
        assert cells is not None
        layers, layer = int(cells.dims[2]), int(cells.dims[0] * cells.dims[1])
        edges = [layers * n // cores() * layer for n in range(cores() + 1)]

        def share(first: int, end: int) -> None:
            for n in range(first, end):
                band_kernels.reach_cells(
                    ground.points, ground.normals, cells.starts, cells.low, cells.per, cells.dims, legs, reach, best,
                    where, edges[n], edges[n + 1],
                )  # fmt: skip

        split_rows(share, cores(), 1)
    check()
    rows = float(course.width.max()) / ground.edge
    parts = [p.at_rows(rows) if p is not None else None for p in (strip, *pieces)]
    acts = 0 if relief.page else ACTS[s.acts]
    if acts == 2 and relief.moves is None:
        relief.moves = np.zeros((ground.count, 3), np.float32)
    sign = -1.0 if s.acts == "cut" else 1.0
    tables = np.stack([course.width, sign * course.strong, course.phase, course.shift])
    flips = s.alternate in ("along", "both"), s.alternate in ("across", "both")
    how = np.array([
        course.begin, course.end, way.length, 1.0 if s.top == "left" else -1.0, *flips, acts,
        INK if relief.page else MEETS[s.meets], s.level, s.flow, strip.wraps, strip.across,
    ], np.float64)  # fmt: skip
    bites = tooth if s.tooth == "plate" else shipped_tooth(s.tooth) if s.tooth != "none" else None
    biting = np.array([
        s.tooth_depth, 1 / (s.tooth_scale * SCENE), s.tooth_contrast, s.tooth_brightness, s.tooth_fixed == "mark",
    ], np.float64)  # fmt: skip
    fall = fall_table(s.fall, s.fall_curve if s.fall == "drawn" else ())
    moves = np.zeros((0, 3), np.float32) if relief.moves is None else relief.moves
    lies = {"plane": 0, "round": 1, "bent": 2}[ground.lies]
    turned = _round_places(relief) if bites is not None and lies == 1 else np.zeros(0, np.float32)
    split_rows(
        lambda a, b: band_kernels.lay(
            ground.points, ground.normals, lies, turned, best, where, (len(way.place) - 1) / way.length, tables,
            way.left, how, *_arrays(parts), fall, _NONE if bites is None else bites, biting, relief.height, moves,
            relief.touched, a, b,
        ), ground.count,
    )  # fmt: skip


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


def _legs(way: Way, lies: Any, radius: float) -> NDArray[np.float64]:
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
