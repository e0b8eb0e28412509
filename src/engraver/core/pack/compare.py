"""Two versions of a pack, compared."""

from __future__ import annotations

from dataclasses import dataclass

from .listing import InPack, PackFile


@dataclass(frozen=True)
class Difference:
    """Names of pieces: those that came, those that went, and what of the others is another, in words."""

    came: tuple[str, ...]
    went: tuple[str, ...]
    changed: dict[str, str]

    @property
    def same(self) -> bool:
        return not (self.came or self.went or self.changed)

    def words(self) -> list[str]:
        """A sentence for each."""
        found = [f"{name} is new." for name in self.came] + [f"{name} is gone." for name in self.went]
        return found + [f"{name}: {what}." for name, what in self.changed.items()]


def compared(old: PackFile, new: PackFile) -> Difference:
    """What is another in a newer version of a pack."""
    before, now = {p.name: p for p in old.pieces}, {p.name: p for p in new.pieces}
    changed = {name: what for name in now if name in before and (what := _changed(before[name], now[name]))}
    return Difference(
        tuple(name for name in now if name not in before), tuple(name for name in before if name not in now), changed
    )


def _changed(old: InPack, new: InPack) -> str:
    found = []
    if not new.files:  # it was not computed yet: what it is made from tells
        found += ["made from something else"] if old.key != new.key else []
    elif old.files:
        found += _pictures(old, new)
    settings = {s.id: s for s in old.stroke}
    moved = [s.name for s in new.stroke if s.id not in settings or settings[s.id].value != s.value]
    found += [f"other stroke settings: {', '.join(moved[:4])}"] if moved else []
    return " · ".join(found)


def _pictures(old: InPack, new: InPack) -> list[str]:
    found = []
    was, is_ = {f.path: f for f in old.files}, {f.path: f for f in new.files}
    another = sorted({f.destination for path, f in is_.items() if path in was and was[path].sha256 != f.sha256})
    found += [f"another picture for {', '.join(another)}"] if another else []
    more, fewer = set(is_) - set(was), set(was) - set(is_)
    found += [f"{len(more)} more files"] if more else []
    found += [f"{len(fewer)} fewer files"] if fewer else []
    return found
