"""What is done with drawers: made, filled, named, moved house, removed."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from engraver.core.cabinet import drawers
from engraver.core.cabinet.drawers import Drawer
from engraver.core.words import counted

from ...active_cabinet import ActiveCabinet


class DrawerActs:
    """Asks what has to be asked over a desk; what is done is done in the cabinet.

    ``tell`` says what was done; ``export`` moves a drawer, by its id, to one file.
    """

    def __init__(
        self, active: ActiveCabinet, parent: QWidget, tell: Callable[[str], None], export: Callable[[str], None]
    ) -> None:
        self._active, self._parent, self._tell, self._export = active, parent, tell, export

    def new(self, ids: tuple[str, ...] = ()) -> None:
        """An empty drawer, or one with these pieces."""
        name, good = QInputDialog.getText(self._parent, "New drawer", "Name of the drawer:")
        if good and name.strip():
            self._active.change(
                lambda cabinet: drawers.put(cabinet, drawers.add(cabinet, name).id, ids), label=f"New drawer {name}"
            )

    def keep_search(self) -> None:
        """What is asked now becomes a drawer."""
        asked = self._active.query.model_copy(update={"within": None})
        name, good = QInputDialog.getText(self._parent, "Keep this search", "Name of the drawer:", text=asked.words)
        if good and name.strip():
            self._active.change(lambda cabinet: drawers.add(cabinet, name, asked), label=f"Keep the search {name}")

    def fill(self, id: str, ids: tuple[str, ...]) -> None:
        into = self._active.names().get(id, "a drawer")
        self._active.change(
            lambda cabinet: drawers.put(cabinet, id, ids), label=f"{counted(len(ids), 'piece')} into {into}"
        )

    def take_out(self) -> None:
        """The chosen pieces out of the open drawer."""
        id, ids = self._active.state.drawer, self._active.chosen
        out = self._active.names().get(id, "a drawer")
        label = f"{counted(len(ids), 'piece')} out of {out}"
        self._active.change(lambda cabinet: drawers.take_out(cabinet, id, ids), label=label)
        self._tell(f"Taken out: {label}; in the cabinet nothing is less")

    def menu(self, id: str) -> QMenu:
        """What can be done with a drawer."""
        menu = QMenu(self._parent)
        menu.addAction("Move it to one file…", partial(self._export, id))
        if self._mine(id) is not None:
            menu.addAction("Rename…", partial(self.rename, id))
            menu.addAction("Remove the drawer", partial(self.remove, id))
        return menu

    def rename(self, id: str) -> None:
        """Another name for a drawer of one's own; nothing for those that always stand there."""
        mine = self._mine(id)
        if mine is None:
            return
        wanted, good = QInputDialog.getText(self._parent, "Rename the drawer", "Name:", text=mine.name)
        if good and wanted.strip():
            self._active.change(lambda cabinet: drawers.rename(cabinet, id, wanted), label=f"Rename {mine.name}")

    def remove(self, id: str) -> None:
        """A drawer of one's own goes; undo brings it back as it was filled."""
        mine = self._mine(id)
        if mine is None:
            return
        self._active.change(lambda cabinet: drawers.remove(cabinet, id), label=f"Remove the drawer {mine.name}")
        self._tell(f"The drawer {mine.name} is gone, what lay in it stays. Undo brings it back")

    def _mine(self, id: str) -> Drawer | None:
        return next((d for d in self._active.chest.drawers if d.id == id), None)
