"""A pack from anybody, opened safely: no path leaves it, sizes are bounded before anything is read, nothing in it
runs."""

from __future__ import annotations

import hashlib
import json
import os
import stat
import zipfile
from dataclasses import dataclass
from pathlib import Path

from pydantic import TypeAdapter, ValidationError

from .. import limits
from ..errors import EngraverError, FileTrouble, Watch, file_trouble, unwatched
from ..files.damaged import ZIP_TROUBLE
from .listing import KIND, MOST_FILES, VERSION, Inside, PackFile
from .plan import LIST

# Bytes of one file, of all together, and how much larger than packed a file may be.
MOST_BYTES, MOST_IN_ALL, MOST_TIMES = 1_000_000_000, 16_000_000_000, 200
_SMALL = 10_000_000
_INSIDE: TypeAdapter[str] = TypeAdapter(Inside)


class BadPack(EngraverError, ValueError):
    """A pack that cannot be opened."""


@dataclass(frozen=True)
class Report:
    """What was found in a pack: sentences on what is wrong; its list."""

    listing: PackFile
    told: tuple[str, ...]

    @property
    def sound(self) -> bool:
        return not self.told


class Opened:
    """An open pack, a folder or a zip. Use it in ``with``, or close it.

    Raises
    ------
    BadPack
        It is no pack, from a newer version, damaged, or claims what cannot be.
    FileTrouble
        It cannot be opened.
    """

    def __init__(self, path: Path) -> None:
        self.name, self._path = path.name, path
        self._zip: zipfile.ZipFile | None = None
        if path.is_dir():
            self._sizes = self._in_folder()
        else:
            try:
                self._zip = zipfile.ZipFile(path)
            except (FileNotFoundError, PermissionError, IsADirectoryError, NotADirectoryError) as error:
                raise file_trouble("opened", path, error) from error
            except ZIP_TROUBLE as error:
                raise self._bad("it is no pack, or it is damaged") from error
            try:
                self._sizes = self._in_zip(self._zip)
            except EngraverError:
                self._zip.close()
                raise
        try:
            self.listing = self._listed()
        except EngraverError:
            self.close()
            raise

    def __enter__(self) -> Opened:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the file."""
        if self._zip is not None:
            self._zip.close()

    def _bad(self, why: str, fix: str = "") -> BadPack:
        return BadPack(f"{self.name} cannot be opened", why, fix)

    def _in_zip(self, bundle: zipfile.ZipFile) -> dict[str, int]:
        """Sizes by path, as the zip's own list says; nothing is unpacked for it."""
        members = [info for info in bundle.infolist() if not info.is_dir()]
        if len(members) > MOST_FILES or sum(info.file_size for info in members) > MOST_IN_ALL:
            raise self._bad("it says it holds more than Engraver takes in")
        sizes: dict[str, int] = {}
        for info in members:
            self._fits(info.filename)
            mode = info.external_attr >> 16
            if stat.S_ISLNK(mode):
                raise self._bad(f"{info.filename[:80]!r} in it is a link, not a file")
            swollen = info.file_size > _SMALL and info.file_size > MOST_TIMES * max(1, info.compress_size)
            if info.file_size > MOST_BYTES or swollen:
                raise self._bad(f"{info.filename[:80]} in it says it is larger than it can be")
            if info.filename in sizes:
                raise self._bad(f"it holds {info.filename[:80]} twice")
            sizes[info.filename] = info.file_size
        return sizes

    def _in_folder(self) -> dict[str, int]:
        sizes: dict[str, int] = {}
        for place, inside, names in os.walk(self._path):
            inside.sort()
            for name in sorted(names):
                path = Path(place) / name
                if path.is_symlink() or name.startswith("."):
                    continue  # what is beside a pack is none of it
                sizes[path.relative_to(self._path).as_posix()] = path.stat().st_size
                if len(sizes) > MOST_FILES:
                    raise self._bad("it holds more than Engraver takes in")
        return sizes

    def _fits(self, path: str) -> None:
        try:
            _INSIDE.validate_python(path)
        except ValidationError:
            raise self._bad(f"{path[:80]!r} in it is no name that a pack has") from None

    def _listed(self) -> PackFile:
        if LIST not in self._sizes:
            raise self._bad(f"it holds no {LIST}: it is no pack")
        if self._sizes[LIST] > limits.JSON_BYTES:
            raise self._bad("it says more than Engraver takes in")
        try:
            values = json.loads(self.read(LIST))
            if not isinstance(values, dict) or values.get("kind") != KIND:
                raise self._bad("it is no pack")
            version = values.get("version")
            if type(version) is int and version > VERSION:
                raise self._bad("it was made by a newer Engraver", "Update Engraver to open it")
            return PackFile.model_validate(values)
        except ValidationError as error:
            place = ".".join(str(part) for part in error.errors()[0]["loc"])
            raise self._bad(f"its list is damaged at {place[:120]}") from error
        except (ValueError, RecursionError) as error:
            if isinstance(error, EngraverError):
                raise
            raise self._bad("its list is damaged") from error

    def holds(self, path: str) -> bool:
        """Whether a file is in it."""
        return path in self._sizes

    @property
    def paths(self) -> tuple[str, ...]:
        """Every file in it, its list included."""
        return tuple(self._sizes)

    def read(self, path: str) -> bytes:
        """A file of it. Raises BadPack where it is missing, too large or damaged."""
        if path not in self._sizes:
            raise self._bad(f"{path[:80]} is missing from it")
        if self._sizes[path] > MOST_BYTES:
            raise self._bad(f"{path[:80]} in it is larger than it can be")
        try:
            if self._zip is None:
                return (self._path / path).read_bytes()
            with self._zip.open(path) as file:  # no more than it says, whatever it unpacks to
                data = file.read(self._sizes[path] + 1)
        except ZIP_TROUBLE as error:
            raise self._bad(f"{path[:80]} in it is damaged") from error
        if len(data) != self._sizes[path]:
            raise self._bad(f"{path[:80]} in it is not as large as it says")
        return data


def open_pack(path: Path) -> Opened:
    """A pack, as :class:`Opened` opens it."""
    return Opened(path)


def check_pack(path: Path, check: Watch = unwatched) -> Report:
    """Whether a pack is what its list says, file by file. Raises as :class:`Opened` does."""
    with Opened(path) as found:
        digests, told = found.listing.digests(), []
        for n, (name, digest) in enumerate(sorted(digests.items())):
            check(n / max(1, len(digests)))
            if not found.holds(name):
                told.append(f"{name} is missing.")
                continue
            try:
                data = found.read(name)
            except (BadPack, FileTrouble) as error:
                told.append(error.sentence())
                continue
            if hashlib.sha256(data).hexdigest() != digest:
                told.append(f"{name} is another file than the list says.")
        told += [f"{name} is not in the list." for name in found.paths if name not in digests and name != LIST]
        return Report(found.listing, tuple(told))
