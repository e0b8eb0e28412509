"""The cabinet: every alpha and brush kept, across projects, in SQLite; safe for two programs at once and any kill."""

from __future__ import annotations

import json
import sqlite3
import time
from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import EngraverError
from ..recipe import new_id
from .blobs import Blobs
from .doubles import alike
from .entry import Entry, Listed, Query
from .likeness import DOUBLE, packed
from .likenesses import Likenesses
from .rows import COLUMNS, CabinetTrouble, condition, entry_of, order_of, values_of
from .schema import VERSION, migrate, version_of
from .sessions import Session
from .to_keep import ToKeep

NAME = "cabinet.sqlite"
# Seconds that a program waits for another one's change.
_PATIENCE = 20.0
# Entries that are asked for at once, of those that look alike.
_AT_ONCE = 500


class Cabinet:
    """An open cabinet; belongs to one thread at a time. Use it in ``with``, or close it.

    Parameters
    ----------
    folder : Path
        Made where it is missing.
    session : Session, optional
        What is kept until the program closes stays until this one ends; by default, until the cabinet is closed.

    Raises
    ------
    CabinetTrouble
        It is of a newer version, damaged, or its folder cannot be read. One that cannot be written is opened to be
        read, and says so in ``read_only``.
    """

    def __init__(self, folder: Path, session: Session | None = None) -> None:
        self.folder, self.blobs = folder, Blobs(folder / "pictures")
        self._lasts = session is not None
        self.session = session.id if session is not None else new_id("session")
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
            base = sqlite3.connect(path, timeout=_PATIENCE, isolation_level=None, check_same_thread=False)
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
            base = sqlite3.connect(
                f"{path.absolute().as_uri()}?{how}", uri=True, isolation_level=None, check_same_thread=False
            )
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
        """What was kept until the program closes goes, unless its session lasts longer."""
        if not self._lasts:
            self.let_go([self.session])
        self._base.close()

    def let_go(self, sessions: Iterable[str]) -> None:
        """What was kept until these programs close goes; a cabinet that cannot be changed keeps it."""
        if self.read_only:
            return
        text = "DELETE FROM entries WHERE scope = 'session' AND session = ?"
        with suppress(sqlite3.DatabaseError):  # the next check tells of it
            self._base.executemany(text, [(id,) for id in sessions])
        self._known = None

    def sessions(self) -> list[str]:
        """Ids of the programs until whose end something is kept."""
        return [str(row[0]) for row in self.rows("SELECT DISTINCT session FROM entries WHERE scope = 'session'")]

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
    def changing(self) -> Iterator[sqlite3.Connection]:
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

    def rows(self, text: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        """What a statement answers. Raises CabinetTrouble."""
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
        digests = [self.blobs.put(made.picture, made.digest) for made in things]
        with self.changing() as base:
            return [self._kept(base, made, digest) for made, digest in zip(things, digests, strict=True)]

    def _kept(self, base: sqlite3.Connection, made: ToKeep, digest: str) -> Entry:
        entry, now, old = made.entry, time.time(), None
        if entry.origin:
            found = base.execute(f"SELECT {', '.join(COLUMNS)} FROM entries WHERE origin = ?", (entry.origin,))
            row = found.fetchone()
            old = entry_of(row) if row is not None else None
        if old is not None:
            base.execute("INSERT INTO history VALUES (?, ?, ?, ?)", (old.id, now, old.picture, json.dumps(old.more)))
            entry = entry.model_copy(update={
                "id": old.id, "made": old.made, "tags": tuple(dict.fromkeys((*old.tags, *entry.tags))),
                "notes": entry.notes or old.notes, "colour": entry.colour or old.colour,
                "favourite": entry.favourite or old.favourite,
            })  # fmt: skip
        entry = entry.model_copy(update={"picture": digest, "made": entry.made or now, "used": now})
        self.put(base, entry, made.likeness)
        return entry

    def put(self, base: sqlite3.Connection, entry: Entry, likeness: NDArray[np.float32]) -> None:
        """An entry in place, within a change of :meth:`changing`; its picture is kept already."""
        values = {**values_of(entry), "likeness": packed(likeness), "session": self.session}
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
        """An entry with something else, as :meth:`change_each` does."""
        return self.change_each([(id, changes)])[0]

    def change_each(self, changes: Iterable[tuple[str, Mapping[str, Any]]]) -> list[Entry]:
        """Entries with something else, all of them or none: name, tags, notes, scope, colour, favourite, used.

        Raises CabinetTrouble.
        """
        made = []
        for id, some in changes:
            entry = Entry.model_validate({**self.entry(id).model_dump(), **some})
            values = values_of(entry)
            made.append((entry, tuple(some), (*(values[n] for n in some), id)))
        with self.changing() as base:
            for _, names, row in made:
                base.execute(f"UPDATE entries SET {', '.join(f'{n} = ?' for n in names)} WHERE id = ?", row)
        return [entry for entry, _, _ in made]

    def run(self, statements: Iterable[str]) -> None:
        """Statements as one change, that may be of anything. Raises CabinetTrouble."""
        self._known = None
        with self.changing() as base:
            for statement in statements:
                base.execute(statement)

    def forget(self, ids: Iterable[str]) -> None:
        """Entries less; their pictures go with the next check."""
        self._known = None
        with self.changing() as base:
            base.executemany("DELETE FROM entries WHERE id = ?", [(id,) for id in ids])

    # -- finding -------------------------------------------------------------------

    def entry(self, id: str) -> Entry:
        """Raises CabinetTrouble where it is gone."""
        rows = self.rows(f"SELECT {', '.join(COLUMNS)} FROM entries WHERE id = ?", (id,))
        if not rows:
            raise CabinetTrouble("That is no longer in the cabinet")
        return entry_of(rows[0])

    def count(self) -> int:
        return int(self.rows("SELECT count(*) FROM entries")[0][0])

    def counted(self, query: Query) -> int:
        """How many are found."""
        among, values, _ = _asked(query)
        return int(self.rows(f"SELECT count(*) {among}", values)[0][0])

    def values(self, name: str) -> list[str]:
        """What entries have in a column of words: project, destination or source; without "", sorted."""
        if name not in ("project", "destination", "source"):
            raise ValueError(name)
        rows = self.rows(f"SELECT DISTINCT {name} FROM entries WHERE {name} != '' ORDER BY {name} COLLATE NOCASE")
        return [str(row[0]) for row in rows]

    def has(self, origin: str) -> bool:
        """Whether something of this origin is kept."""
        return bool(origin) and bool(self.rows("SELECT 1 FROM entries WHERE origin = ?", (origin,)))

    def knows(self, id: str) -> bool:
        """Whether an entry has this id."""
        return bool(self.rows("SELECT 1 FROM entries WHERE id = ?", (id,)))

    def same(self, entry: Entry) -> bool:
        """Whether an entry with the same picture is kept under the same name."""
        text = "SELECT 1 FROM entries WHERE picture = ? AND name = ?"
        return bool(self.rows(text, (entry.picture, entry.name)))

    def find(self, query: Query | None = None) -> list[Entry]:
        """What is asked for: the best match first, without words the newest first."""
        names = ", ".join(f"entries.{name}" for name in COLUMNS)
        return [entry_of(row) for row in self._found(names, query or Query())]

    def listed(self, query: Query | None = None) -> list[Listed]:
        """As :meth:`find`, with little of each."""
        names = ", ".join(f"entries.{name}" for name in Listed._fields[:-1])
        return list(map(Listed._make, self._found(f"{names}, entries.wrong != '[]'", query or Query())))

    def listed_near(self, id: str, most: int, query: Query | None = None) -> list[Listed]:
        """What is asked for and looks like an entry, the nearest first. Raises CabinetTrouble where that is gone."""
        names = ", ".join(f"entries.{name}" for name in Listed._fields[:-1])
        order = [near for near, _ in self.nearest(self.likeness_of(id), self.count())]
        found: list[Listed] = []
        for first in range(0, len(order), _AT_ONCE):
            some = order[first : first + _AT_ONCE]
            rows = self._found(f"{names}, entries.wrong != '[]'", query or Query(), some)
            by_id = {row[0]: Listed._make(row) for row in rows}
            found += [by_id[one] for one in some if one in by_id]
            if len(found) >= most:
                break
        return found[:most]

    def make_ready(self) -> None:
        """Read what a search by likeness needs, so that the first one does not wait for it."""
        self._likenesses()

    def _found(self, names: str, query: Query, among: Sequence[str] | None = None) -> list[tuple[Any, ...]]:
        text, values, words = _asked(query, among)
        return self.rows(f"SELECT {names} {text} ORDER BY {order_of(query, words)} LIMIT ?", (*values, query.most))

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
        asked = {e.id: e for e in self.find(query)} if query is not None else None
        found = self.nearest(likeness, most, asked)
        return [(asked[id] if asked is not None else self.entry(id), away) for id, away in found]

    def nearest(
        self, likeness: NDArray[np.float32], most: int, among: Container[str] | None = None
    ) -> list[tuple[str, float]]:
        """As :meth:`near`, ids only."""
        ids, all_ = self._likenesses()
        away = 1 - all_ @ likeness.astype(np.float32)
        order = (n for n in np.argsort(away, kind="stable") if among is None or ids[n] in among)
        return [(ids[n], max(0.0, float(away[n]))) for n in islice(order, most)]

    def likeness_of(self, id: str) -> NDArray[np.float32]:
        """An entry's likeness, float32 (LENGTH,). Raises CabinetTrouble where it is gone."""
        ids, all_ = self._likenesses()
        if id not in ids:
            raise CabinetTrouble("That is no longer in the cabinet")
        found: NDArray[np.float32] = all_[ids.index(id)]
        return found

    def _likenesses(self) -> tuple[list[str], NDArray[np.float32]]:
        """All likenesses, in rows; read again only after another program's change."""
        version = int(self.rows("PRAGMA data_version")[0][0])
        if self._known is None or self._known.version != version:
            rows = self.rows("SELECT id, likeness FROM entries INDEXED BY by_likeness")
            self._known = Likenesses(version, [(str(id), bytes(data)) for id, data in rows])
        return self._known.ids, self._known.rows

    def doubles(self, most: float = DOUBLE) -> list[tuple[str, ...]]:
        """Ids of entries that look the same, in groups; an alpha and a brush made of it are no doubles."""
        ids, all_ = self._likenesses()
        brushes = {str(row[0]) for row in self.rows("SELECT id FROM entries WHERE kind = 'brush'")}
        return [tuple(ids[n] for n in group) for group in alike(all_, [id in brushes for id in ids], most)]

    def picture(self, entry: Entry) -> bytes:
        """The finished picture, as a 16-bit PNG. Raises FileTrouble where it is gone or damaged."""
        return self.blobs.get(entry.picture)

    def history(self, id: str) -> list[tuple[float, str]]:
        """When an entry was refreshed, and the picture that it had until then, the newest first."""
        rows = self.rows("SELECT kept, picture FROM history WHERE entry = ? ORDER BY kept DESC", (id,))
        return [(float(kept), str(picture)) for kept, picture in rows]


def _asked(query: Query, among: Sequence[str] | None = None) -> tuple[str, list[Any], bool]:
    """From where and under which condition a query is answered, its values, and whether words are looked for;
    ``among`` some ids only."""
    where, values = condition(query)
    if among is not None:
        where = " AND ".join(part for part in (where, "entries.id IN (SELECT value FROM json_each(?))") if part)
        values.append(json.dumps(list(among)))
    words = "words MATCH ?" in where
    joined = " JOIN words ON words.rowid = entries.rowid" if words else ""
    return f"FROM entries{joined}{' WHERE ' + where if where else ''}", values, words
