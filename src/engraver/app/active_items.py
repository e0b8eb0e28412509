"""Which items of a step are chosen: shapes, or the one thing that a step places. Not part of the project."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal


class ActiveItems(QObject):
    """Holds the places in the list of the chosen items, the last pressed at the end, and tells when they change."""

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.chosen: tuple[int, ...] = ()
        self._uid: str | None = None

    def look_at(self, uid: str | None) -> None:
        """Another step was chosen: of its items none is yet."""
        if uid != self._uid:
            self._uid = uid
            self.choose()

    def choose(self, *places: int) -> None:
        """Choose these and no others."""
        found = tuple(dict.fromkeys(places))
        if found != self.chosen:
            self.chosen = found
            self.changed.emit()

    def toggle(self, place: int) -> None:
        """Choose one more, or one less."""
        rest = tuple(n for n in self.chosen if n != place)
        self.choose(*(rest if place in self.chosen else (*rest, place)))

    def among(self, count: int) -> tuple[int, ...]:
        """The chosen ones of a list of this length."""
        return tuple(n for n in self.chosen if n < count)
