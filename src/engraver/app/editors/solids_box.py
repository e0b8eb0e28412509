"""The settings of solids: what can be added, the list in the order it acts, and the numbers of the chosen one."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from engraver.core.errors import Watch
from engraver.core.params import specs
from engraver.core.raster import Facts
from engraver.core.recipe import Source
from engraver.core.solids.model import KINDS, OPS, Solid, Solids
from engraver.core.sources.solids import listed, with_solids

from ..ui import Ui, named
from .item_rows import ItemRows
from .rows import Row

_ACROSS = 5
_NO_FACTS = Facts(1, 1)


class SolidsBox(QWidget):
    """Edits the list of the chosen plate's solids."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self.solids: Solids = ()
        self._sha = ""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(6))
        grid = QGridLayout()
        grid.setSpacing(ui.px(4))
        self.buttons: dict[str, QPushButton] = {}
        for n, (kind, words) in enumerate(KINDS.items()):
            button = named(QPushButton(words), "profile")
            button.setFixedHeight(ui.px(26))
            button.setToolTip(f"Add a {words.lower()}")
            button.clicked.connect(lambda _=False, k=kind: self.add(k))
            grid.addWidget(button, n // _ACROSS, n % _ACROSS)
            self.buttons[kind] = button
        box.addLayout(grid)
        self.list = QListWidget()
        self.list.setAccessibleName("Solids, in the order in which they act")
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.list.currentRowChanged.connect(lambda _: self._show_rows())
        self.list.model().rowsMoved.connect(lambda *_: QTimer.singleShot(0, self._reordered))
        box.addWidget(self.list)
        row = QHBoxLayout()
        self.copy = named(QPushButton("Double"), "profile")
        self.copy.setToolTip("The chosen solid again")
        self.copy.clicked.connect(self._double)
        self.remove = named(QPushButton("Remove"), "profile")
        self.remove.clicked.connect(self._remove)
        for button in (self.copy, self.remove):
            button.setFixedHeight(ui.px(26))
            row.addWidget(button)
        box.addLayout(row)
        self.numbers = ItemRows(ui, Solid, hidden=("kind",))
        self.numbers.edited.connect(self._set)
        self.numbers.finished.connect(ui.studio.seal)
        box.addWidget(self.numbers)
        ui.studio.project_changed.connect(self.follow)
        ui.studio.selection_changed.connect(self.follow)
        self.follow()

    @property
    def rows(self) -> dict[str, Row]:
        """The rows of the chosen solid's numbers."""
        return self.numbers.rows

    # -- what is shown -----------------------------------------------------------------

    def _source(self) -> Source | None:
        plate = self.ui.studio.plate
        return None if plate is None else self.ui.studio.project.source(plate.source)

    def follow(self) -> None:
        """Show the chosen plate's list; it is read off the window's thread where it is not known."""
        source, store = self._source(), self.ui.studio.sources
        if source is None or source.kind != "solids" or source.file.sha256 == self._sha:
            return
        sha256 = source.file.sha256

        def work(check: Watch) -> Solids:
            return listed(source, store)

        def done(solids: Solids) -> None:
            now = self._source() if isValid(self) else None
            if now is not None and now.files and now.file.sha256 == sha256:
                self._sha, self.solids = sha256, solids
                self._fill()

        self.ui.pictures.ask("", work, done)

    def _fill(self) -> None:
        place = self.list.currentRow()
        self.list.clear()
        for n, solid in enumerate(self.solids):
            acts = "" if n == 0 else f"  · {OPS[solid.op].lower()}s" if solid.op != "keep" else "  · keeps common"
            item = QListWidgetItem(KINDS[solid.kind] + acts)
            item.setData(Qt.ItemDataRole.UserRole, n)
            self.list.addItem(item)
        self.list.setFixedHeight(self.ui.px(29) * max(1, min(5, len(self.solids))) + 4)
        self.list.setCurrentRow(min(max(0, place), len(self.solids) - 1))
        self._show_rows()

    def _show_rows(self) -> None:
        place = self.list.currentRow()
        solid = self.solids[place] if 0 <= place < len(self.solids) else None
        self.numbers.show_item(solid, _NO_FACTS, ("op",) if place == 0 else ())
        self.remove.setEnabled(len(self.solids) > 1)

    # -- edits -------------------------------------------------------------------------

    def _tell(self, solids: Solids, label: str, *, done: bool = True) -> None:
        source, studio = self._source(), self.ui.studio
        if source is None:
            return
        changed = with_solids(source, solids, studio.sources)
        self._sha, self.solids = changed.file.sha256, solids
        sources = tuple(changed if s.id == source.id else s for s in studio.project.sources)
        studio.coarse_mesh(True)
        self.ui.captures.rest.start()
        studio.edit(studio.project.model_copy(update={"sources": sources}), label, f"{source.id} solids")
        if done:
            studio.seal()
        if self.list.count() != len(solids):
            self._fill()
        self._show_rows()

    def add(self, kind: str) -> None:
        """One more, on top of those that are there."""
        self._tell((*self.solids, Solid.model_validate({"kind": kind, "at_z": 0.25})), f"Add a {KINDS[kind].lower()}")
        self.list.setCurrentRow(len(self.solids) - 1)

    def _set(self, name: str, value: Any) -> None:
        place = self.list.currentRow()
        try:
            made = self.solids[place].but(**{name: value})
        except ValidationError as error:
            self.ui.studio.told.emit(str(error.errors()[0]["msg"]).removeprefix("Value error, "), "look")
            return
        solids = tuple(made if n == place else s for n, s in enumerate(self.solids))
        self._tell(solids, f"{KINDS[made.kind]}: {specs(Solid)[name].label.lower()}", done=False)
        item = self.list.item(place)
        if item is not None and name == "op":
            self._fill()

    def _double(self) -> None:
        place = max(0, self.list.currentRow())
        again = self.solids[place].but(at_x=self.solids[place].at_x + 0.2)
        self._tell((*self.solids, again), "Double a solid")
        self.list.setCurrentRow(len(self.solids) - 1)

    def _remove(self) -> None:
        place = self.list.currentRow()
        self._tell(tuple(s for n, s in enumerate(self.solids) if n != place), "Remove a solid")

    def _reordered(self) -> None:
        order = [self.list.item(n).data(Qt.ItemDataRole.UserRole) for n in range(self.list.count())]
        if order != sorted(order):
            self._tell(tuple(self.solids[n] for n in order), "Move a solid")
            self._fill()
