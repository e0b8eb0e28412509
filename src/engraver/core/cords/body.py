"""A cord: a segment repeated along a way, joined at its open ends, and closed at its own."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from ..curves.way import Way, turning
from ..errors import BadValue, Watch, unwatched
from ..numeric.split_rows import split_rows
from ..pressing.along import Course
from ..pressing.settings import StrokeSettings
from ..words import per_cent
from .copies import Copies, cut_at
from .ends import Closing, dome, flat_face, piece
from .loops import Places
from .segment import ALIKE, Segment

# By so much of a turn an edge along the way may bend or be twisted before it is divided, in radians.
_BENT, _TWISTED = 0.08, 0.3
# How often a piece is divided in two at most.
_LEVELS = 6
# Triangles of a cord.
MOST_TRIANGLES = 8_000_000
# Less of a piece than this is left out rather than cut.
_CRUMB = 0.02

# How an end is closed, by the setting.
_CLOSE: Mapping[str, Callable[[Closing], None]] = MappingProxyType({"flat": flat_face, "round": dome})


@dataclass(frozen=True, eq=False)
class Cord:
    """A body along a way.

    Attributes
    ----------
    points : float64 (n, 3)
    faces : int32 (m, 3)
        Seen from outside against the clock.
    phase : float64 (n,)
        How many repeats lie behind each point: what lies along, for textures.
    across : float64 (n,)
        Where it lies round the way, 0..1.
    repeats : float
    closed : bool
        Its end is its start.
    told : tuple of str
        What is worth knowing.
    """

    points: Places
    faces: NDArray[np.int32]
    phase: Places
    across: Places
    repeats: float
    closed: bool
    told: tuple[str, ...] = ()
    key: str = field(default="", compare=False)

    @property
    def nbytes(self) -> int:
        return int(self.points.nbytes * 2 + self.faces.nbytes + self.phase.nbytes * 2)

    @cached_property
    def normals(self) -> NDArray[np.float32]:
        """At its points, from the triangles around."""
        from . import kernels

        out = np.zeros((len(self.points), 3), np.float64)
        kernels.add_normals(self.points, self.faces, out)
        kernels.normalise(out)
        return out.astype(np.float32)

    def moved(self, to: Places) -> Cord:
        """Its like where a symmetry (3, 3) puts it; one that mirrors turns triangles over."""
        faces = self.faces if np.linalg.det(to) > 0 else np.ascontiguousarray(self.faces[:, ::-1])
        return Cord(
            self.points @ to.T, faces, self.phase, self.across, self.repeats, self.closed, self.told, self.key
        )


def _levels(way: Way, edges: Places, turn: Places, next_turn: float) -> NDArray[np.int64]:
    """How often each copy has to be divided for its bends and its twist; copies lie between ``edges``."""
    bend = turning(way)[:, 2] + np.abs(np.gradient(turn, way.step)) * (_BENT / _TWISTED)
    count = len(edges) - 1
    at = np.clip((edges / way.step).astype(np.int64), 0, len(bend) - 1)
    worst = np.array([bend[at[k] : max(at[k + 1], at[k] + 1) + 1].max(initial=0.0) for k in range(count)])
    total = worst * np.diff(edges) + abs(next_turn) * _BENT / _TWISTED
    with np.errstate(divide="ignore"):
        return np.clip(np.ceil(np.log2(total / _BENT)), 0, _LEVELS).astype(np.int64)


def _where(course: Course, way: Way, phase: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How far along phases lie, and how far past an end those beyond it lie, in scene units."""
    pitch = (course.end - course.begin) / course.repeats
    if way.closed:
        rounds = np.floor(phase / course.repeats)
        return course.reached(way, phase - rounds * course.repeats) % way.length, np.zeros_like(phase)
    found = course.reached(way, phase)
    found = np.where(phase < 0, course.begin + phase * pitch, found)
    found = np.where(phase > course.repeats, course.end + (phase - course.repeats) * pitch, found)
    held = np.clip(found, 0.0, way.length)
    return held, found - held


def _apart(
    segment: Segment, course: Course, way: Way, size: Places, phase: Places, own: Places
) -> tuple[Places, Places]:
    """As :func:`_where` for pieces that stand each for itself: they keep their length, whatever lies between them."""
    middle, past = _where(course, way, own + 0.5)
    at = middle + past + (phase - own - 0.5) * segment.long * np.interp(middle, way.gone, size)
    if way.closed:
        return at % way.length, np.zeros_like(at)
    held = np.clip(at, 0.0, way.length)
    return held, at - held


def _pieces(segment: Segment, course: Course, welds: bool, closed: bool) -> tuple[int, float]:
    """How many whole pieces there are, and what of one is left for the end of an open cord. Raises BadValue."""
    whole = int(np.floor(course.repeats + _CRUMB)) if not welds or course.repeats >= 1 else 0
    rest = course.repeats - whole if welds and not closed else 0.0
    rest = rest if rest > _CRUMB else 0.0
    count = max(whole, 0 if rest else 1)
    if (count + 1) * len(segment.faces) > MOST_TRIANGLES:
        raise BadValue(
            f"The cord would have {(count + 1) * len(segment.faces) / 1e6:.0f} million triangles",
            f"{MOST_TRIANGLES / 1e6:.0f} million are the most", "Make it larger, or reduce the piece",
        )  # fmt: skip
    return count, rest


