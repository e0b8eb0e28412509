"""A gesture along a curve: its way on the surface, and how size, strength and phase run along it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ..cache import Cache
from ..curves.laid import Laid, crossings, laid, tightest
from ..curves.way import Way, square_to
from ..numeric import monotone
from ..surfaces.ground import SCENE
from ..surfaces.kind import Geometry
from ..words import per_cent
from .gesture import Gesture
from .settings import StrokeSettings

# Places of a way to a width, and how far apart they lie at most and at least, in scene units.
TO_A_WIDTH, _MOST_STEP, _LEAST_STEP = 14, 0.02, 0.0015
# What of a way is left to the repeats between two pieces, at least.
_LEAST_BETWEEN = 0.05
# The least of a size or of a spacing that runs along a curve.
_SOME = 0.02
# A corner that was moved by less than this share of the width is not worth a word.
_SEEN = 0.02
# What of its reach a bend may lack before it is told, and what a piece may be stretched to.
_TIGHT, _STRETCHED = 0.97, (0.75, 1.34)
# Pieces after which turned neighbours may stand alike again.
_MOST_EACH = 13


@dataclass(frozen=True, eq=False)
class Course:
    """How a band runs along a way, at each of its places (n,).

    Attributes
    ----------
    width : float64 (n,)
        In scene units.
    strong : float64 (n,)
        Height of white, in scene units.
    phase : float64 (n,)
        How many repeats lie behind.
    shift : float64 (n,)
        How far what lies across has moved round, in widths.
    begin, end : float
        Where the repeats begin and end: the first and the last piece lie beyond, in scene units.
    repeats : float
        How many there are.
    stretch : float
        By how much each is longer than its own length.
    """

    width: NDArray[np.float64]
    strong: NDArray[np.float64]
    phase: NDArray[np.float64]
    shift: NDArray[np.float64]
    begin: float
    end: float
    repeats: float
    stretch: float

    def reached(self, way: Way, phase: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far along the way that many repeats lie behind, held between begin and end: float64, scene units."""
        inside = (way.gone > self.begin) & (way.gone < self.end)
        at = np.concatenate([[self.begin], way.gone[inside], [self.end]])
        found: NDArray[np.float64] = np.interp(phase, np.concatenate([[0.0], self.phase[inside], [self.repeats]]), at)
        return found


def way_of(gesture: Gesture, geometry: Geometry, own: object, cache: Cache | None = None) -> Laid:
    """The way of a gesture along a curve, kept by what it depends on. Raises BadValue for one with too few points."""
    s = gesture.settings
    key = f"way {geometry.build.__module__} {getattr(own, 'key', '')} {gesture.digest}"
    found = cache.get(key) if cache is not None else None
    if isinstance(found, Laid):
        return found
    width = s.width
    between = partial(_between, geometry, own) if geometry.between is not None else None
    made = laid(
        gesture.points, gesture.way, lambda places: geometry.onto(places, own), between,
        step=min(_MOST_STEP, max(_LEAST_STEP, width / TO_A_WIDTH)), least=s.bend * width,
        offset=gesture.way.offset * SCENE,
    )  # fmt: skip
    if cache is not None:
        cache.put(key, made)
    return made


def _between(
    geometry: Geometry, own: object, one: NDArray[np.float64], other: NDArray[np.float64]
) -> NDArray[np.float64]:
    assert geometry.between is not None
    return geometry.between(one, other, own)


def course_of(
    settings: StrokeSettings, points: NDArray[np.float64], made: Laid, width: float, long: float,
    ends: tuple[float, float] = (0.0, 0.0),
) -> Course:  # fmt: skip
    """How a thing that is ``long`` of its widths is repeated along a way.

    Parameters
    ----------
    points : float64 (n, 4 or more)
        Those of the curve, for the pressure in their fourth column.
    width : float
        Where size is 1, in the units of the way.
    ends : (float, float)
        How long the first and the last piece are, in widths; 0 for none.
    """
    s, way = settings, made.way
    gone = way.gone
    share = gone / way.length
    size = np.maximum(monotone.evaluate(s.size_along, share), 0.0)
    strong = np.ones_like(share)
    if not way.closed:
        size = size * _tapered(share, s)
    if len(points) and (s.press_size or s.press_strength or s.press_flow):
        count = len(points)
        told = np.append(points[:, 3], points[:1, 3])[: count + way.closed]
        pressure = np.interp(way.share, np.arange(count + way.closed), told)
        least = max(s.press_least, 0.0)
        size = size * (1 - s.press_size + s.press_size * (least + (1 - least) * pressure))
        strong = strong * (1 - s.press_strength + s.press_strength * pressure)
        strong = strong * (1 - s.press_flow + s.press_flow * pressure)
    across = np.maximum(size, _SOME) * width
    begin, end = (0.0, way.length) if way.closed else (ends[0] * across[0], way.length - ends[1] * across[-1])
    if end - begin < way.length * _LEAST_BETWEEN:  # pieces alone would take all of it: they share it
        middle, half = way.length * ends[0] / max(sum(ends), 1e-9), way.length * _LEAST_BETWEEN / 2
        begin, end = max(0.0, middle - half), min(way.length, middle + half)
    begin, end = float(begin), float(end)
    own = long * width * s.pitch
    weight = 1 / np.maximum(monotone.evaluate(s.pitch_along, share), _SOME)
    inside = np.clip(gone, begin, end)
    behind = np.concatenate([[0.0], np.cumsum((weight[1:] + weight[:-1]) / 2 * np.diff(inside))])
    natural = (end - begin) / max(own, 1e-9)
    repeats = _count(s, natural, way.closed)
    phase = behind / max(float(behind[-1]), 1e-12) * repeats
    turns = float(round(s.twist)) if way.closed else s.twist
    shift = turns * monotone.evaluate(s.twist_along, share)
    return Course(
        across, strong * s.strength * across, phase, shift, begin, end, repeats, natural / max(repeats, 1e-9)
    )  # fmt: skip


