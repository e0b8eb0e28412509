"""The likenesses of all entries, in rows that can be asked at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from .likeness import LENGTH, unpacked


class Likenesses:
    """Grows with each entry, so that none has to be read again.

    Parameters
    ----------
    version : int
        Of the tables that they were read from.
    found : sequence of (str, bytes)
        Ids, and likenesses as they are stored.
    """

    def __init__(self, version: int, found: Sequence[tuple[str, bytes]]) -> None:
        self.version = version
        self.ids = [id for id, _ in found]
        self._place = {id: n for n, id in enumerate(self.ids)}
        self._rows = np.zeros((max(64, 2 * len(found)), LENGTH), np.float32)
        together = b"".join(data for _, data in found)
        if all(len(data) == 2 * LENGTH for _, data in found) and found:
            read = np.frombuffer(together, "<f2").reshape(-1, LENGTH).astype(np.float32)
            read[~np.isfinite(read).all(axis=1)] = 0
            self._rows[: len(found)] = read
        else:
            for n, (_, data) in enumerate(found):
                self._rows[n] = unpacked(data)

    @property
    def rows(self) -> NDArray[np.float32]:
        """float32 (number of ids, LENGTH)."""
        return self._rows[: len(self.ids)]

    def put(self, id: str, likeness: NDArray[np.float32]) -> None:
        """One more, or another one in its place."""
        place = self._place.setdefault(id, len(self.ids))
        if place == len(self.ids):
            self.ids.append(id)
            if place == len(self._rows):
                self._rows = np.concatenate([self._rows, np.zeros_like(self._rows)])
        self._rows[place] = likeness
