"""``FILE`` or ``PROJECT:NAME`` on the command line: a finished file, or something of a project."""

from __future__ import annotations

from pathlib import Path

from engraver.core.engine import SourceStore
from engraver.core.project.project_file import EXTENSION, open_project
from engraver.core.recipe import Brush, Plate, Project

from .misuse import Misuse


def in_project(word: str, sources: SourceStore, *, brushes: bool = False) -> tuple[Project, Plate | Brush] | None:
    """The project and the plate, or where ``brushes`` are asked for the brush, that a word names by name or id; None
    for a file.

    Raises
    ------
    BadProject, FileTrouble
        The project cannot be opened.
    Misuse
        It has nothing of that name.
    """
    path, mark, name = word.rpartition(":")
    if not mark or not path.endswith(EXTENSION):
        return None
    project = open_project(Path(path), sources)
    known: tuple[Plate | Brush, ...] = (*project.plates, *(project.brushes if brushes else ()))
    found = next((one for one in known if name in (one.id, one.name)), None)
    if found is None:
        what = "plate or brush" if brushes else "plate"
        raise Misuse(f"{Path(path).name} has no {what} {name!r}", "", f"It has: {', '.join(k.name for k in known)}")
    return project, found
