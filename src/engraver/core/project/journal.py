"""The journal: a small directory that keeps unsaved work through a crash or a plain close.

``project.json`` is replaced by rename within seconds of a change, each source is
written once, ``journal.json`` says whose work it is. Sources that lie in an opened project file
are not copied: the journal gets a second name of that file, which stays when the first is replaced
or removed. After a kill at any moment the old or the new project is there, with every source it names.
"""

from __future__ import annotations

import json
import os
import re
import secrets
import shutil
import threading
import time
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from ..errors import BadProject, EngraverError, FileTrouble, file_trouble
from ..files.atomic import write_bytes
from ..files.read import read_bytes
from ..recipe.models import Project, Source, SourceFile
from ..sources import SourceStore
from ..sources.holding import digest
from .bundle import Bundle
from .codec import project_json, read_project
from .project_file import completed

_NAME = re.compile(r"[0-9a-f]{64}\Z")
# How a project file that is linked here is called.
_LINKED = "opened-{}.engraver"


@dataclass(frozen=True, slots=True)
class Kept:
    """Work found in a journal whose program is gone."""

    folder: Path
    name: str
    path: Path | None
    when: float


class Journal:
    """The journal of one running program; safe to use from several threads.

    Parameters
    ----------
    root : Path
        Where journals live; made when missing.
    """

    def __init__(self, root: Path) -> None:
        self.folder = root / f"{os.getpid()}-{secrets.token_hex(4)}"
        self._written: set[str] = set()
        self._linked: dict[Bundle, bool] = {}
        self._busy = threading.Lock()

    def keep(self, project: Project, path: Path | None, sources: SourceStore) -> None:
        """Write what changed. Raises FileTrouble when the folder or disk refuses, or a source cannot be read.

        The project itself is written also when a source cannot be read.
        """
        with self._busy:
            self._keep(project, path, sources)

    def _keep(self, project: Project, path: Path | None, sources: SourceStore) -> None:
        inside = self.folder / "sources"
        try:
            inside.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise file_trouble("made", inside, error) from error
        trouble: EngraverError | None = None
        later: list[tuple[Source, SourceFile]] = []
        for source, file in _embedded(project):
            if file.sha256 in self._written:
                continue
            origin = sources.origin(file.sha256)
            if isinstance(origin, Bundle):
                # Where no second name can be given the copy comes last: until then the file itself has it.
                if self._link(origin):
                    self._written.add(file.sha256)
                else:
                    later.append((source, file))
                continue
            trouble = self._copied(source, file, sources) or trouble
        head = {"pid": os.getpid(), "name": project.name, "path": str(path) if path else None, "when": time.time()}
        write_bytes(self.folder / "journal.json", json.dumps(head).encode())
        text, blobs = project_json(project)
        for sha, data in blobs.items():
            if sha not in self._written:
                write_bytes(inside / sha, data)
                self._written.add(sha)
        write_bytes(self.folder / "project.json", text)
        for source, file in later:
            trouble = self._copied(source, file, sources) or trouble
        if trouble is not None:
            raise trouble

    def _copied(self, source: Source, file: SourceFile, sources: SourceStore) -> EngraverError | None:
        """Write one source; what went wrong comes back, so that the rest is kept all the same."""
        try:
            data = sources.read(source, file)
        except EngraverError as error:
            self._written.add(file.sha256)  # it will not get better; its plate tells
            return error
        write_bytes(self.folder / "sources" / file.sha256, data)
        self._written.add(file.sha256)
        return None

    def _link(self, bundle: Bundle) -> bool:
        """Give an opened project file a second name in here."""
        if bundle not in self._linked:
            self._linked[bundle] = _linked(bundle.handle, self.folder / _LINKED.format(len(self._linked)))
        return self._linked[bundle]

    def clear(self) -> None:
        """Everything is saved elsewhere: the journal can go."""
        with self._busy:
            shutil.rmtree(self.folder, ignore_errors=True)
            self._written.clear()
            self._linked.clear()


