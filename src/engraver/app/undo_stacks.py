"""What Undo and Redo act on: the project, and at a desk that has a store of its own, that too."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from PySide6.QtCore import QObject, Signal

from engraver.core.cabinet.undo_log import Change
from engraver.core.recipe import Project

from .active_cabinet import ActiveCabinet
from .studio import Studio


class UndoStack(Protocol):
    """What can be taken back and done again; a label is None where there is nothing."""

    @property
    def undo_label(self) -> str | None: ...

    @property
    def redo_label(self) -> str | None: ...

    def undo(self) -> None: ...

    def redo(self) -> None: ...


class ProjectUndo:
    """The project's changes."""

    def __init__(self, studio: Studio) -> None:
        self._studio = studio

    @property
    def undo_label(self) -> str | None:
        return self._studio.history.undo_label

    @property
    def redo_label(self) -> str | None:
        return self._studio.history.redo_label

    def undo(self) -> None:
        self._studio.undo()

    def redo(self) -> None:
        self._studio.redo()


@dataclass(frozen=True, slots=True)
class _Done:
    """A change of the cabinet, and the project as it stood then."""

    change: Change
    beside: Project


class CabinetUndo(QObject):
    """The cabinet's changes made in this window and the project's, the latest of both first."""

    changed = Signal()

    def __init__(self, studio: Studio, cabinet: ActiveCabinet, parent: QObject) -> None:
        super().__init__(parent)
        self._studio, self._cabinet, self._project = studio, cabinet, ProjectUndo(studio)
        self._back: list[_Done] = []
        self._again: list[_Done] = []
        # What is still to be seen of the last one that was taken back: a drawer, and pieces, while the hand chooses
        # no others.
        self._drawer = ""
        self._pieces: frozenset[str] = frozenset()
        self._chosen: tuple[tuple[str, ...], ...] = ()
        cabinet.recorded.connect(self._recorded)
        cabinet.chest_changed.connect(self._open_drawer)
        cabinet.found_changed.connect(self._choose_pieces)

    def forget(self) -> None:
        """Nothing of the cabinet can be taken back any more: pictures that it would need are gone."""
        self._back.clear()
        self._again.clear()
        self.changed.emit()

    def _recorded(self, change: Change) -> None:
        self._back.append(_Done(change, self._studio.project))
        self._again.clear()
        self.changed.emit()

    @property
    def _mine(self) -> bool:
        """Whether the cabinet's last change came after the project's, or the project has none to take back."""
        last = self._back[-1] if self._back else None
        return last is not None and (last.beside is self._studio.project or self._project.undo_label is None)

    @property
    def _mine_again(self) -> bool:
        return bool(self._again) and self._again[-1].beside is self._studio.project

    @property
    def undo_label(self) -> str | None:
        return self._back[-1].change.label if self._mine else self._project.undo_label

    @property
    def redo_label(self) -> str | None:
        return self._again[-1].change.label if self._mine_again else self._project.redo_label

    def undo(self) -> None:
        if self._mine:
            self._go(self._back, self._again, "Taken back")
        else:
            self._project.undo()

    def redo(self) -> None:
        if self._mine_again:
            self._go(self._again, self._back, "Done again")
        else:
            self._project.redo()

    def _go(self, out: list[_Done], into: list[_Done], how: str) -> None:
        """Take the last of one list back, which puts the way there again onto the other."""
        done = out.pop()

        def ended(change: Change | None) -> None:
            if change is not None:
                into.append(_Done(change, self._studio.project))
                self._drawer, self._pieces = change.drawer, frozenset(change.entries)
                self._chosen = ((), self._cabinet.chosen)
            self._studio.told.emit(f"{how} in the cabinet: {done.change.label}", "")
            self.changed.emit()

        self._cabinet.undo(done.change, ended)
        self.changed.emit()

    def _open_drawer(self) -> None:
        """What was taken back is seen: its drawer is open."""
        if self._drawer in {d.id for d in self._cabinet.chest.drawers}:
            drawer, self._drawer = self._drawer, ""
            self._cabinet.look(drawer=drawer)
        self._choose_pieces()

    def _choose_pieces(self) -> None:
        """And its pieces are chosen, as soon as they are found."""
        if not self._pieces:
            return
        there = tuple(one.id for one in self._cabinet.found.listed if one.id in self._pieces)
        if self._cabinet.chosen not in self._chosen or len(there) == len(self._pieces):
            self._pieces = frozenset()
        if there and self._cabinet.chosen in self._chosen:
            self._chosen = (*self._chosen, there)
            self._cabinet.choose(there)
