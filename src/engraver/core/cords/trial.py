"""The cords of a trial: gestures along curves whose plates are made from meshes, as bodies on the surface."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..cache import Cache
from ..curves.way import Way
from ..errors import Cancelled, EngraverError, Watch, unwatched
from ..pressing.along import Note, course_of, likeness, notes_of_way, way_of
from ..pressing.band import band_of, notes_of_band
from ..pressing.expand import symmetry
from ..pressing.gesture import Gesture
from ..pressing.relief import Tip
from ..pressing.replay import acting
from ..surfaces.kind import Geometry
from .body import Cord, cord_of
from .segment import Segment, segment_of


@dataclass(frozen=True, eq=False)
class OnCurve:
    """What lies along the curve of one gesture: its cord with its likes, none for a band; what is to be told; and
    what was found of a cord's piece."""

    cords: tuple[Cord, ...] = ()
    notes: tuple[Note, ...] = ()
    words: str = ""

    @property
    def nbytes(self) -> int:
        return sum(cord.nbytes for cord in self.cords) + 1000


def segment_in(tip: Tip, cache: Cache) -> Segment:
    """The mesh of a plate as a segment, worked out once. Raises BadMesh."""
    key = f"segment {tip.key}"
    found = cache.get(key)
    if not isinstance(found, Segment):
        assert tip.body is not None
        found = segment_of(tip.body, "The plate's mesh", key)
        cache.put(key, found)
    return found


def on_curve(
    gesture: Gesture, geometry: Geometry, own: object, tips: Mapping[str, Tip], cache: Cache, check: Watch = unwatched
) -> OnCurve:
    """What lies along the curve of a gesture, kept by all that it depends on; what cannot be done is told in its
    notes. Raises Cancelled."""
    used = " ".join(tips[id].key if id in tips else "none" for id in gesture.plates)
    key = f"on curve {geometry.build.__module__} {getattr(own, 'key', '')} {gesture.digest} {used}"
    found = cache.get(key)
    if not isinstance(found, OnCurve):
        try:
            found = _made(gesture, geometry, own, tips, cache, check)
        except Cancelled:
            raise
        except EngraverError as error:
            found = OnCurve((), (Note(error.sentence()),))
        cache.put(key, found)
    return found


def _made(
    gesture: Gesture, geometry: Geometry, own: object, tips: Mapping[str, Tip], cache: Cache, check: Watch
) -> OnCurve:
    tip, s = tips.get(gesture.plate), gesture.settings
    made = way_of(gesture, geometry, own, cache)
    if s.made == "band" or tip is None or tip.body is None:
        notes = notes_of_band(s, made, band_of(gesture, tips, made))
        lacks = (Note("The plate is not made from a mesh, so it is pressed as a band."),) if s.made == "body" else ()
        return OnCurve((), (*notes, *lacks))
    segment = segment_in(tip, cache)
    course = course_of(s, gesture.points, made, s.width, segment.long / segment.width)
    first, last = (
        segment_in(tips[id], cache) if id in tips and tips[id].body is not None else None
        for id in (s.first_piece, s.last_piece)
    )

    def along(way: Way) -> Cord:
        check()
        return cord_of(segment, way, course, s, first=first, last=last, check=check)

    to, cord = symmetry(gesture.mirror, gesture.arms, geometry.axis)[1:], along(made.way)
    likes = (cord.moved(one) if geometry.alike else along(likeness(made.way, one, geometry, own)) for one in to)
    room = segment.radius * s.width / segment.width
    notes = notes_of_way(s, made, course, room=room, flat=False)
    return OnCurve((cord, *likes), (*notes, *(Note(words) for words in cord.told)), segment.words)


def cords_of(
    gestures: Sequence[Gesture], geometry: Geometry, own: object, tips: Mapping[str, Tip], cache: Cache,
    check: Watch = unwatched,
) -> tuple[Cord, ...]:  # fmt: skip
    """All cords of a trial, in the order of their gestures. Raises Cancelled."""
    found: list[Cord] = []
    for gesture in acting(gestures):
        if gesture.declared.curve and gesture.settings.made == "body":
            found += on_curve(gesture, geometry, own, tips, cache, check).cords
    return tuple(found)
