"""Taking in what the artist already has: a folder of finished files, never touching them."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path

from ..errors import BadPicture, FileTrouble, Watch, unwatched
from ..files.read import EXTENSIONS, read_bytes
from .entry import Entry
from .likeness import DOUBLE
from .store import Cabinet
from .to_keep import of_file


@dataclass
class TakenIn:
    """What became of a folder: entries kept, with what is wrong; files that were there already; files that were not
    taken in, with a sentence each."""

    kept: list[Entry] = field(default_factory=list)
    there: list[str] = field(default_factory=list)
    not_taken: dict[str, str] = field(default_factory=dict)


def files_in(folder: Path) -> Iterator[Path]:
    """Pictures in a folder and those inside it, by name; links to folders are not followed."""
    for place, inside, names in os.walk(folder):
        inside.sort()
        yield from (
            Path(place) / n for n in sorted(names) if n.lower().endswith(EXTENSIONS) and not n.startswith(".")
        )


def take_in(
    cabinet: Cabinet, folder: Path, *, tags: tuple[str, ...] = (), told: Callable[[Path], object] = lambda _: None,
    check: Watch = unwatched,
) -> TakenIn:  # fmt: skip
    """Keep every finished file of a folder; each is kept before the next is read, so that a stop loses none.

    Raises
    ------
    FileTrouble
        The folder cannot be read.
    Cancelled
        ``check`` said so; what was kept until then stays.
    """
    if not folder.is_dir():
        raise FileTrouble(f"{folder} cannot be taken in", "it is no folder", "Choose the folder that holds the files")
    files, found = list(files_in(folder)), TakenIn()
    for n, path in enumerate(files):
        check(n / len(files))
        told(path)
        try:
            _one(cabinet, path, folder, tags, found)
        except (BadPicture, FileTrouble) as error:
            found.not_taken[str(path)] = error.sentence()
    return found


def _one(cabinet: Cabinet, path: Path, folder: Path, tags: tuple[str, ...], found: TakenIn) -> None:
    made = of_file(read_bytes(path), path.name, (*tags, *_folders(path, folder)))
    if cabinet.has(made.entry.origin):
        found.there.append(str(path))
        return
    near = cabinet.near(made.likeness, 1)
    if near and near[0][1] < DOUBLE and made.likeness.any():
        likes = f"Like {near[0][0].name}"
        entry = made.entry.model_copy(update={"wrong": (*made.entry.wrong, "double"), "notes": likes})
        made = replace(made, entry=entry)
    found.kept.append(cabinet.keep(made))


def _folders(path: Path, folder: Path) -> tuple[str, ...]:
    """The folders in which a file lies are its first tags."""
    return tuple(part[:60] for part in path.parent.relative_to(folder).parts[:5])
