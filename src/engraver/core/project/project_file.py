"""The project file: a zip of project.json, strokes, and the sources under their SHA-256."""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import BinaryIO

from .. import limits
from ..errors import Watch, unwatched
from ..files.atomic import write_with
from ..recipe.models import Project
from ..sources import SourceStore, source_kind
from .bundle import SOURCES, STROKES, Bundle
from .codec import project_json, read_project

EXTENSION = ".engraver"
# Zip dates are fixed, so that the same project gives the same bytes.
_DATE = (1980, 1, 1, 0, 0, 0)


def _member(name: str, method: int) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, _DATE)
    info.compress_type = method
    return info


def save(project: Project, path: Path, sources: SourceStore, check: Watch = unwatched) -> None:
    """Write the whole project; a kill or a full disk leaves the old file.

    Sources are stored as they came, uncompressed, and held one at a time; linked ones stay outside.

    Raises
    ------
    FileTrouble
        The folder or disk refused, or a source's bytes are missing.
    Cancelled
        ``check`` said so; the old file stands.
    """
    kept = {sha: (s, file) for s in project.sources for sha, file in zip(s.digests, s.files, strict=True)
            if file.link is None}  # fmt: skip

    def fill(file: BinaryIO) -> None:
        with zipfile.ZipFile(file, "w") as bundle:
            text, blobs = project_json(project)
            bundle.writestr(_member("project.json", zipfile.ZIP_DEFLATED), text)
            for sha, data in sorted(blobs.items()):
                bundle.writestr(_member(f"{STROKES}{sha}", zipfile.ZIP_DEFLATED), data)
            for n, (sha, (source, one)) in enumerate(sorted(kept.items())):
                check(n / len(kept))
                bundle.writestr(_member(f"{SOURCES}{sha}", zipfile.ZIP_STORED), sources.read(source, one))

    write_with(path, fill)


def open_project(path: Path, sources: SourceStore, check: Watch = unwatched) -> Project:
    """Read a project and tell ``sources`` where its files are; their contents are read when they are looked at.

    Raises
    ------
    BadProject
        Not a project, damaged, from a newer version, or with contents that do not match.
    FileTrouble
        The file cannot be opened.
    """
    bundle = Bundle(path)
    project = read_project(bundle.read("project.json", limits.JSON_BYTES), path.name, bundle.strokes)
    bundle.provide(project, sources)
    return completed(project, sources, check)


def completed(project: Project, sources: SourceStore, check: Watch = unwatched) -> Project:
    """A project whose sources say what is known of their files: those of older files may not yet."""
    found = []
    for source in project.sources:
        check()
        found.append(source_kind(source.kind).completed(source, sources, check))
    same = all(a is b for a, b in zip(found, project.sources, strict=True))
    return project if same else project.model_copy(update={"sources": tuple(found)})
