"""What one open cabinet changed, to be taken back and done again.

Temporary triggers write down, for every row that is changed, the statement that undoes it; these statements, run from
the last to the first, are written down in their turn (SQLite, "Automatic Undo/Redo Using SQLite",
sqlite.org/undoredo.html). Only columns that changed are set back, and rows go by their ids, so that what another
program changed meanwhile stays.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

from .rows import CabinetTrouble
from .store import Cabinet

Answer = TypeVar("Answer")
# What tells a row of a table, and which entry and which drawer it is about, as columns.
_TABLES = {
    "entries": (("id",), "id", ""),
    "drawers": (("id",), "", "id"),
    "lies_in": (("drawer", "entry"), "entry", "drawer"),
    "history": (("rowid",), "entry", ""),
}
# When a piece was used last goes on by itself.
_BY_ITSELF = "used"


@dataclass(frozen=True, slots=True)
class Change:
    """One change.

    Attributes
    ----------
    label : str
        What was done, for the artist.
    first, last : int
        Its statements in the log.
    entries : tuple of str
        Ids of the entries that it is about.
    drawer : str
        Id of the one drawer that it is about, "" for none or several.
    """

    label: str
    first: int
    last: int
    entries: tuple[str, ...] = ()
    drawer: str = ""


class UndoLog:
    """Watches one open cabinet, on its thread, until that is closed; one that cannot be written changes nothing.

    Raises CabinetTrouble.
    """

    def __init__(self, cabinet: Cabinet) -> None:
        self._cabinet = cabinet
        if cabinet.read_only:
            return
        with cabinet.changing() as base:
            columns = "n INTEGER PRIMARY KEY AUTOINCREMENT, undoes TEXT, entry TEXT, drawer TEXT"
            base.execute(f"CREATE TEMP TABLE undo_log ({columns})")
            for table in _TABLES:
                for statement in _triggers(base, table):
                    base.execute(statement)

    def record(self, work: Callable[[Cabinet], Answer], label: str) -> tuple[Answer, Change | None]:
        """Do something to the cabinet; with a label it can be undone, where it changed anything.

        Raises what the work raises; what it changed until then stays, and cannot be undone.
        """
        before = self._last()
        try:
            answer = work(self._cabinet)
        except BaseException:
            self._drop(before + 1)
            raise
        if label:
            return answer, self._change(label, before)
        self._drop(before + 1)
        return answer, None

    def undo(self, change: Change) -> Change | None:
        """Undo a change, all of it or nothing; returns the one that does it again, None where all was so already.

        Raises
        ------
        CabinetTrouble
            What it was about has been changed since by another program, or the cabinet cannot be written.
        """
        values = change.first, change.last
        rows = self._cabinet.rows("SELECT undoes FROM undo_log WHERE n BETWEEN ? AND ? ORDER BY n DESC", values)
        before = self._last()
        try:
            self._cabinet.run(str(undoes) for (undoes,) in rows)
        except CabinetTrouble as error:
            if isinstance(error.__cause__, sqlite3.IntegrityError):
                words = "what it was about has been changed since"
                raise CabinetTrouble(f"“{change.label}” cannot be taken back", words) from error
            raise
        return self._change(change.label, before)

    def _last(self) -> int:
        """The number of the last statement that was ever written down."""
        if self._cabinet.read_only:
            return 0
        found = self._cabinet.rows("SELECT seq FROM temp.sqlite_sequence WHERE name = 'undo_log'")
        return int(found[0][0]) if found else 0

    def _change(self, label: str, before: int) -> Change | None:
        last = self._last()
        if last == before:
            return None
        about = self._cabinet.rows("SELECT DISTINCT entry, drawer FROM undo_log WHERE n > ? ORDER BY n", (before,))
        entries = tuple(dict.fromkeys(str(entry) for entry, _ in about if entry))
        named = {str(drawer) for _, drawer in about if drawer}
        return Change(label, before + 1, last, entries, named.pop() if len(named) == 1 else "")

    def _drop(self, first: int) -> None:
        if self._last() >= first:
            self._cabinet.run([f"DELETE FROM undo_log WHERE n >= {first}"])


def _triggers(base: sqlite3.Connection, table: str) -> list[str]:
    """The triggers that write down how a table's rows are put back."""
    keys, entry, drawer = _TABLES[table]
    columns = [str(row[1]) for row in base.execute(f"PRAGMA table_info({table})")]

    def found(row: str) -> str:
        return " || ' AND ' || ".join(f"'{key} = ' || quote({row}.{key})" for key in keys)

    def writes(name: str, when: str, undoes: str, row: str, only: str = "") -> str:
        about = ", ".join(f"{row}.{column}" if column else "''" for column in (entry, drawer))
        return (
            f"CREATE TEMP TRIGGER {table}_{name} AFTER {when} ON {table} {only} BEGIN"
            f" INSERT INTO undo_log (undoes, entry, drawer) VALUES ({undoes}, {about}); END"
        )

    values = " || ',' || ".join(f"quote(old.{column})" for column in columns)
    watched = [column for column in columns if column != _BY_ITSELF]
    sets = " || ".join(
        f"CASE WHEN old.{c} IS NOT new.{c} THEN ', {c} = ' || quote(old.{c}) ELSE '' END" for c in watched
    )
    differs = " OR ".join(f"old.{c} IS NOT new.{c}" for c in watched)
    return [
        writes("in", "INSERT", f"'DELETE FROM {table} WHERE ' || {found('new')}", "new"),
        writes(
            "other", "UPDATE", f"'UPDATE {table} SET ' || substr({sets}, 3) || ' WHERE ' || {found('new')}", "new",
            f"WHEN {differs}",
        ),
        writes("out", "DELETE", f"'INSERT INTO {table} ({', '.join(columns)}) VALUES (' || {values} || ')'", "old"),
    ]  # fmt: skip
