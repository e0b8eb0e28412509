"""Pictures beside the tables, each in a file named by its SHA-256."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator
from pathlib import Path

from ..errors import FileTrouble, file_trouble
from ..files.atomic import write_bytes


class Blobs:
    """A folder of files that never change."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def path(self, digest: str) -> Path:
        return self.folder / digest[:2] / digest

    def put(self, data: bytes, digest: str = "") -> str:
        """Keep some bytes; returns their SHA-256, ``digest`` where it is known. Raises FileTrouble."""
        digest = digest or hashlib.sha256(data).hexdigest()
        path = self.path(digest)
        if path.exists():
            os.utime(path)  # new again: what is old and named by nothing is removed
        else:
            try:
                path.parent.mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise file_trouble("written", path, error) from error
            write_bytes(path, data)
        return digest

    def get(self, digest: str) -> bytes:
        """Raises FileTrouble where they are gone or damaged."""
        try:
            data = self.path(digest).read_bytes()
        except OSError as error:
            raise FileTrouble("A picture of the cabinet cannot be read", str(error.strerror or ""), "") from error
        if hashlib.sha256(data).hexdigest() != digest:
            raise FileTrouble("A picture of the cabinet is damaged", "", "Run `engraver cabinet check`")
        return data

    def all(self) -> Iterator[str]:
        """Digests of what is there; files that were being written when a program was killed are left out."""
        for part in sorted(self.folder.glob("??")):
            with os.scandir(part) as found:
                yield from (f.name for f in found if len(f.name) == 64)

    def remove(self, digest: str) -> None:
        self.path(digest).unlink(missing_ok=True)
