"""Files that were asked for together: what could not be opened of them is told once, and all of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from engraver.core.errors import EngraverError

_FULL = 3


class Together:
    """Counts how each of them ended."""

    def __init__(self, count: int, tell: Callable[[str, str], Any]) -> None:
        self._count, self._open, self._tell = count, count, tell
        self._wrong: list[EngraverError] = []

    def good(self, then: Callable[[Any], Any]) -> Callable[[Any], None]:
        """What is done with one that was opened, and counted."""

        def done(found: Any) -> None:
            then(found)
            self._ended()

        return done

    def bad(self, error: EngraverError) -> None:
        """One could not be opened."""
        self._wrong.append(error)
        self._ended()

    def _ended(self) -> None:
        self._open -= 1
        if self._open or not self._wrong:
            return
        if self._count == 1:
            self._tell(self._wrong[0].sentence(), "fault")
            return
        more = len(self._wrong) - _FULL
        said = " ".join(error.sentence() for error in self._wrong[:_FULL])
        also = f" And {more} more: {', '.join(e.what for e in self._wrong[_FULL:][:_FULL])}." if more > 0 else ""
        self._tell(f"{len(self._wrong)} of {self._count} files could not be opened. {said}{also}", "fault")
