"""Where a pack is written: a folder or a zip, the same bytes for the same pack; an older pack there is refreshed."""

from __future__ import annotations

import hashlib
import os
import shutil
import zipfile
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path
from typing import Protocol

from ..errors import EngraverError, FileTrouble, file_trouble
from ..files.atomic import whole, write_bytes
from .listing import PackFile
from .opened import Opened, open_pack
from .plan import LIST

ZIP = ".zip"
_DATE = (1980, 1, 1, 0, 0, 0)


class Place(Protocol):
    """Takes the files of a pack one by one."""

    def put(self, path: str, data: bytes) -> None:
        """One file of it, by its path inside."""

    def keep(self, path: str) -> None:
        """One that is there already and stays as it is."""


def old_pack(out: Path) -> PackFile | None:
    """What the pack that lies there says; None where there is none that can be read."""
    if not out.exists():
        return None
    try:
        with open_pack(out) as found:
            return found.listing
    except EngraverError:
        return None


def intact(out: Path, old: PackFile | None) -> frozenset[str]:
    """Paths of the files of an older pack that are what it says."""
    if old is None:
        return frozenset()
    try:
        with open_pack(out) as found:
            return frozenset(
                path for path, digest in old.digests().items()
                if found.holds(path) and hashlib.sha256(found.read(path)).hexdigest() == digest
            )  # fmt: skip
    except EngraverError:
        return frozenset()


def refuse_strange(out: Path) -> None:
    """Raises FileTrouble where something lies that is no pack: nothing of anybody's is written over."""
    if not out.exists() or (out.is_dir() and not any(out.iterdir())):
        return
    if old_pack(out) is None:
        raise FileTrouble(
            f"{out} was not written", "something lies there that is no pack", "Choose another name or an empty folder"
        )


@contextmanager
def place_at(out: Path, old: PackFile | None) -> Iterator[Place]:
    """Write a pack at ``out``, a zip where it ends with .zip, else a folder.

    It is made beside first: until all of it is there, what lies at ``out`` stands. Files of an older pack there that
    have not changed are not written again; those that the new one does not have go.

    Raises
    ------
    FileTrouble
        The folder or the disk refused; an older pack stands.
    """
    if out.suffix.lower() == ZIP:
        with _zip_at(out) as place:
            yield place
        return
    with _folder_at(out, old) as place:
        yield place


@contextmanager
def _folder_at(out: Path, old: PackFile | None) -> Iterator[Place]:
    """Beside it first: what lies there stands until all of the new pack is made."""
    beside = out.with_name(f".{out.name}.{os.getpid()}.part")
    try:
        beside.mkdir(parents=True)
        folder = _Folder(beside)
        yield folder
        if not out.exists():
            os.rename(beside, out)
            return
        for path in sorted(folder.put_, key=lambda path: path == LIST):  # the list last
            _moved_unless_same(beside / path, out / path)
        for path in set(old.digests() if old is not None else ()) - folder.put_ - folder.kept:
            (out / path).unlink(missing_ok=True)
            with suppress(OSError):
                (out / path).parent.rmdir()  # only where nothing is left in it
    except OSError as error:
        if isinstance(error, EngraverError):
            raise
        raise file_trouble("written", out, error) from error
    finally:
        shutil.rmtree(beside, ignore_errors=True)


def _moved_unless_same(made: Path, to: Path) -> None:
    """What has not changed is not written again."""
    if to.is_file() and to.stat().st_size == made.stat().st_size and to.read_bytes() == made.read_bytes():
        return
    to.parent.mkdir(parents=True, exist_ok=True)
    os.replace(made, to)


class _Folder:
    def __init__(self, beside: Path) -> None:
        self._beside, self.put_, self.kept = beside, set[str](), set[str]()

    def put(self, path: str, data: bytes) -> None:
        self.put_.add(path)
        place = self._beside / path
        place.parent.mkdir(parents=True, exist_ok=True)
        write_bytes(place, data)

    def keep(self, path: str) -> None:
        self.kept.add(path)


class _Zip:
    def __init__(self, bundle: zipfile.ZipFile, old: Opened | None) -> None:
        self._bundle, self._old = bundle, old

    def put(self, path: str, data: bytes) -> None:
        self._bundle.writestr(zipfile.ZipInfo(path, _DATE), data)

    def keep(self, path: str) -> None:
        assert self._old is not None
        self.put(path, self._old.read(path))


@contextmanager
def _zip_at(out: Path) -> Iterator[Place]:
    """Beside it first; what lies there can be read until the new one takes its place."""
    try:
        out.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise file_trouble("made", out.parent, error) from error
    with ExitStack() as open_:
        old: Opened | None = None
        if out.exists():
            with suppress(EngraverError):
                old = open_.enter_context(open_pack(out))
        file = open_.enter_context(whole(out))
        with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as bundle:
            yield _Zip(bundle, old)
