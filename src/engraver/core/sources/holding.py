"""The bytes of sources by their digest, and the cache for what is made of them."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ..cache import USUAL, Cache
from ..errors import FileTrouble
from ..files.read import read_bytes
from ..recipe.models import Source, SourceFile

# Larger files stay where they are, and the project names their place.
LINK_ABOVE = 200_000_000


def digest(data: bytes) -> str:
    """SHA-256 of a source's bytes, in hex: its name in a project file."""
    return hashlib.sha256(data).hexdigest()


class Holding:
    """Knows where the bytes of every file are; safe to use from several threads.

    Parameters
    ----------
    limit : int
        Bytes that the cache may hold; 0 for one-off work in little memory.
    """

    def __init__(self, limit: int = USUAL) -> None:
        self.cache = Cache(limit)
        self._readers: dict[str, tuple[Callable[[], bytes], Any]] = {}
        self._lock = threading.Lock()
        # So that two threads that ask for the same large thing do not both make it.
        self.making = threading.RLock()
        # The mesh in use is held whatever the cache does: it is asked for at every turn of the hand.
        self.in_use: Any = None

    def provide(self, sha256: str, reader: Callable[[], bytes], origin: Any = None) -> None:
        """Say where the bytes of a digest can be read; ``origin`` is what they lie in, for who can use it whole."""
        with self._lock:
            self._readers[sha256] = reader, origin

    def offer(self, sha256: str, reader: Callable[[], bytes]) -> None:
        """As :meth:`provide`, when nothing is known of that digest yet."""
        with self._lock:
            self._readers.setdefault(sha256, (reader, None))

    def origin(self, sha256: str) -> Any:
        """What the bytes lie in; None when they are at hand by themselves."""
        with self._lock:
            return self._readers.get(sha256, (None, None))[1]

    def read(self, source: Source, file: SourceFile) -> bytes:
        """The bytes of one file of a source, from the project or from its link.

        Raises
        ------
        FileTrouble
            It is missing from the project, or a linked file is gone or has changed.
        """
        with self._lock:
            reader = self._readers.get(file.sha256, (None, None))[0]
        if reader is not None:
            return reader()
        if file.link is None:
            raise FileTrouble(f"The source {source.name} is missing from the project", "", "Open it again")
        path = Path(file.link)
        if not path.is_file():
            raise FileTrouble(
                f"{source.name} is not at its place any more", f"it was linked from {path.parent}",
                "Choose the source card and press Find it again",
            )  # fmt: skip
        data = read_bytes(path)
        if digest(data) != file.sha256:
            raise FileTrouble(
                f"The linked source {source.name} has changed", "it is no longer the same file", "Open it as new"
            )
        return data

    def bytes_of(self, source: Source) -> bytes:
        """The only file of a source. Raises FileTrouble as :meth:`read` does."""
        if not source.files:
            raise FileTrouble(f"The source {source.name} is missing from the project", "", "Open it again")
        return self.read(source, source.file)

    def missing(self, source: Source) -> bool:
        """Whether a linked file of a source is not at its place (its contents are not looked at)."""
        with self._lock:
            wanted = [f.link for f in source.files if f.link is not None and f.sha256 not in self._readers]
        return any(not Path(link).is_file() for link in wanted)

    @staticmethod
    def relink(source: Source, path: Path) -> Path:
        """Where a linked source lies now, once the file there is known to be the same.

        Raises
        ------
        FileTrouble
            When it cannot be read, or is another file.
        """
        if digest(read_bytes(path)) != source.file.sha256:
            raise FileTrouble(
                f"{path.name} is not the same file as {source.name}", "its contents differ",
                "Choose another one, or replace the source by it",
            )  # fmt: skip
        return path.resolve()
