"""A file taken in: read and recognised, ready to become a plate."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ..errors import Watch, unwatched
from ..files.read import read_bytes
from ..recipe import edits
from ..recipe.models import Project, Source
from .catalogue import source_kind
from .holding import LINK_ABOVE
from .kind import First
from .store import SourceStore

# A file of so many bytes takes a moment: what its header tells is said first.
BIG = 3_000_000


@dataclass(frozen=True, slots=True)
class Prepared:
    """A source read and recognised, ready to become a plate."""

    source: Source
    first: First
    name: str


def _silent(words: str) -> None:
    """For who does not want to be told."""


def started(project: Project, source: Source, name: str, first: First) -> tuple[Project, str]:
    """A new plate of a source with its first line, and its id. Raises BadValue when the project is full."""
    project, id = edits.add_plate(project, source, name, first.steps, reading=first.reading, read_as=first.read_as)
    if first.raises == "black":
        project = edits.flip_polarity(project, id)
    return edits.set_ready_for(project, id, first.ready_for) if first.ready_for else project, id


def started_again(project: Project, plate_id: str, first: First) -> Project:
    """A plate's line begun again for a source that is read as something else.

    What it is ready for follows, but for a destination that the artist has chosen.
    """
    plate = project.plate(plate_id)
    kind = source_kind(project.source(plate.source).kind)
    project = edits.set_line(project, plate_id, first.steps, first.read_as)
    project = edits.set_reading(project, plate_id, **first.reading.values())
    if first.raises is not None and first.raises != plate.raises:
        project = edits.flip_polarity(project, plate_id)
    if not plate.ready_for or plate.ready_for in kind.chooses:
        project = edits.set_ready_for(project, plate_id, first.ready_for)
    return project


def prepare(path: Path, sources: SourceStore, check: Watch = unwatched, tell: Callable[[str], None] = _silent
            ) -> Prepared:  # fmt: skip
    """Read a file and find the line its kind starts with; not for the window's thread.

    ``tell`` is given one line of what a large file is before its pixels are read.

    Raises
    ------
    EngraverError
        When it cannot be read.
    """
    data = read_bytes(path)
    check()
    link = path.resolve() if len(data) > LINK_ABOVE else None
    return prepare_data(data, path.name, sources, link, check, tell)


def prepare_data(
    data: bytes, file_name: str, sources: SourceStore, link: Path | None = None, check: Watch = unwatched,
    tell: Callable[[str], None] = _silent,
) -> Prepared:  # fmt: skip
    """As :func:`prepare`, for a file that is at hand already: from a device or the clipboard."""
    source = sources.add(data, file_name, link, check)
    if len(data) >= BIG:
        kind = source_kind(source.kind)
        tell(kind.words(source, kind.reading(), sources).removeprefix(f"{source.name} · "))
    name = Path(file_name).stem.replace("_", " ").replace("-", " ").strip().capitalize() or "Plate"
    return Prepared(source, sources.first(source, check=check), name[:80])
