"""The journal: a small directory that keeps unsaved work through a crash or a plain close.

``project.json`` is replaced by rename within seconds of a change, each source is
written once, ``journal.json`` says whose work it is. After a kill at any moment the
old or the new project is there, with every source it names.
"""

from __future__ import annotations

import json
import os
import re
import secrets
import shutil
import time
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from ..engine.sources import SourceStore, digest
from ..errors import BadProject, file_trouble
from ..files.atomic import write_bytes
from ..files.read import read_bytes
from ..recipe.models import Project
from .codec import project_json, read_project

_NAME = re.compile(r"[0-9a-f]{64}\Z")


@dataclass(frozen=True, slots=True)
class Kept:
    """Work found in a journal whose program is gone."""

    folder: Path
    name: str
    path: Path | None
    when: float


class Journal:
    """The journal of one running program.

    Parameters
    ----------
    root : Path
        Where journals live; made when missing.
    """

    def __init__(self, root: Path) -> None:
        self.folder = root / f"{os.getpid()}-{secrets.token_hex(4)}"
        self._written: set[str] = set()

    def keep(self, project: Project, path: Path | None, sources: SourceStore) -> None:
        """Write what changed. Raises FileTrouble when the folder or disk refuses."""
        inside = self.folder / "sources"
        try:
            inside.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise file_trouble("made", inside, error) from error
        for source in project.sources:
            if source.embedded and source.sha256 not in self._written:
                write_bytes(inside / source.sha256, sources.bytes_of(source))
                self._written.add(source.sha256)
        head = {"pid": os.getpid(), "name": project.name, "path": str(path) if path else None, "when": time.time()}
        write_bytes(self.folder / "journal.json", json.dumps(head).encode())
        text, blobs = project_json(project)
        for sha, data in blobs.items():
            if sha not in self._written:
                write_bytes(inside / sha, data)
                self._written.add(sha)
        write_bytes(self.folder / "project.json", text)

    def clear(self) -> None:
        """Everything is saved elsewhere: the journal can go."""
        shutil.rmtree(self.folder, ignore_errors=True)
        self._written.clear()


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
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
            left.append(Kept(folder, str(head["name"]), path, float(head["when"])))
        except (OSError, ValueError, KeyError, TypeError):
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


def recover(kept: Kept, sources: SourceStore) -> Project:
    """The project of a journal, its sources taken into ``sources``.

    Raises
    ------
    BadProject
        The journal is damaged.
    """
    beside = _Beside(kept.folder / "sources")
    project = read_project(read_bytes(kept.folder / "project.json"), kept.name, beside)
    for source in project.sources:
        if not source.embedded:
            continue
        data = read_bytes(kept.folder / "sources" / source.sha256)
        if digest(data) != source.sha256:
            raise BadProject(f"The kept work of {kept.name} is damaged", f"its source {source.name} is broken")
        sources.provide(source.sha256, lambda data=data: data)  # type: ignore[misc]
    return project


def forget(kept: Kept) -> None:
    """Remove a journal that has been taken over or is not wanted."""
    shutil.rmtree(kept.folder, ignore_errors=True)
