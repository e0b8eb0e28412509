"""Entries as rows of a table, and queries as conditions on it."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError

from ..errors import EngraverError
from .entry import Entry, Query


class CabinetTrouble(EngraverError, RuntimeError):
    """The cabinet cannot be opened, read or changed."""


COLUMNS = tuple(Entry.model_fields)
# So few letters tell no match from another: the newest come first.
_FEW = 2
_JSON = ("tags", "wrong", "more")
_ASKED = ("kind", "scope", "colour", "project", "destination", "zero", "source")


def values_of(entry: Entry) -> dict[str, Any]:
    """An entry as a row's values by column."""
    values = entry.model_dump()
    for name in _JSON:
        values[name] = json.dumps(values[name], ensure_ascii=False)
    return {**values, "favourite": int(entry.favourite), "tiling": int(entry.tiling)}


def entry_of(row: tuple[Any, ...]) -> Entry:
    """An entry from the values of COLUMNS. Raises CabinetTrouble where they are none."""
    values = dict(zip(COLUMNS, row, strict=True))
    try:
        for name in _JSON:
            values[name] = json.loads(values[name])
        values |= {"favourite": bool(values["favourite"]), "tiling": bool(values["tiling"])}
        return Entry.model_validate(values)
    except (ValueError, ValidationError) as error:
        raise CabinetTrouble(
            "The cabinet is damaged", "an entry holds what it cannot", "Run `engraver cabinet check --mend`"
        ) from error


def order_of(query: Query, words: bool) -> str:
    """The best match first; else by what is wrong where that is asked for; else the newest first."""
    newest = "entries.made DESC, entries.rowid DESC"
    if words and len(query.words.strip()) > _FEW:
        return f"words.rank, {newest}"
    return f"entries.wrong, {newest}" if query.wrong else newest


def condition(query: Query) -> tuple[str, list[Any]]:
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
    for since, name in ((query.since, "made"), (query.used_since, "used")):
        if since:
            parts.append(f"entries.{name} >= ?")
            values.append(since)
    if query.within is not None:
        parts.append("(entries.scope != 'project' OR entries.project = ?)")
        values.append(query.within)
    if query.drawer:
        parts.append("entries.id IN (SELECT entry FROM lies_in WHERE drawer = ?)")
        values.append(query.drawer)
    return " AND ".join(parts), values
