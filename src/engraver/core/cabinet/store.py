"""The cabinet: every alpha and brush kept, across projects, in SQLite; safe for two programs at once and any kill."""

from __future__ import annotations

import json
import sqlite3
import time
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from ..errors import EngraverError
from ..recipe import new_id
from .blobs import Blobs
from .entry import Entry, Query
from .likeness import DOUBLE, packed
from .likenesses import Likenesses
from .schema import VERSION, migrate, version_of
from .to_keep import ToKeep

NAME = "cabinet.sqlite"
# Seconds that a program waits for another one's change.
_PATIENCE = 20.0
_DAY = 86_400.0
_COLUMNS = tuple(Entry.model_fields)
_JSON = ("tags", "wrong", "more")
_ASKED = ("kind", "scope", "colour", "project", "destination", "zero", "source")


class CabinetTrouble(EngraverError, RuntimeError):
    """The cabinet cannot be opened, read or changed."""


class Cabinet:
    """An open cabinet; belongs to one thread. Use it in ``with``, or close it.

    Parameters
    ----------
    folder : Path
        Made where it is missing.

    Raises
    ------
    CabinetTrouble
        It is of a newer version, damaged, or its folder cannot be read. One that cannot be written is opened to be
        read, and says so in ``read_only``.
    """

    def __init__(self, folder: Path) -> None:
        self.folder, self.blobs = folder, Blobs(folder / "pictures")
        self.session = new_id("session")
        self.read_only = False
        self._known: Likenesses | None = None
        path = folder / NAME
        try:
            self._base = self._opened(path)
        except sqlite3.DatabaseError as error:
            raise self._trouble(error) from error
        except OSError as error:
            raise CabinetTrouble("The cabinet cannot be opened", str(error.strerror or error), "") from error

    def _opened(self, path: Path) -> sqlite3.Connection:
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            base = sqlite3.connect(path, timeout=_PATIENCE, isolation_level=None)
            try:
                self._checked(base)
                base.execute("PRAGMA journal_mode = WAL")
                base.execute("PRAGMA synchronous = FULL")
                migrate(base)
            except BaseException:
                base.close()
                raise
            return base
        except (sqlite3.OperationalError, PermissionError, OSError) as error:
            if not path.exists() or (isinstance(error, sqlite3.DatabaseError) and "locked" in str(error)):
                raise
        self.read_only = True
        for how in ("mode=ro", "mode=ro&immutable=1"):  # the second where not even a lock can be written
            base = sqlite3.connect(f"{path.absolute().as_uri()}?{how}", uri=True, isolation_level=None)
            try:
                self._checked(base)
                base.execute("SELECT count(*) FROM entries")
                return base
            except sqlite3.OperationalError:
                base.close()
            except BaseException:
                base.close()
                raise
        raise CabinetTrouble("The cabinet cannot be opened", "its folder can neither be written nor read", "")

    @staticmethod
    def _checked(base: sqlite3.Connection) -> None:
        if version_of(base) > VERSION:
            raise CabinetTrouble("The cabinet was made by a newer Engraver", "", "Update Engraver to open it")

    def close(self) -> None:
        """What was kept until the program closes goes."""
        try:
            if not self.read_only:
                self._base.execute("DELETE FROM entries WHERE scope = 'session' AND session = ?", (self.session,))
        except sqlite3.DatabaseError:
            pass  # the next check tells of it
        self._base.close()

    def __enter__(self) -> Cabinet:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def _trouble(self, error: sqlite3.DatabaseError) -> EngraverError:
        words = str(error)
        if "malformed" in words or "not a database" in words or "corrupt" in words:
            return CabinetTrouble(
                "The cabinet is damaged", words, "Run `engraver cabinet check --mend` to save the sound part"
            )
        if "readonly" in words or "read-only" in words:
            return CabinetTrouble("Nothing can be kept", "the cabinet's folder cannot be written", "")
        if "full" in words:
            return CabinetTrouble("Nothing was kept", "the disk is full", "Make room and keep it again")
        return CabinetTrouble("The cabinet cannot be used now", words, "Try again")

    @contextmanager
    def _change(self) -> Iterator[sqlite3.Connection]:
        """A change that is whole or none."""
        if self.read_only:
            raise CabinetTrouble("Nothing can be kept", "the cabinet's folder cannot be written", "")
        try:
            self._base.execute("BEGIN IMMEDIATE")
            try:
                yield self._base
                self._base.execute("COMMIT")
            except BaseException:
                self._known = None
                if self._base.in_transaction:
                    self._base.execute("ROLLBACK")
                raise
        except sqlite3.DatabaseError as error:
            raise self._trouble(error) from error

    def _rows(self, text: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        try:
            return self._base.execute(text, values).fetchall()
        except sqlite3.DatabaseError as error:
            raise self._trouble(error) from error

    # -- keeping -------------------------------------------------------------------

    def keep(self, made: ToKeep) -> Entry:
        """Keep one thing, as :meth:`keep_all` does."""
        return self.keep_all([made])[0]

    def keep_all(self, things: Sequence[ToKeep]) -> list[Entry]:
        """Keep things with their pictures, all of them or none; one of the same origin is refreshed, and what it was
        stays in its history.

        A picture is on the disk before its entry names it. Returns the entries as they are kept: a refreshed
        one keeps its id, when it was made, its tags, and notes and colour unless the new one says other ones.

        Raises
        ------
        CabinetTrouble, FileTrouble
            The cabinet, or the folder of its pictures, cannot be written.
        """
        digests = [self.blobs.put(made.picture) for made in things]
        with self._change() as base:
            return [self._kept(base, made, digest) for made, digest in zip(things, digests, strict=True)]

    def _kept(self, base: sqlite3.Connection, made: ToKeep, digest: str) -> Entry:
        entry, now, old = made.entry, time.time(), None
        if entry.origin:
            found = base.execute(f"SELECT {', '.join(_COLUMNS)} FROM entries WHERE origin = ?", (entry.origin,))
            row = found.fetchone()
            old = _entry(row) if row is not None else None
        if old is not None:
            base.execute("INSERT INTO history VALUES (?, ?, ?, ?)", (old.id, now, old.picture, json.dumps(old.more)))
            entry = entry.model_copy(update={
                "id": old.id, "made": old.made, "tags": tuple(dict.fromkeys((*old.tags, *entry.tags))),
                "notes": entry.notes or old.notes, "colour": entry.colour or old.colour,
                "favourite": entry.favourite or old.favourite,
            })  # fmt: skip
        entry = entry.model_copy(update={"picture": digest, "made": entry.made or now, "used": now})
        self._put(base, entry, made.likeness)
        return entry

    def _put(self, base: sqlite3.Connection, entry: Entry, likeness: NDArray[np.float32]) -> None:
        values = {**_values(entry), "likeness": packed(likeness), "session": self.session}
        names = ", ".join(values)
        new = ", ".join(f"{name} = excluded.{name}" for name in values if name != "id")
        base.execute(
            f"INSERT INTO entries ({names}) VALUES ({', '.join('?' * len(values))})"
            f" ON CONFLICT (id) DO UPDATE SET {new}",
            tuple(values.values()),
        )
        if self._known is not None:
            self._known.put(entry.id, likeness)

    def change(self, id: str, **changes: Any) -> Entry:
        """An entry with something else: name, tags, notes, scope, colour, favourite, used. Raises CabinetTrouble."""
        entry = Entry.model_validate({**self.entry(id).model_dump(), **changes})
        values = _values(entry)
        with self._change() as base:
            base.execute(
                f"UPDATE entries SET {', '.join(f'{n} = ?' for n in changes)} WHERE id = ?",
                (*(values[n] for n in changes), id),
            )
        return entry

    def forget(self, ids: Iterable[str]) -> None:
        """Entries less; their pictures go with the next check."""
        self._known = None
        with self._change() as base:
            base.executemany("DELETE FROM entries WHERE id = ?", [(id,) for id in ids])

    # -- finding -------------------------------------------------------------------

    def entry(self, id: str) -> Entry:
        """Raises CabinetTrouble where it is gone."""
        rows = self._rows(f"SELECT {', '.join(_COLUMNS)} FROM entries WHERE id = ?", (id,))
        if not rows:
            raise CabinetTrouble("That is no longer in the cabinet")
        return _entry(rows[0])

    def count(self) -> int:
        return int(self._rows("SELECT count(*) FROM entries")[0][0])

    def has(self, origin: str) -> bool:
        """Whether something of this origin is kept."""
        return bool(origin) and bool(self._rows("SELECT 1 FROM entries WHERE origin = ?", (origin,)))

    def knows(self, id: str) -> bool:
        """Whether an entry has this id."""
        return bool(self._rows("SELECT 1 FROM entries WHERE id = ?", (id,)))

    def same(self, entry: Entry) -> bool:
        """Whether an entry with the same picture is kept under the same name."""
        text = "SELECT 1 FROM entries WHERE picture = ? AND name = ?"
        return bool(self._rows(text, (entry.picture, entry.name)))

    def find(self, query: Query | None = None) -> list[Entry]:
        """What is asked for: the best match first, without words the newest first."""
        where, values = _where(query or Query())
        words = "words MATCH ?" in where
        order = "words.rank, entries.made DESC" if words else "entries.made DESC, entries.rowid DESC"
        joined = " JOIN words ON words.rowid = entries.rowid" if words else ""
        names = ", ".join(f"entries.{name}" for name in _COLUMNS)
        text = f"SELECT {names} FROM entries{joined}{' WHERE ' + where if where else ''} ORDER BY {order} LIMIT ?"
        return [_entry(row) for row in self._rows(text, (*values, (query or Query()).most))]

    def near(
        self, likeness: NDArray[np.float32], most: int = 24, query: Query | None = None
    ) -> list[tuple[Entry, float]]:
        """The entries that look most alike, with how far they are, 0 for the same to 2; however they are turned,
        mirrored, re-toned or reduced.

        Parameters
        ----------
        likeness : float32 (LENGTH,)
            As :func:`likeness` makes it.
        query : Query, optional
            Only what is asked for.
        """
        ids, all_ = self._likenesses()
        away = 1 - all_ @ likeness.astype(np.float32)
        asked = {e.id: e for e in self.find(query)} if query is not None else None
        order = [n for n in np.argsort(away, kind="stable") if asked is None or ids[n] in asked][:most]
        return [(asked[ids[n]] if asked is not None else self.entry(ids[n]), max(0.0, float(away[n]))) for n in order]

    def _likenesses(self) -> tuple[list[str], NDArray[np.float32]]:
        """All likenesses, in rows; read again only after another program's change."""
        version = int(self._rows("PRAGMA data_version")[0][0])
        if self._known is None or self._known.version != version:
            rows = self._rows("SELECT id, likeness FROM entries INDEXED BY by_likeness")
            self._known = Likenesses(version, [(str(id), bytes(data)) for id, data in rows])
        return self._known.ids, self._known.rows

    def doubles(self, most: float = DOUBLE) -> list[tuple[str, ...]]:
        """Ids of entries that look the same, in groups."""
        ids, all_ = self._likenesses()
        left, found = set(range(len(ids))), []
        for n in range(len(ids)):
            if n in left and all_[n].any():
                alike = [m for m in np.flatnonzero(all_ @ all_[n] > 1 - most) if m in left]
                left.difference_update(alike)
                if len(alike) > 1:
                    found.append(tuple(ids[m] for m in alike))
        return found

    def picture(self, entry: Entry) -> bytes:
        """The finished picture, as a 16-bit PNG. Raises FileTrouble where it is gone or damaged."""
        return self.blobs.get(entry.picture)

    def pictures(self) -> dict[str, str]:
        """The name of an entry for each picture that is named, by now or by history."""
        rows = self._rows("SELECT h.picture, e.name FROM history h JOIN entries e ON e.id = h.entry")
        rows += self._rows("SELECT picture, name FROM entries")
        return {str(digest): str(name) for digest, name in rows}

    def integrity(self) -> list[str]:
        """What SQLite says of its tables, and of the words; ["ok"] where all is well."""
        found = [str(row[0]) for row in self._rows("PRAGMA integrity_check")]
        if not self.read_only:
            self._rows("INSERT INTO words (words, rank) VALUES ('integrity-check', 1)")
        return found

    def is_old(self, digest: str) -> bool:
        """Whether a picture was written more than a day ago."""
        try:
            return time.time() - self.blobs.path(digest).stat().st_mtime > _DAY
        except OSError:
            return False

    def history(self, id: str) -> list[tuple[float, str]]:
        """When an entry was refreshed, and the picture that it had until then, the newest first."""
        rows = self._rows("SELECT kept, picture FROM history WHERE entry = ? ORDER BY kept DESC", (id,))
        return [(float(kept), str(picture)) for kept, picture in rows]


def _values(entry: Entry) -> dict[str, Any]:
    values = entry.model_dump()
    for name in _JSON:
        values[name] = json.dumps(values[name], ensure_ascii=False)
    return {**values, "favourite": int(entry.favourite), "tiling": int(entry.tiling)}


def _entry(row: tuple[Any, ...]) -> Entry:
    values = dict(zip(_COLUMNS, row, strict=True))
    try:
        for name in _JSON:
            values[name] = json.loads(values[name])
        values |= {"favourite": bool(values["favourite"]), "tiling": bool(values["tiling"])}
        return Entry.model_validate(values)
    except (ValueError, ValidationError) as error:
        raise CabinetTrouble(
            "The cabinet is damaged", "an entry holds what it cannot", "Run `engraver cabinet check --mend`"
        ) from error


def _where(query: Query) -> tuple[str, list[Any]]:
    """The condition of a query, and its values."""
    parts: list[str] = []
    values: list[Any] = []
    words = [w for w in "".join(c if c.isalnum() else " " for c in query.words).split() if w]
    if words:
        parts.append("words MATCH ?")
        values.append(" ".join(f'"{w}"*' for w in words))
    elif query.words.strip():
        parts.append("0")  # signs alone are in no word
    for name in _ASKED:
        asked = getattr(query, name)
        if asked is not None:
            parts.append(f"entries.{name} = ?")
            values.append(asked)
    for name in ("favourite", "tiling"):
        asked = getattr(query, name)
        if asked is not None:
            parts.append(f"entries.{name} = ?")
            values.append(int(asked))
    if query.tag:
        parts.append("EXISTS (SELECT 1 FROM json_each(entries.tags) WHERE json_each.value = ?)")
        values.append(query.tag)
    if query.wrong is not None:
        parts.append("entries.wrong != '[]'" if query.wrong else "entries.wrong = '[]'")
    for limit, sign in ((query.smallest, ">="), (query.largest, "<=")):
        if limit:
            parts.append(f"max(entries.width, entries.height) {sign} ?")
            values.append(limit)
    if query.since:
        parts.append("entries.made >= ?")
        values.append(query.since)
    return " AND ".join(parts), values