def _count(s: StrokeSettings, natural: float, closed: bool) -> float:
    """How many repeats fit: whole where it is asked, and where a ring has to meet itself."""
    if s.fits == "count":
        return float(s.times)
    if s.fits == "own" and not closed:
        return natural
    # Neighbours that are turned have to come out even where a ring closes.
    each = next((n for n in range(1, _MOST_EACH) if closed and not (n * s.next_turn) % 180), 1)
    return float(each * max(1, round(natural / each)))


def _tapered(share: NDArray[np.float64], s: StrokeSettings) -> NDArray[np.float64]:
    taper = np.minimum(1.0, share / s.taper_in) if s.taper_in > 0 else np.ones_like(share)
    if s.taper_out > 0:
        taper = taper * np.minimum(1.0, (1 - share) / s.taper_out)
    return taper


@dataclass(frozen=True, slots=True)
class Note:
    """Something to be told of a curve: in words, and where on the surface, scene places (k, 3)."""

    words: str
    places: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, 3)))


def notes_of_way(
    settings: StrokeSettings, made: Laid, course: Course, *, room: float, flat: bool
) -> tuple[Note, ...]:
    """What is worth knowing of what lies along a way: roundings, crossings, bends that are too tight, stretching.

    Parameters
    ----------
    room : float
        How far it reaches from its way where it is widest, in scene units.
    flat : bool
        It lies in the surface: only what the way bends within that counts.
    """
    s, found, way, widest = settings, [], made.way, float(course.width.max())
    if len(made.rounded) and made.moved > _SEEN * widest:
        count = len(made.rounded)
        words = "1 corner was" if count == 1 else f"{count} corners were"
        moved = per_cent(made.moved / widest)
        words += f" rounded to a radius of {per_cent(s.bend)} of the width, moved by {moved} of it."
        found.append(Note(words, made.rounded))
    bend = tightest(way, flat=flat)
    if (bend < room * course.width / widest * _TIGHT).any():
        worst = int(np.argmin(bend / course.width))
        words = "It bends more tightly than it is wide: it runs into itself there."
        found.append(Note(words, way.place[worst][None]))
    crossed = crossings(way, widest)
    if len(crossed):
        found.append(Note("It crosses itself, or comes nearer to itself than it is wide.", crossed))
    if course.repeats <= 1 and course.stretch < _STRETCHED[0] and s.fits != "count":
        short = per_cent(course.stretch)
        found.append(Note(f"The curve is shorter than one piece: it is pressed together to {short} of its length."))
    elif not _STRETCHED[0] <= course.stretch <= _STRETCHED[1]:
        found.append(Note(f"Each piece is stretched to {per_cent(course.stretch)} of its own length."))
    if way.closed and s.twist != round(s.twist):
        found.append(Note(f"A ring is twisted by whole turns: by {round(s.twist)}."))
    return tuple(found)


def likeness(way: Way, to: NDArray[np.float64], geometry: Geometry, own: object) -> Way:
    """A way where its like stands by a symmetry (3, 3); on the surface, where that is another there."""
    if np.array_equal(to, np.eye(3)):
        return way
    moved = way.moved(to)
    if geometry.alike:
        return moved
    place, up = geometry.onto(moved.place, own)
    up = square_to(up, moved.ahead)
    left = np.cross(up, moved.ahead) * (1.0 if np.linalg.det(to) > 0 else -1.0)
    return replace(moved, place=place, up=up, left=left)
