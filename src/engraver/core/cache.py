"""The one cache: what was computed and may be wanted again, bounded in bytes, the least recently used goes first."""

from __future__ import annotations

import threading
from typing import Any, Protocol

from cachetools import LRUCache

# What a note is counted as; notes have a room of their own, so that large pictures do not push them out.
NOTE_BYTES = 1024
NOTES_LIMIT = 16_000_000
USUAL = 2_000_000_000
# A thing that takes over an eighth of the room takes much.
_MUCH = 8


class Weighed(Protocol):
    """Something that knows how many bytes it takes."""

    @property
    def nbytes(self) -> int: ...


def _weight(value: Weighed) -> int:
    return value.nbytes


class Cache:
    """A thread-safe store of rasters, meshes and notes, by key.

    Parameters
    ----------
    limit : int
        Bytes of large things to keep at most; 0 keeps none. A thing over half of it is not kept.
        Notes (automatic values, the facts of a capture) are kept beside them, also bounded.
    """

    def __init__(self, limit: int = USUAL) -> None:
        self.limit = limit
        self._large: LRUCache[str, Any] = LRUCache(max(limit, 1), getsizeof=_weight)
        self._notes: LRUCache[str, Any] = LRUCache(NOTES_LIMIT, getsizeof=lambda _: NOTE_BYTES)
        self._lock = threading.Lock()

    def get(self, key: str) -> Any:
        """What is kept under a key; None when nothing is."""
        with self._lock:
            return self._large.get(key)

    def holds(self, key: str) -> bool:
        """Whether something large is kept under a key now."""
        with self._lock:
            return key in self._large

    def takes_much(self, value: Weighed) -> bool:
        """Whether something would take so much of the room that what is quickly made again is better not kept."""
        return value.nbytes * _MUCH > self.limit

    def put(self, key: str, value: Weighed) -> None:
        """Keep something large, in place of what was there."""
        if value.nbytes * 2 > self.limit:
            return
        with self._lock:
            self._large[key] = value

    def drop(self, key: str) -> None:
        """Forget one thing."""
        with self._lock:
            self._large.pop(key, None)

    def note(self, key: str, value: Any) -> None:
        """Keep something small."""
        with self._lock:
            self._notes[key] = value

    def noted(self, key: str) -> Any:
        """What was noted under a key; None when nothing is."""
        with self._lock:
            return self._notes.get(key)

    @property
    def used(self) -> int:
        """Bytes held now, notes among them."""
        with self._lock:
            return int(self._large.currsize + self._notes.currsize)