def _copies(
    segment: Segment, way: Way, welds: bool, count: int, rest: float, levels: NDArray[np.int64], check: Watch
) -> Copies:
    """All pieces, each divided as often as ``levels`` says, while there are not too many triangles."""
    while int((2.0**levels).sum() * len(segment.faces)) > MOST_TRIANGLES and levels.max():
        levels = np.minimum(levels, levels.max() - 1)
    made = Copies(segment, welds, way.closed, count)
    for level in np.unique(levels):
        check()
        made.add(np.flatnonzero(levels == level), int(level))
    if rest:
        made.add_cut(cut_at(segment, rest * segment.long), count)
    return made


def cord_of(
    segment: Segment, way: Way, course: Course, settings: StrokeSettings, *, first: Segment | None = None,
    last: Segment | None = None, check: Watch = unwatched,
) -> Cord:  # fmt: skip
    """A segment repeated along a way, in the scene's units.

    Each point stands square to the way at its own share of its piece's length, to the left and up by what it is in
    the piece; frames are those of the way, turned by roll and twist. Pieces that are open at both ends share their
    points at each joint. A piece is divided where the way bends more than 0.08 radians along one of its edges.

    Parameters
    ----------
    course : Course
        For a piece that is ``segment.long / segment.width`` of its widths long.
    first, last : Segment, optional
        Pieces that close the first and the last end.

    Raises
    ------
    BadValue
        It would have too many triangles.
    Cancelled
        Nobody waits any more.
    """
    from . import kernels

    s, welds = settings, segment.welds and settings.joined == "weld"
    count, rest = _pieces(segment, course, welds, way.closed)
    next_turn, told = np.radians(s.next_turn), []
    if welds and way.closed:  # the turns of all pieces come to whole ones
        next_turn = round(count * next_turn / (2 * np.pi)) * 2 * np.pi / count
    elif way.closed and abs(s.next_turn) > 1 and (count * s.next_turn) % 180:
        told.append("Two neighbours of the ring stand alike: their number does not come out even. Set how many.")
    turn = np.radians(s.roll) + 2 * np.pi * course.shift + (np.pi if s.top == "right" else 0.0)
    edges = course.reached(way, np.arange(count + 1.0))
    levels = _levels(way, edges, turn, next_turn if welds else 0.0)
    made = _copies(segment, way, welds, count, rest, levels, check)
    local, phase, own = made.points()
    local_turn = next_turn * phase if welds else next_turn * own
    faces = made.faces()
    size = course.width / segment.width
    gone, past = _where(course, way, phase) if welds else _apart(segment, course, way, size, phase, own)
    beyond = past / np.interp(gone, way.gone, size)
    if welds and not way.closed:
        rows, more, words = _closed_ends(made, local, faces, (first, last), s)
        told += words
        for side, new in zip((-1.0, 1.0), rows, strict=True):
            if len(new):
                at = 0.0 if side < 0 else course.repeats
                end_gone, end_past = _where(course, way, np.array([at]))
                ones = np.ones(len(new))
                local = np.vstack([local, new[:, :2]])
                phase, gone = np.append(phase, at * ones), np.append(gone, end_gone[0] * ones)
                beyond = np.append(beyond, side * new[:, 2] + end_past[0])
                local_turn = np.append(local_turn, next_turn * at * ones)
        faces = np.concatenate([faces, *more]) if more else faces
    elif first is not None or last is not None:
        told.append("End pieces close the ends of a cord whose pieces are joined.")
    check()
    points = np.empty((len(local), 3))
    table = np.ascontiguousarray(np.hstack([way.place, way.ahead, way.up, way.left]))
    stood = np.ascontiguousarray(np.column_stack([local, local_turn]))
    gone, beyond = np.ascontiguousarray(gone), np.ascontiguousarray(beyond)
    split_rows(
        lambda a, b: kernels.bend(stood, gone, beyond, turn, size, table, way.step, a, b, points), len(points), None
    )
    if segment.apart > ALIKE * segment.width and welds:
        share = segment.apart / segment.width
        told.append(
            f"The two open ends are not alike: they are drawn together by up to {per_cent(share, 1)} of the width."
        )
    round_ = np.arctan2(local[:, 1], local[:, 0]) / (2 * np.pi) + 0.5
    return Cord(points, faces.astype(np.int32), phase, round_, course.repeats, way.closed, tuple(told), segment.key)


def _closed_ends(
    made: Copies, local: Places, faces: NDArray[np.int64], pieces: tuple[Segment | None, Segment | None],
    settings: StrokeSettings,
) -> tuple[list[Places], list[NDArray[np.int64]], list[str]]:  # fmt: skip
    """New points of both ends, the triangles that close them, and what is told."""
    rows, found, told, following = [], [], [], len(local)
    for side, loops, own in zip((-1.0, 1.0), made.open_ends(), pieces, strict=True):
        end = Closing(loops, local, side, following)
        if own is not None and own.cap:
            piece(end, own)
        elif settings.ends != "open":
            _CLOSE[settings.ends](end)
            if own is not None:
                end.told = "A piece that closes an end is open at one place; this one is not, so it is left out."
        rows.append(end.new)
        if len(end.triangles):
            found.append(end.triangles)
        following = end.next
        told += [end.told] if end.told else []
    return rows, found, list(dict.fromkeys(told))
