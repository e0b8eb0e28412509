"""The history of projects: undo is going back to an older one."""

from __future__ import annotations

from dataclasses import dataclass, replace

from .models import Project

LIMIT = 500


@dataclass(frozen=True, slots=True)
class Entry:
    """One change: the project after it, in words, and what lets a drag be one entry."""

    project: Project
    label: str
    merge: str = ""


@dataclass(frozen=True, slots=True)
class History:
    """Entries and a place among them. Every method returns a new history."""

    entries: tuple[Entry, ...]
    place: int = 0

    @classmethod
    def start(cls, project: Project) -> History:
        return cls((Entry(project, ""),))

    @property
    def project(self) -> Project:
        return self.entries[self.place].project

    @property
    def undo_label(self) -> str | None:
        """What undo would take back; None when there is nothing."""
        return self.entries[self.place].label if self.place > 0 else None

    @property
    def redo_label(self) -> str | None:
        return self.entries[self.place + 1].label if self.place + 1 < len(self.entries) else None

    def push(self, project: Project, label: str, merge: str = "") -> History:
        """Add a change. A change with the same non-empty ``merge`` as the last replaces it."""
        kept = self.entries[: self.place + 1]
        if merge and self.place > 0 and kept[-1].merge == merge:
            kept = kept[:-1]
        entries = (*kept, Entry(project, label, merge))[-LIMIT:]
        return History(entries, len(entries) - 1)

    def seal(self) -> History:
        """End a drag: the next change is a new entry even when it is of the same kind."""
        last = replace(self.entries[self.place], merge="")
        return History((*self.entries[: self.place], last, *self.entries[self.place + 1 :]), self.place)

    def undo(self) -> History:
        return replace(self, place=max(0, self.place - 1))

    def redo(self) -> History:
        return replace(self, place=min(len(self.entries) - 1, self.place + 1))
