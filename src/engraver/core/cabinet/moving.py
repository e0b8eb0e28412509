"""Moving house: a cabinet, or a part of it, to one file and back; two cabinets joined without doubles."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from pydantic import ValidationError

from .. import limits
from ..errors import BadPicture, FileTrouble, Watch, unwatched
from ..files.atomic import write_with
from ..recipe import new_id
from .entry import Entry, Query
from .rows import CabinetTrouble
from .store import NAME, Cabinet
from .to_keep import of_picture

EXTENSION = ".cabinet"
_KIND, _VERSION = "engraver cabinet", 1
_DATE = (1980, 1, 1, 0, 0, 0)
# Entries of one file, bytes of one picture, and entries that are joined in one change.
_MOST, _MOST_BYTES, _AT_ONCE = 200_000, 500_000_000, 32


def export(cabinet: Cabinet, path: Path, query: Query | None = None, check: Watch = unwatched) -> int:
    """Write what is asked for to one file, the same bytes for the same entries. Returns how many there are.

    Raises
    ------
    FileTrouble
        A picture is missing, or the disk refused.
    """
    found = sorted(cabinet.find(query), key=lambda e: e.id)

    def member(name: str, how: int) -> zipfile.ZipInfo:
        info = zipfile.ZipInfo(name, _DATE)
        info.compress_type = how
        return info

    def fill(file: BinaryIO) -> None:
        with zipfile.ZipFile(file, "w") as bundle:
            told = {"kind": _KIND, "version": _VERSION, "entries": [e.model_dump(mode="json") for e in found]}
            bundle.writestr(member("cabinet.json", zipfile.ZIP_DEFLATED), json.dumps(told, indent=1))
            digests = sorted({e.picture for e in found})
            for n, digest in enumerate(digests):
                check(n / len(digests))
                bundle.writestr(member(f"pictures/{digest}", zipfile.ZIP_STORED), cabinet.blobs.get(digest))

    write_with(path, fill)
    return len(found)


def join(cabinet: Cabinet, other: Path, check: Watch = unwatched) -> tuple[int, int]:
    """Take in another cabinet's folder, or a file that :func:`export` wrote. Returns how many came, and how many were
    there already: of the same origin, or with the same picture under the same name.

    Raises
    ------
    CabinetTrouble
        It is no cabinet, of a newer version, or damaged; what came until then stays.
    """
    if other.is_dir():
        if not (other / NAME).exists():
            raise CabinetTrouble(f"{other.name} is no cabinet", f"it holds no {NAME}", "")
        with Cabinet(other) as there:
            return _joined(cabinet, there.find(), there.picture, check)
    return _from_file(cabinet, other, check)


def _from_file(cabinet: Cabinet, path: Path, check: Watch) -> tuple[int, int]:
    try:
        with zipfile.ZipFile(path) as bundle:
            entries = _entries(bundle, path.name)

            def picture(entry: Entry) -> bytes:
                # The digest is checked by its form: no name leads out of the file, and nothing is unpacked to disk.
                info = bundle.getinfo(f"pictures/{entry.picture}")
                if info.file_size > _MOST_BYTES:
                    raise CabinetTrouble(f"{path.name} cannot be joined", "a picture in it is too large", "")
                return bundle.read(info)

            return _joined(cabinet, entries, picture, check)
    except (zipfile.BadZipFile, KeyError, OSError, EOFError, NotImplementedError) as error:
        if isinstance(error, FileTrouble):
            raise
        raise CabinetTrouble(
            f"{path.name} cannot be joined", "it is no cabinet's file, or it is damaged", ""
        ) from error


def _entries(bundle: zipfile.ZipFile, name: str) -> list[Entry]:
    info = bundle.getinfo("cabinet.json")
    if info.file_size > limits.JSON_BYTES:
        raise CabinetTrouble(f"{name} cannot be joined", "it says more than Engraver takes in", "")
    try:
        told = json.loads(bundle.read(info))
        if told["kind"] != _KIND:
            raise ValueError("another kind")
        if type(told["version"]) is not int or told["version"] > _VERSION:
            raise CabinetTrouble(f"{name} was made by a newer Engraver", "", "Update Engraver to join it")
        if len(told["entries"]) > _MOST:
            raise CabinetTrouble(f"{name} cannot be joined", f"it holds more than {_MOST:,} entries", "")
        return [Entry.model_validate(values) for values in told["entries"]]
    except (ValueError, KeyError, TypeError, RecursionError, ValidationError) as error:
        raise CabinetTrouble(f"{name} cannot be joined", "it is no cabinet's file, or it is damaged", "") from error


def _joined(
    cabinet: Cabinet, entries: list[Entry], picture: Callable[[Entry], bytes], check: Watch
) -> tuple[int, int]:
    """Those that are not there yet, some at a time: one after the other would wait for the disk as often."""
    came = there = 0
    for first in range(0, len(entries), _AT_ONCE):
        check(first / len(entries))
        new = [e for e in entries[first : first + _AT_ONCE] if not (cabinet.has(e.origin) or cabinet.same(e))]
        there += len(entries[first : first + _AT_ONCE]) - len(new)
        # Another entry of the same id must not take the place of mine.
        named = [e.model_copy(update={"id": new_id("k")}) if cabinet.knows(e.id) else e for e in new]
        try:
            things = [of_picture(entry, picture(entry)) for entry in named]
        except BadPicture as error:
            raise CabinetTrouble("A picture of the other cabinet cannot be read", error.what, "") from error
        came += len(cabinet.keep_all(things))
    return came, there
