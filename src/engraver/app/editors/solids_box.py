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

from engraver.core.params import specs
from engraver.core.raster import Facts
from engraver.core.solids.model import DOES, KINDS, Solid, Solids

from ..ui import Ui, named
from .item_rows import ItemRows
from .row import Row

_ACROSS = 5
_NO_FACTS = Facts(1, 1)


class SolidsBox(QWidget):
    """Edits the list of the chosen plate's solids."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self.active = ui.solids
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
        self.list.currentRowChanged.connect(self._picked)
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
        self.active.changed.connect(self._fill)
        self.active.chosen_changed.connect(self._fill)
        self.active.follow()
        self._fill()

    @property
    def rows(self) -> dict[str, Row]:
        """The rows of the chosen solid's numbers."""
        return self.numbers.rows

    # -- what is shown -----------------------------------------------------------------

    @property
    def solids(self) -> Solids:
        """The list of the chosen plate."""
        return self.active.solids

    def _fill(self) -> None:
        words = []
        for n, solid in enumerate(self.solids):
            words.append(KINDS[solid.kind] + (f"  · {DOES[solid.op]}" if n else ""))
        self.list.blockSignals(True)
        if words != [self.list.item(n).text() for n in range(self.list.count())]:
            self.list.clear()
            for n, text in enumerate(words):
                item = QListWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, n)
                self.list.addItem(item)
            self.list.setFixedHeight(self.ui.px(29) * max(1, min(5, len(words))) + 4)
        self.list.setCurrentRow(self.active.place)
        self.list.blockSignals(False)
        self._show_rows()

    def _picked(self, place: int) -> None:
        if place >= 0:
            self.active.choose(place)

    def _show_rows(self) -> None:
        place = self.active.place
        self.numbers.show_item(self.active.chosen, _NO_FACTS, ("op",) if place == 0 else ())
        self.remove.setEnabled(len(self.solids) > 1)

    # -- edits -------------------------------------------------------------------------

    def add(self, kind: str) -> None:
        """One more, on top of those that are there; it is chosen."""
        more = Solid.model_validate({"kind": kind, "at_z": 0.25})
        self.active.tell((*self.solids, more), f"Add a {KINDS[kind].lower()}")
        self.active.choose(len(self.solids) - 1)

    def _set(self, name: str, value: Any) -> None:
        solid = self.active.chosen
        if solid is None:
            return
        try:
            made = solid.but(**{name: value})
        except ValidationError as error:
            self.ui.studio.told.emit(str(error.errors()[0]["msg"]).removeprefix("Value error, "), "look")
            return
        self.active.put(made, f"{KINDS[made.kind]}: {specs(Solid)[name].label.lower()}", done=False)

    def _double(self) -> None:
        solid = self.active.chosen
        if solid is not None:
            self.active.tell((*self.solids, solid.but(at_x=solid.at_x + 0.2)), "Double a solid")
            self.active.choose(len(self.solids) - 1)

    def _remove(self) -> None:
        place = self.active.place
        self.active.tell(tuple(s for n, s in enumerate(self.solids) if n != place), "Remove a solid")

    def _reordered(self) -> None:
        order = [self.list.item(n).data(Qt.ItemDataRole.UserRole) for n in range(self.list.count())]
        if order != sorted(order):
            self.active.tell(tuple(self.solids[n] for n in order), "Move a solid in the list")
