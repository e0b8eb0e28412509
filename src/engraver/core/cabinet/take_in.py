"""Taking in what the artist already has: a folder of finished files, never touching them."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from ..errors import BadPicture, FileTrouble, Watch, unwatched
from ..files.read import EXTENSIONS, read_bytes
from .entry import Entry
from .likeness import DOUBLE
from .store import Cabinet
from .to_keep import ToKeep, of_file

# Files that are kept in one change: each change waits for the disk.
_AT_ONCE = 8


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
    """Keep every finished file of a folder, a few in one change; a stop keeps those that were read.

    Raises
    ------
    FileTrouble
        The folder cannot be read.
    Cancelled
        ``check`` said so; what was read until then is kept.
    """
    if not folder.is_dir():
        raise FileTrouble(f"{folder} cannot be taken in", "it is no folder", "Choose the folder that holds the files")
    files, found, some = list(files_in(folder)), TakenIn(), list[ToKeep]()
    try:
        for n, path in enumerate(files):
            check(n / len(files))
            told(path)
            try:
                made = _made(cabinet, path, folder, tags, some)
            except (BadPicture, FileTrouble) as error:
                found.not_taken[str(path)] = error.sentence()
                continue
            if made is None:
                found.there.append(str(path))
            else:
                some.append(made)
            if len(some) == _AT_ONCE:
                found.kept += cabinet.keep_all(some)
                some.clear()
    finally:
        found.kept += cabinet.keep_all(some)
    return found


def _made(
    cabinet: Cabinet, path: Path, folder: Path, tags: tuple[str, ...], some: Sequence[ToKeep]
) -> ToKeep | None:  # fmt: skip
    """A file, ready to be kept; None for one that is there, or among ``some`` that are about to be kept."""
    made = of_file(read_bytes(path), path.name, (*tags, *_folders(path, folder)))
    if cabinet.has(made.entry.origin) or any(made.entry.origin == one.entry.origin for one in some):
        return None
    if not made.likeness.any():
        return made
    near = cabinet.near(made.likeness, 1)
    like = near[0][0].name if near and near[0][1] < DOUBLE else ""
    like = like or next((o.entry.name for o in some if 1 - float(o.likeness @ made.likeness) < DOUBLE), "")
    if not like:
        return made
    wrong = (*made.entry.wrong, "double")
    return replace(made, entry=made.entry.model_copy(update={"wrong": wrong, "notes": f"Like {like}"}))


def _folders(path: Path, folder: Path) -> tuple[str, ...]:
    """The folders in which a file lies are its first tags."""
    return tuple(part[:60] for part in path.parent.relative_to(folder).parts[:5])
