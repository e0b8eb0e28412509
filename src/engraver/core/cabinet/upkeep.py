"""Looking a cabinet over: what is damaged is told, pictures of nothing go, and the sound part can be saved."""

from __future__ import annotations

import sqlite3
import time
from dataclasses import dataclass
from pathlib import Path

from ..errors import FileTrouble
from .reliefs import Reliefs
from .rows import CabinetTrouble
from .schema import migrate
from .store import NAME, Cabinet

_DAY = 86_400.0


@dataclass(frozen=True)
class Report:
    """What was found: sentences on what is wrong, how many entries and pictures there are, and how many pictures that
    nothing names were removed."""

    told: tuple[str, ...]
    entries: int
    pictures: int
    removed: int = 0

    @property
    def sound(self) -> bool:
        return not self.told


def check(cabinet: Cabinet) -> Report:
    """Ask SQLite, the words and every picture. Pictures that no entry and no history names are removed.

    Raises CabinetTrouble where the tables cannot even be asked.
    """
    told = [f"The tables are damaged: {row}" for row in integrity(cabinet) if row != "ok"]
    named = pictures_of(cabinet)
    there = set(cabinet.blobs.all())
    for digest, entry in named.items():
        if digest not in there:
            told.append(f"The picture of {entry} is gone.")
            continue
        try:
            cabinet.blobs.get(digest)
        except FileTrouble:
            told.append(f"The picture of {entry} is damaged.")
    extra = there - set(named)
    if not cabinet.read_only:
        # One that is being kept now lies there a moment before its entry: what is a day old belongs to nothing.
        extra = {digest for digest in extra if is_old(cabinet, digest)}
        for digest in extra:
            cabinet.blobs.remove(digest)
        Reliefs(cabinet.folder).forget_all_but(named)
    return Report(tuple(told), cabinet.count(), len(named), 0 if cabinet.read_only else len(extra))


def pictures_of(cabinet: Cabinet) -> dict[str, str]:
    """The name of an entry for each picture that is named, by now or by history."""
    rows = cabinet.rows("SELECT h.picture, e.name FROM history h JOIN entries e ON e.id = h.entry")
    rows += cabinet.rows("SELECT picture, name FROM entries")
    return {str(digest): str(name) for digest, name in rows}


def integrity(cabinet: Cabinet) -> list[str]:
    """What SQLite says of its tables, and of the words; ["ok"] where all is well."""
    found = [str(row[0]) for row in cabinet.rows("PRAGMA integrity_check")]
    if not cabinet.read_only:
        cabinet.rows("INSERT INTO words (words, rank) VALUES ('integrity-check', 1)")
    return found


def is_old(cabinet: Cabinet, digest: str) -> bool:
    """Whether a picture was written more than a day ago."""
    try:
        return time.time() - cabinet.blobs.path(digest).stat().st_mtime > _DAY
    except OSError:
        return False


def mend(folder: Path) -> tuple[int, Path]:
    """Save what can be read of a damaged cabinet into a new one; the damaged file stays beside it.

    Returns how many entries were saved, and where the damaged file lies.

    Raises
    ------
    CabinetTrouble
        There is none.
    """
    path = folder / NAME
    if not path.exists():
        raise CabinetTrouble("There is no cabinet to mend", str(folder), "")
    number = 1
    while (aside := folder / f"damaged-{number}.sqlite").exists():
        number += 1
    fresh_path = folder / f".{NAME}.new"
    fresh_path.unlink(missing_ok=True)
    fresh = sqlite3.connect(fresh_path, isolation_level=None)
    try:
        migrate(fresh)
        saved = _copied(path, fresh)
    finally:
        fresh.close()
    path.rename(aside)
    for ending in ("-wal", "-shm"):
        beside = path.with_name(path.name + ending)
        if beside.exists():
            beside.rename(aside.with_name(aside.name + ending))
    fresh_path.rename(path)
    return saved, aside


def _copied(path: Path, fresh: sqlite3.Connection) -> int:
    """Row by row: one that cannot be read is passed over. Returns how many entries were saved."""
    try:
        old = sqlite3.connect(path, isolation_level=None)
    except sqlite3.DatabaseError:
        return 0
    try:
        saved = _rows_saved(old, fresh, "entries")
        for table in ("history", "drawers", "lies_in"):
            _rows_saved(old, fresh, table)
    finally:
        old.close()
    return saved


def _rows_saved(old: sqlite3.Connection, fresh: sqlite3.Connection, table: str) -> int:
    names = [row[1] for row in fresh.execute(f"PRAGMA table_info({table})")]
    listed, saved = ", ".join(names), 0
    put = f"INSERT INTO {table} ({listed}) VALUES ({', '.join('?' * len(names))})"
    try:
        last = int(old.execute(f"SELECT max(rowid) FROM {table}").fetchone()[0] or 0)
    except sqlite3.DatabaseError:
        return 0
    for rowid in range(1, last + 1):
        try:
            row = old.execute(f"SELECT {listed} FROM {table} NOT INDEXED WHERE rowid = ?", (rowid,)).fetchone()
            if row is not None:
                fresh.execute(put, row)
                saved += 1
        except sqlite3.DatabaseError:
            continue
    return saved
