"""The project file: a zip of project.json, strokes, and the sources under their SHA-256."""

from __future__ import annotations

import io
import re
import struct
import zipfile
import zlib
from pathlib import Path
from typing import BinaryIO

from ..engine.sources import SourceStore, digest
from ..errors import BadProject, EngraverError
from ..files.atomic import write_with
from ..files.read import MAX_BYTES, read_bytes
from ..recipe.models import Project
from .codec import MAX_JSON, project_json, read_project

EXTENSION = ".engraver"
# How a damaged zip ends, by where the damage lies.
_TROUBLE = (
    zipfile.BadZipFile, zipfile.LargeZipFile, zlib.error, NotImplementedError, RuntimeError, ValueError, OSError,
    EOFError, struct.error,
)  # fmt: skip
_SOURCE = re.compile(r"sources/[0-9a-f]{64}\Z")
# Zip dates are fixed, so that the same project gives the same bytes.
_DATE = (1980, 1, 1, 0, 0, 0)


def _member(name: str, method: int) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, _DATE)
    info.compress_type = method
    return info


def save(project: Project, path: Path, sources: SourceStore) -> None:
    """Write the whole project; a kill or a full disk leaves the old file.

    Sources are stored as they came, uncompressed; linked ones stay outside.

    Raises
    ------
    FileTrouble
        The folder or disk refused, or a source's bytes are missing.
    """
    kept = {s.sha256: sources.bytes_of(s) for s in project.sources if s.embedded}

    def fill(file: BinaryIO) -> None:
        with zipfile.ZipFile(file, "w") as bundle:
            text, blobs = project_json(project)
            bundle.writestr(_member("project.json", zipfile.ZIP_DEFLATED), text)
            for sha, data in sorted(blobs.items()):
                bundle.writestr(_member(f"strokes/{sha}", zipfile.ZIP_DEFLATED), data)
            for sha, data in sorted(kept.items()):
                bundle.writestr(_member(f"sources/{sha}", zipfile.ZIP_STORED), data)

    write_with(path, fill)


def open_project(path: Path, sources: SourceStore) -> Project:
    """Read a project and take its sources into ``sources``.

    Raises
    ------
    BadProject
        Not a project, damaged, from a newer version, or with contents that do not match.
    FileTrouble
        The file cannot be opened.
    """
    data = read_bytes(path)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as bundle:
            return _unpacked(bundle, path.name, sources)
    except EngraverError:
        raise
    except _TROUBLE as error:
        raise BadProject(
            f"{path.name} cannot be opened", "it is not an Engraver project, or it is damaged"
        ) from error


def _unpacked(bundle: zipfile.ZipFile, name: str, sources: SourceStore) -> Project:
    members = {info.filename: info for info in bundle.infolist()}
    head = members.get("project.json")
    if head is None:
        raise BadProject(f"{name} cannot be opened", "it is not an Engraver project")
    if head.file_size > MAX_JSON or sum(i.file_size for i in members.values()) > MAX_BYTES:
        raise BadProject(f"{name} cannot be opened", "it says it holds more than Engraver takes in")
    blobs = {n.removeprefix("strokes/"): bundle.read(i) for n, i in members.items() if n.startswith("strokes/")}
    project = read_project(bundle.read(head), name, blobs)
    for source in project.sources:
        if not source.embedded:
            continue
        inside = f"sources/{source.sha256}"
        if inside not in members or not _SOURCE.match(inside):
            raise BadProject(f"{name} cannot be opened", f"the source {source.name} is missing from it")
        data = bundle.read(inside)
        if digest(data) != source.sha256:
            raise BadProject(f"{name} cannot be opened", f"the source {source.name} in it is damaged")
        sources.provide(source.sha256, lambda data=data: data)  # type: ignore[misc]
    return project
