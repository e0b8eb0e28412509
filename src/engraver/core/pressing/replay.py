"""A trial's gestures pressed one after the other, from the longest run of them that has been pressed already."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence

import numpy as np

from ..cache import Cache
from ..errors import Watch, unwatched
from ..raster import Pixels
from ..surfaces.ground import Ground
from ..surfaces.kind import Geometry
from ..surfaces.own import OwnMesh
from .band import lay_band
from .expand import Marks, expand
from .gesture import Gesture
from .relief import Kept, Relief, Tip, tones_of

# What every so manieth gesture has left is kept, beside what all but the last have.
_EVERY = 20


class Replay:
    """Brings a relief to what gestures make of it; belongs to one thread.

    Parameters
    ----------
    ground, geometry
        The surface.
    own : OwnMesh, optional
        Of a surface that is made from a mesh.
    key : str
        Names the surface and its density.
    cache : Cache
        Where heights on the way are kept, bounded in bytes.
    """

    def __init__(self, ground: Ground, geometry: Geometry, own: object, key: str, cache: Cache) -> None:
        self.relief = Relief(ground, page=geometry.page)
        self.geometry, self._own, self._cache = geometry, own, cache
        self._root = f"relief {key}"
        self._surface = f"{geometry.build.__module__} {own.key if isinstance(own, OwnMesh) else ''}"
        self._done = self._root
        self._live: tuple[Gesture, Marks] | None = None

    def bring(self, gestures: Sequence[Gesture], tips: Mapping[str, Tip], check: Watch = unwatched) -> None:
        """Press what is missing; heights that have something else in them go back first.

        Parameters
        ----------
        tips : mapping
            The plates that gestures press, by id; a gesture whose plate is not there leaves no mark.

        Raises
        ------
        Cancelled
            Nobody waits any more; what has been pressed by then is used the next time.
        """
        effective = acting(gestures)
        keys = [self._root]
        for gesture in effective:
            keys.append(_after(keys[-1], gesture, tips))
        if self._live is not None:
            self._live, self._done = None, ""
        begin = keys.index(self._done) if self._done in keys else -1
        if begin < 0:
            begin = self._go_back(keys)
        for n in range(begin, len(effective)):
            check()
            if n == len(effective) - 1 or (n and n % _EVERY == 0):
                self._cache.put(keys[n], self.relief.kept())
            self._done = ""  # half a gesture is none that is known
            self._act(effective[n], tips, check)
            self._done = keys[n + 1]

    def missing(self, gestures: Sequence[Gesture], tips: Mapping[str, Tip]) -> int:
        """How many gestures :meth:`bring` would have to press."""
        keys = [self._root]
        for gesture in acting(gestures):
            keys.append(_after(keys[-1], gesture, tips))
        known = (n for n in range(len(keys) - 1, 0, -1) if keys[n] == self._done or self._cache.holds(keys[n]))
        return len(keys) - 1 - next(known, 0)

    def _go_back(self, keys: Sequence[str]) -> int:
        for n in range(len(keys) - 1, 0, -1):
            found = self._cache.get(keys[n])
            if isinstance(found, Kept):
                self.relief.go_back(found)
                self._done = keys[n]
                return n
        self.relief.go_back(None)
        self._done = self._root
        return 0

    def live(
        self, gestures: Sequence[Gesture], gesture: Gesture, tips: Mapping[str, Tip], check: Watch = unwatched
    ) -> None:
        """Bring the relief to gestures and one that the hand is still making: only its new marks are pressed."""
        known = self._live
        if gesture.declared.curve:  # all of a band may change with its last point
            self.bring([*gestures, gesture], tips, check)
            return
        if known is not None and known[0].uid == gesture.uid:
            marks = expand(gesture, self.geometry, self._own, live=True)
            same = marks.same_from(known[1])
            if same == len(known[1]):
                self._press(gesture, marks.part(slice(same, len(marks))), tips, check)
                self._live = gesture, marks
                return
        self.bring(gestures, tips, check)
        base = self._done
        self._cache.put(base, self.relief.kept())
        marks = expand(gesture, self.geometry, self._own, live=True)
        self._live = gesture, marks
        self._press(gesture, marks, tips, check)

    def _act(self, gesture: Gesture, tips: Mapping[str, Tip], check: Watch) -> None:
        if gesture.declared.curve:
            lay_band(self.relief, gesture, self.geometry, self._own, tips, self._cache, check)
        else:
            self._press(gesture, self._marks(gesture), tips, check)

    def _marks(self, gesture: Gesture) -> Marks:
        """The marks of a gesture, the same at every density: kept for the others."""
        key = f"marks {self._surface} {gesture.digest}"
        known = self._cache.get(key)
        if not isinstance(known, Marks):
            known = expand(gesture, self.geometry, self._own)
            self._cache.put(key, known)
        return known

    def _press(self, gesture: Gesture, marks: Marks, tips: Mapping[str, Tip], check: Watch) -> None:
        settings, relief = gesture.settings, self.relief
        if gesture.kind == "smooth":
            relief.smooth(marks, settings, gesture.keeps, check)
        elif gesture.kind == "scrape":
            relief.scrape(marks, settings, check)
        elif gesture.plate in tips:
            relief.press(marks, tips[gesture.plate], settings, tones_of(tips.get(settings.tooth_plate)), check)


def acting(gestures: Sequence[Gesture]) -> list[Gesture]:
    """Those that have an effect: on, and after the last wiping."""
    on = [g for g in gestures if g.on]
    wiped = max((n for n, g in enumerate(on) if g.kind == "wipe"), default=-1)
    return on[wiped + 1 :]


def _after(before: str, gesture: Gesture, tips: Mapping[str, Tip]) -> str:
    """Names what is there once a gesture was pressed after what ``before`` names."""
    used = [tips[id].key if id in tips else "none" for id in gesture.plates]
    text = f"{before} {gesture.digest} {' '.join(used)}"
    return "relief " + hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def content_key(surface: str, own: str, gestures: Sequence[Gesture], tips: Mapping[str, str]) -> str:
    """Names what a trial shows, whatever its density; ``tips`` are the keys of the plates by id."""
    held = {id: Tip(_NOTHING, None, key) for id, key in tips.items()}
    key = f"relief {surface} {own}"
    for gesture in acting(gestures):
        key = _after(key, gesture, held)
    return key


_NOTHING: Pixels = np.zeros((1, 1), np.float32)
