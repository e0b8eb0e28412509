"""Every action as data: id, name, shortcut, what it needs. Menus and the finder are built from it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

Needs = Literal["nothing", "plate", "step", "strokes", "reveal", "mesh", "undo", "redo"]


@dataclass(frozen=True, slots=True)
class Command:
    """One action. ``hold`` says that it lasts while the key is down."""

    id: str
    name: str
    shortcut: str
    needs: Needs
    run: Callable[[], None]
    group: str = "Project"
    hold: bool = False


class Commands:
    """The fixed list of actions of a window."""

    def __init__(self, commands: tuple[Command, ...]) -> None:
        ids = [c.id for c in commands]
        keys = [c.shortcut for c in commands if c.shortcut]
        if len(set(ids)) != len(ids) or len(set(keys)) != len(keys):
            raise ValueError("two commands share an id or a shortcut")
        self._by_id = {c.id: c for c in commands}

    def __iter__(self):  # type: ignore[no-untyped-def]
        return iter(self._by_id.values())

    def __getitem__(self, id: str) -> Command:
        return self._by_id[id]

    def search(self, text: str) -> list[Command]:
        """Commands whose name holds every word typed, those that begin with it first."""
        words = text.lower().split()
        found = [c for c in self if all(w in f"{c.name} {c.group}".lower() for w in words)]
        return sorted(found, key=lambda c: not c.name.lower().startswith(text.lower().strip()))
