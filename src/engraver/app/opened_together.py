"""Files that are opened together: what could not be opened of them is told once, and all of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from engraver.core.errors import EngraverError

# So many are told with the reason, the others by their names.
_IN_FULL = 3

Ends = tuple[Callable[[Any], None], Callable[[EngraverError], None], Callable[[], None]]


class OpenedTogether:
    """Counts how each of them ended; ``tell`` takes a sentence and its kind."""

    def __init__(self, count: int, tell: Callable[[str, str], Any]) -> None:
        self._count, self._open, self._tell = count, count, tell
        self._wrong: list[tuple[Path, EngraverError]] = []

    def one(self, path: Path, then: Callable[[Any], Any]) -> Ends:
        """What its task calls when it ends: done, which goes on with ``then``; failed; cancelled."""

        def done(found: Any) -> None:
            then(found)
            self._ended()

        def failed(error: EngraverError) -> None:
            self._wrong.append((path, error))
            self._ended()

        return done, failed, self._ended

    def _ended(self) -> None:
        self._open -= 1
        if self._open or not self._wrong:
            return
        said = " ".join(error.sentence() for _, error in self._wrong[:_IN_FULL])
        others = ", ".join(path.name for path, _ in self._wrong[_IN_FULL:])
        also = f" Nor could {others}." if others else ""
        head = f"{len(self._wrong)} of {self._count} files could not be opened. " if self._count > 1 else ""
        self._tell(f"{head}{said}{also}", "fault")
