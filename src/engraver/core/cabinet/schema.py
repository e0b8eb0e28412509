"""The tables of a cabinet, and how older ones become today's."""

from __future__ import annotations

import sqlite3

VERSION = 2
# by_likeness holds all that a search by likeness reads, so that no entry has to be.
_FIRST = """
CREATE TABLE entries (
    id TEXT PRIMARY KEY, name TEXT NOT NULL, notes TEXT NOT NULL, tags TEXT NOT NULL, kind TEXT NOT NULL,
    scope TEXT NOT NULL, colour TEXT NOT NULL, favourite INTEGER NOT NULL, project TEXT NOT NULL,
    origin TEXT NOT NULL, destination TEXT NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL,
    zero TEXT NOT NULL, tiling INTEGER NOT NULL, source TEXT NOT NULL, made REAL NOT NULL, used REAL NOT NULL,
    picture TEXT NOT NULL, wrong TEXT NOT NULL, more TEXT NOT NULL, likeness BLOB NOT NULL, session TEXT NOT NULL
);
CREATE UNIQUE INDEX by_origin ON entries (origin) WHERE origin != '';
CREATE INDEX by_picture ON entries (picture);
CREATE INDEX by_made ON entries (made);
CREATE INDEX by_likeness ON entries (id, likeness);
CREATE TABLE history (entry TEXT NOT NULL, kept REAL NOT NULL, picture TEXT NOT NULL, more TEXT NOT NULL);
CREATE INDEX by_entry ON history (entry);
CREATE VIRTUAL TABLE words USING fts5 (
    name, tags, notes, content='entries', tokenize="unicode61 remove_diacritics 2", prefix='1 2 3'
);
CREATE TRIGGER entry_in AFTER INSERT ON entries BEGIN
    INSERT INTO words (rowid, name, tags, notes) VALUES (new.rowid, new.name, new.tags, new.notes);
END;
CREATE TRIGGER entry_out AFTER DELETE ON entries BEGIN
    INSERT INTO words (words, rowid, name, tags, notes)
        VALUES ('delete', old.rowid, old.name, old.tags, old.notes);
    DELETE FROM history WHERE entry = old.id;
END;
CREATE TRIGGER entry_new AFTER UPDATE OF name, tags, notes ON entries BEGIN
    INSERT INTO words (words, rowid, name, tags, notes)
        VALUES ('delete', old.rowid, old.name, old.tags, old.notes);
    INSERT INTO words (rowid, name, tags, notes) VALUES (new.rowid, new.name, new.tags, new.notes);
END;
"""
# by_wall holds all that a wall of pictures shows, so that no entry has to be read for it.
# A drawer with a query holds what is found; one without holds what was put in.
_DRAWERS = """
CREATE TABLE drawers (id TEXT PRIMARY KEY, name TEXT NOT NULL, query TEXT NOT NULL, made REAL NOT NULL);
CREATE TABLE lies_in (
    drawer TEXT NOT NULL, entry TEXT NOT NULL, put REAL NOT NULL, UNIQUE (drawer, entry)
);
CREATE INDEX by_lying ON lies_in (entry);
CREATE INDEX by_wall ON entries (made DESC, id, name, kind, picture, zero, favourite, colour, wrong, scope, project);
DROP INDEX by_made;
CREATE TRIGGER entry_taken_out AFTER DELETE ON entries BEGIN
    DELETE FROM lies_in WHERE entry = old.id;
END;
CREATE TRIGGER drawer_out AFTER DELETE ON drawers BEGIN
    DELETE FROM lies_in WHERE drawer = old.id;
END;
"""
_STEPS = {0: _FIRST, 1: _DRAWERS}


def version_of(base: sqlite3.Connection) -> int:
    return int(base.execute("PRAGMA user_version").fetchone()[0])


def migrate(base: sqlite3.Connection) -> None:
    """Bring the tables to today's version; all of it or nothing. Two programs may try at once."""
    while version_of(base) < VERSION:
        base.execute("BEGIN IMMEDIATE")
        try:
            version = version_of(base)
            if version < VERSION:
                for statement in _statements(_STEPS[version]):
                    base.execute(statement)
                base.execute(f"PRAGMA user_version = {version + 1}")
            base.execute("COMMIT")
        except BaseException:
            base.execute("ROLLBACK")
            raise


def _statements(text: str) -> list[str]:
    """Statements one by one: a script would end the transaction."""
    found, part = [], ""
    for line in text.splitlines(keepends=True):
        part += line
        if sqlite3.complete_statement(part):
            found.append(part)
            part = ""
    return found
