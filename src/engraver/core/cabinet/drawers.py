"""Drawers: searches kept by name, and drawers that are filled by hand."""

from __future__ import annotations

import json
import time
from collections.abc import Iterable
from dataclasses import dataclass

from pydantic import ValidationError

from .. import limits
from ..recipe import new_id
from .entry import Query
from .rows import CabinetTrouble
from .store import Cabinet

MOST = 200


@dataclass(frozen=True, slots=True)
class Drawer:
    """A named part of the cabinet. ``query`` finds what lies in it; None for one that is filled by hand."""

    id: str
    name: str
    query: Query | None = None

    @property
    def asks(self) -> Query:
        """What finds what lies in it."""
        return self.query if self.query is not None else Query(drawer=self.id)


def drawers(cabinet: Cabinet) -> list[Drawer]:
    """All drawers, by name; one whose search cannot be understood any more is shown as one that finds nothing."""
    if not cabinet.rows("SELECT 1 FROM sqlite_master WHERE name = 'drawers'"):
        return []  # an older one that cannot be written
    rows = cabinet.rows("SELECT id, name, query FROM drawers ORDER BY name COLLATE NOCASE, made")
    return [Drawer(str(id), str(name), _query(str(text))) for id, name, text in rows]


def add(cabinet: Cabinet, name: str, query: Query | None = None) -> Drawer:
    """One more drawer; a name that another one has gets a number. Raises CabinetTrouble."""
    known = drawers(cabinet)
    if len(known) >= MOST:
        raise CabinetTrouble(f"A cabinet has at most {MOST} drawers", "", "Remove one first")
    drawer = Drawer(new_id("d"), _free(name, {d.name for d in known}), query)
    text = query.model_dump_json(exclude_defaults=True) if query is not None else ""
    with cabinet.changing() as base:
        base.execute("INSERT INTO drawers VALUES (?, ?, ?, ?)", (drawer.id, drawer.name, text, time.time()))
    return drawer


def rename(cabinet: Cabinet, id: str, name: str) -> None:
    """Another name; one that another drawer has gets a number. Raises CabinetTrouble."""
    taken = {d.name for d in drawers(cabinet) if d.id != id}
    with cabinet.changing() as base:
        base.execute("UPDATE drawers SET name = ? WHERE id = ?", (_free(name, taken), id))


def remove(cabinet: Cabinet, id: str) -> None:
    """A drawer less; what lay in it stays in the cabinet. Raises CabinetTrouble."""
    with cabinet.changing() as base:
        base.execute("DELETE FROM drawers WHERE id = ?", (id,))


def put(cabinet: Cabinet, id: str, entries: Iterable[str]) -> None:
    """Lay entries into a drawer that is filled by hand. Raises CabinetTrouble where it finds its own."""
    found = {d.id: d for d in drawers(cabinet)}
    if id not in found:
        raise CabinetTrouble("That drawer is gone")
    if found[id].query is not None:
        raise CabinetTrouble(f"{found[id].name} is a search", "what lies in it is what it finds", "Drop it elsewhere")
    with cabinet.changing() as base:
        base.executemany("INSERT OR IGNORE INTO lies_in VALUES (?, ?, ?)", [(id, e, time.time()) for e in entries])


def take_out(cabinet: Cabinet, id: str, entries: Iterable[str]) -> None:
    """Take entries out of a drawer; they stay in the cabinet. Raises CabinetTrouble."""
    with cabinet.changing() as base:
        base.executemany("DELETE FROM lies_in WHERE drawer = ? AND entry = ?", [(id, e) for e in entries])


def _query(text: str) -> Query | None:
    if not text:
        return None
    try:
        return Query.model_validate(json.loads(text))
    except (ValueError, ValidationError, RecursionError):
        return Query(words="?")


def _free(wanted: str, taken: set[str]) -> str:
    name = first = wanted.strip()[: limits.NAME] or "Drawer"
    number = 2
    while name in taken:
        name, number = f"{first[: limits.NAME - 5]} {number}", number + 1
    return name
