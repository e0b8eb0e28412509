"""Whether a file is still the one that was read or written here."""

from __future__ import annotations

from pathlib import Path

Stamp = tuple[int, int, int]


def stamp_of(path: Path) -> Stamp | None:
    """When a file was written (ns), how long it is (bytes), and its number on the disk; None where there is none."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size, found.st_ino
