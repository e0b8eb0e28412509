"""Every action as data: id, name, synonyms, shortcut, when it can be done. Menus and the finder are built from it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass


def always() -> bool:
    """For actions that need nothing."""
    return True


@dataclass(frozen=True, slots=True)
class Command:
    """One action. ``when`` says whether it can be done now; ``synonyms`` are other words by which it is found;
    ``hold`` that it lasts while the key is down;
    ``desk`` at which its key acts, "" for all of them."""

    id: str
    name: str
    shortcut: str
    run: Callable[[], object]
    group: str = "Project"
    when: Callable[[], bool] = always
    synonyms: tuple[str, ...] = ()
    hold: bool = False
    desk: str = ""

    @property
    def answers_to(self) -> str:
        """Everything by which it is found, in small letters: name, group, other words and key."""
        return f"{self.name} {self.group} {' '.join(self.synonyms)} {self.shortcut}".lower()

    def do(self) -> None:
        """Run it, when it has what it needs."""
        if self.when():
            self.run()


class Commands:
    """The fixed list of actions of a window."""

    def __init__(self, commands: tuple[Command, ...]) -> None:
        ids = [c.id for c in commands]
        keys = [(c.shortcut, c.desk) for c in commands if c.shortcut]
        everywhere = {key for key, desk in keys if not desk}
        twice = any(key in everywhere for key, desk in keys if desk)
        if len(set(ids)) != len(ids) or len(set(keys)) != len(keys) or twice:
            raise ValueError("two commands share an id or a shortcut")
        self._by_id = {c.id: c for c in commands}

    def __iter__(self) -> Iterator[Command]:
        return iter(self._by_id.values())

    def __getitem__(self, id: str) -> Command:
        return self._by_id[id]

    def search(self, text: str) -> list[Command]:
        """Commands that answer to every word typed, those that begin with it first."""
        typed = text.lower().strip()
        found = [c for c in self if all(word in c.answers_to for word in typed.split())]
        return sorted(found, key=lambda c: not c.name.lower().startswith(typed))