def _linked(handle: int, name: Path) -> bool:
    """Give an open file a second name; False where that cannot be: on another disk, or without a first name."""
    try:
        # Python follows the link that stands for an open file only when a folder is given, too.
        folder = os.open("/proc/self/fd", os.O_RDONLY)
    except OSError:
        return False
    try:
        os.link(str(handle), name, src_dir_fd=folder, follow_symlinks=True)
    except OSError:
        return False
    finally:
        os.close(folder)
    return True


def _embedded(project: Project) -> Iterator[tuple[Source, SourceFile]]:
    for source in project.sources:
        for file in source.files:
            if file.link is None:
                yield source, file


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except (ProcessLookupError, OverflowError):
        return False
    except OSError:
        return True
    return True


def found(root: Path) -> list[Kept]:
    """Journals left behind by programs that no longer run, newest first."""
    left: list[Kept] = []
    for folder in sorted(root.glob("*-*")) if root.is_dir() else []:
        try:
            head = json.loads((folder / "journal.json").read_bytes())
            if _alive(int(head["pid"])) or not (folder / "project.json").is_file():
                continue
            path = Path(head["path"]) if head.get("path") else None
            left.append(Kept(folder, str(head["name"])[:200], path, float(head["when"])))
        except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError, OverflowError):
            continue  # half a journal: the kill came before its first project was written
    return sorted(left, key=lambda kept: -kept.when)


class _Beside(Mapping[str, bytes]):
    """The strokes of a journal, read when they are asked for."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def __getitem__(self, sha: str) -> bytes:
        if not _NAME.match(sha):
            raise KeyError(sha)
        return read_bytes(self._folder / sha)

    def __contains__(self, sha: object) -> bool:
        return isinstance(sha, str) and bool(_NAME.match(sha)) and (self._folder / sha).is_file()

    def __iter__(self) -> Iterator[str]:
        return (path.name for path in self._folder.iterdir())

    def __len__(self) -> int:
        return sum(1 for _ in self)


def _whole(file: Path, sha256: str, name: str) -> bytes:
    data = read_bytes(file)
    if digest(data) != sha256:
        raise FileTrouble(f"The kept source {name} is damaged", "its contents have changed", "Replace the source")
    return data


def _bundles(kept: Kept) -> Iterator[Bundle]:
    """Project files that the journal gave a second name, then the one it was about."""
    paths = [*sorted(kept.folder.glob(_LINKED.format("*"))), *([kept.path] if kept.path is not None else [])]
    for path in paths:
        try:
            yield Bundle(path)
        except EngraverError:
            continue


def recover(kept: Kept, sources: SourceStore) -> Project:
    """The project of a journal; ``sources`` is told where its files are.

    A source that is nowhere any more does not hold up the rest: its plate tells.

    Raises
    ------
    BadProject, FileTrouble
        The journal is damaged, or cannot be read.
    """
    beside = _Beside(kept.folder / "sources")
    project = read_project(read_bytes(kept.folder / "project.json"), kept.name, beside)
    wanted = {file.sha256: source.name for source, file in _embedded(project)}
    for sha, name in list(wanted.items()):
        path = kept.folder / "sources" / sha
        if path.is_file():
            data = _whole(path, sha, name)  # the journal will go: what it holds is taken over now
            sources.provide(sha, partial(_same, data))
            del wanted[sha]
    for bundle in _bundles(kept) if wanted else ():
        for sha in [s for s in wanted if bundle.holds(s)]:
            sources.provide(sha, partial(bundle.source, sha, wanted.pop(sha)), bundle)
    return completed(project, sources)


def _same(data: bytes) -> bytes:
    return data


def forget(kept: Kept) -> None:
    """Remove a journal that has been taken over or is not wanted."""
    shutil.rmtree(kept.folder, ignore_errors=True)


__all__ = ["BadProject", "Journal", "Kept", "forget", "found", "recover"]
