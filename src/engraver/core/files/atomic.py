"""Writing files so that a kill or a full disk leaves the old or the new, never half."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from ..errors import FileTrouble, file_trouble

_MOST_OF_A_NAME = 60


@contextmanager
def whole(path: Path, *, overwrite: bool = True) -> Iterator[BinaryIO]:
    """A temporary file beside ``path`` to write to; at the end of the block it is flushed to disk and renamed over.

    Raises
    ------
    FileTrouble
        The target exists and may not be replaced, or the disk or folder refused;
        the temporary file is gone and the old file stands.
    """
    if not overwrite and there(path):
        raise FileTrouble(
            f"{path} was not written", "a file of that name is there", "Choose another name or allow replacing"
        )
    # Its name is short, so that any name that is allowed can be written.
    beside = path.with_name(f".{path.name[:_MOST_OF_A_NAME]}.{os.getpid()}.part")
    try:
        with open(beside, "wb") as file:
            yield file
            file.flush()
            os.fsync(file.fileno())
        os.replace(beside, path)
    except FileTrouble:
        raise
    except OSError as error:
        raise file_trouble("written", path, error) from error
    finally:
        beside.unlink(missing_ok=True)
    _sync_folder(path.parent)


def check_place(path: Path) -> None:
    """Raises FileTrouble where a file could not be written, before work is done for it."""
    if path.is_dir():
        raise FileTrouble(f"{path.name} cannot be written", "it is a folder", "Choose another name")
    if not path.parent.is_dir():
        raise FileTrouble(f"{path.name} cannot be written", "its folder is not there", "Make it first")
    if not os.access(path.parent, os.W_OK):
        raise FileTrouble(f"{path.name} cannot be written", "its folder takes no files", "Choose another one")


def there(path: Path) -> bool:
    """Whether a file is there. Raises FileTrouble where the system does not even take its name."""
    try:
        return path.exists()
    except OSError as error:
        raise file_trouble("written", path, error) from error


def clear_parts(folder: Path, process: int | None) -> None:
    """Take away what a process that has ended has left half written in a folder."""
    try:
        for left in folder.glob(f".*.{process}.part"):
            left.unlink(missing_ok=True)
    except OSError:
        return  # it can no longer be reached, and is not seen there either


def write_with(path: Path, fill: Callable[[BinaryIO], object], *, overwrite: bool = True) -> None:
    """Write through ``fill`` as :func:`whole` does, with its errors."""
    with whole(path, overwrite=overwrite) as file:
        fill(file)


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def write_bytes(path: Path, data: bytes, *, overwrite: bool = True) -> None:
    """Write ``data`` as :func:`write_with` does."""
    write_with(path, lambda file: file.write(data), overwrite=overwrite)
