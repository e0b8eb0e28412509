"""Plates that are chosen besides the one in the hand: what is done for several is done for them."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QObject, Signal

from .studio import Studio


class Besides(QObject):
    """Holds ids; those of plates that are gone no longer count."""

    changed = Signal()

    def __init__(self, studio: Studio, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._studio = studio
        self._ids: set[str] = set()

    @property
    def all(self) -> tuple[str, ...]:
        """The plate in the hand and those besides it, in the project's order."""
        chosen = self._ids | {self._studio.plate_id}
        return tuple(p.id for p in self._studio.project.plates if p.id in chosen)

    def __contains__(self, id: str) -> bool:
        return id in self._ids

    def toggle(self, id: str) -> None:
        """One more, or one less; the plate in the hand stays."""
        if id != self._studio.plate_id:
            self._ids ^= {id}
            self.changed.emit()

    def up_to(self, id: str) -> None:
        """All from the plate in the hand to this one."""
        ids = [p.id for p in self._studio.project.plates]
        if self._studio.plate_id in ids and id in ids:
            first, last = sorted((ids.index(self._studio.plate_id), ids.index(id)))
            self._ids = set(ids[first : last + 1]) - {self._studio.plate_id}
            self.changed.emit()

    def choose(self, ids: Iterable[str]) -> None:
        """These besides the one in the hand."""
        self._ids = set(ids) - {self._studio.plate_id or ""}
        self.changed.emit()

    def clear(self) -> None:
        """Only the plate in the hand is left."""
        if self._ids:
            self._ids = set()
            self.changed.emit()
