"""A project file that stays open: its members are read when they are looked at."""

from __future__ import annotations

import hashlib
import re
import zipfile
from collections.abc import Iterator, Mapping
from functools import partial
from pathlib import Path

from .. import limits
from ..errors import BadProject, FileTrouble, file_trouble
from ..files.damaged import ZIP_TROUBLE
from ..recipe.models import Project
from ..sources import SourceStore

_SHA = re.compile(r"[0-9a-f]{64}\Z")
SOURCES, STROKES = "sources/", "strokes/"


class Bundle:
    """An open project file. It goes on reading the same file also when another is put in its place.

    Raises
    ------
    BadProject
        Not a zip, damaged, or claiming more than may be read.
    FileTrouble
        It cannot be opened.
    """

    def __init__(self, path: Path) -> None:
        self.name = path.name
        try:
            self._zip = zipfile.ZipFile(path)
        except (FileNotFoundError, PermissionError, IsADirectoryError, NotADirectoryError) as error:
            raise file_trouble("opened", path, error) from error
        except ZIP_TROUBLE as error:
            raise self.bad("it is not an Engraver project, or it is damaged") from error
        self._members = {info.filename: info for info in self._zip.infolist()}
        if sum(info.file_size for info in self._members.values()) > limits.PROJECT_BYTES:
            raise self.bad("it says it holds more than Engraver takes in")

    def bad(self, why: str) -> BadProject:
        """The sentence for a file that cannot be opened."""
        return BadProject(f"{self.name} cannot be opened", why)

    @property
    def handle(self) -> int:
        """The number of the open file, for a link to it."""
        assert self._zip.fp is not None
        return self._zip.fp.fileno()

    def read(self, member: str, most: int) -> bytes:
        """The bytes of a member. Raises BadProject when it is missing, larger than ``most``, or damaged."""
        info = self._members.get(member)
        if info is None:
            raise self.bad("it is not an Engraver project" if member == "project.json" else "a part of it is missing")
        if info.file_size > most:
            raise self.bad("it says it holds more than Engraver takes in")
        try:
            return self._zip.read(info)
        except ZIP_TROUBLE as error:
            raise self.bad("it is damaged") from error

    def holds(self, sha256: str) -> bool:
        """Whether a source's bytes are in it."""
        return bool(_SHA.match(sha256)) and SOURCES + sha256 in self._members

    def source(self, sha256: str, name: str) -> bytes:
        """A source's bytes. Raises FileTrouble when they are damaged."""
        try:
            data = self.read(SOURCES + sha256, limits.FILE_BYTES)
        except BadProject as error:
            raise FileTrouble(f"The source {name} in {self.name} is damaged", "", "Replace the source") from error
        if hashlib.sha256(data).hexdigest() != sha256:
            raise FileTrouble(
                f"The source {name} in {self.name} is damaged", "its contents have changed", "Replace the source"
            )
        return data

    @property
    def strokes(self) -> Mapping[str, bytes]:
        """The strokes kept beside the JSON, by digest; read when they are asked for."""
        return _Strokes(self, {n.removeprefix(STROKES) for n in self._members if n.startswith(STROKES)})

    def provide(self, project: Project, sources: SourceStore) -> None:
        """Tell ``sources`` where the files of a project are. Raises BadProject when one is not in here."""
        for source in project.sources:
            for sha256 in source.embedded:
                if not self.holds(sha256):
                    raise self.bad(f"the source {source.name} is missing from it")
                sources.provide(sha256, partial(self.source, sha256, source.name), self)


class _Strokes(Mapping[str, bytes]):
    """Strokes by their digest, checked as they are read."""

    def __init__(self, bundle: Bundle, names: set[str]) -> None:
        self._bundle, self._names = bundle, names

    def __getitem__(self, sha256: str) -> bytes:
        if sha256 not in self._names:
            raise KeyError(sha256)
        return self._bundle.read(STROKES + sha256, limits.JSON_BYTES)

    def __contains__(self, sha256: object) -> bool:
        return sha256 in self._names

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)
