"""Results kept by key, bounded in bytes: the least recently used goes first."""

from __future__ import annotations

import threading
from collections import OrderedDict

from ..raster import Raster


class Cache:
    """A thread-safe store of rasters.

    Parameters
    ----------
    limit : int
        Bytes to keep at most; 0 keeps nothing. A raster over half of it is not kept.
    """

    def __init__(self, limit: int) -> None:
        self.limit = limit
        self._items: OrderedDict[str, Raster] = OrderedDict()
        self._used = 0
        self._lock = threading.Lock()

    def get(self, key: str) -> Raster | None:
        with self._lock:
            found = self._items.get(key)
            if found is not None:
                self._items.move_to_end(key)
            return found

    def holds(self, key: str) -> bool:
        """Whether a key is kept now."""
        with self._lock:
            return key in self._items

    def put(self, key: str, raster: Raster) -> None:
        if raster.nbytes * 2 > self.limit:
            return
        with self._lock:
            old = self._items.pop(key, None)
            self._used -= old.nbytes if old is not None else 0
            self._items[key] = raster
            self._used += raster.nbytes
            while self._used > self.limit:
                _, gone = self._items.popitem(last=False)
                self._used -= gone.nbytes

    @property
    def used(self) -> int:
        """Bytes held now."""
        return self._used
