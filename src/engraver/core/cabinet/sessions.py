"""Which programs are running on a cabinet: what one keeps until it closes goes when it ends, also by a kill."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

from ..recipe import new_id

try:
    import fcntl
except ImportError:  # not on every system: what a killed program kept stays until it is removed by hand
    fcntl = None  # type: ignore[assignment]


class Session:
    """One program's time with a cabinet: a file that is locked for as long as it runs.

    Parameters
    ----------
    folder : Path
        Of the cabinet. Where it cannot be written, a session only has its id.
    """

    def __init__(self, folder: Path) -> None:
        self.id = new_id("session")
        self._folder = folder / "sessions"
        self._file = -1
        with suppress(OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
            self._file = os.open(self._folder / self.id, os.O_CREAT | os.O_RDWR, 0o600)
            if fcntl is not None:
                fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def ended(self, ids: list[str]) -> list[str]:
        """Those of these sessions whose programs run no more."""
        return [id for id in ids if id != self.id and not self._runs(id)]

    def _runs(self, id: str) -> bool:
        path = self._folder / id
        try:
            file = os.open(path, os.O_RDWR)
        except OSError:
            return False  # it was closed, and took its file with it
        try:
            if fcntl is None:
                return True
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return True
        finally:
            os.close(file)
        path.unlink(missing_ok=True)
        return False

    def end(self) -> None:
        """The program closes."""
        if self._file >= 0:
            with suppress(OSError):
                (self._folder / self.id).unlink(missing_ok=True)
                os.close(self._file)
            self._file = -1
