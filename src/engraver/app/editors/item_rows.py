"""A row for every number of one item of a list; made a few at a time, so that the window answers in between."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from engraver.core.params import Params, specs
from engraver.core.raster import Facts

from ..ui import Ui
from .row import Row
from .rows import row_for

_AT_ONCE = 4


class ItemRows(QWidget):
    """Shows the item it is given; ``edited`` tells a name and a value, ``finished`` that a gesture has ended."""

    edited = Signal(str, object)
    finished = Signal()

    def __init__(self, ui: Ui, model: type[Params], order: Sequence[str] = (), hidden: Sequence[str] = ()) -> None:
        super().__init__()
        self.ui = ui
        self.rows: dict[str, Row] = {}
        places = {name: n for n, name in enumerate(order)}
        fields = [(name, spec) for name, spec in specs(model).items() if spec.kind.row and name not in hidden]
        self._coming = sorted(fields, key=lambda item: places.get(item[0], len(places)))
        self._item: tuple[Params, Facts, Sequence[str]] | None = None
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(ui.px(10))
        self._more = QTimer(self, interval=0)
        self._more.timeout.connect(self._make)
        self._more.start()

    def _make(self) -> None:
        for _ in range(min(_AT_ONCE, len(self._coming))):
            name, spec = self._coming.pop(0)
            row = row_for(self.ui, spec)
            row.edited.connect(lambda value, n=name: self.edited.emit(n, value))
            row.finished.connect(self.finished)
            row.refused.connect(lambda words: self.ui.studio.told.emit(words, "look"))
            self.rows[name] = row
            self._box.addWidget(row)
        if not self._coming:
            self._more.stop()
        self._follow()

    def show_item(self, item: Params | None, facts: Facts, without: Sequence[str] = ()) -> None:
        """Show an item's numbers that apply, but for some; none without an item."""
        self._item = None if item is None else (item, facts, without)
        self._follow()

    def _follow(self) -> None:
        shown = self._item
        values = {} if shown is None else shown[0].values()
        for name, row in self.rows.items():
            row.setVisible(shown is not None and name not in shown[2] and row.spec.applies(values))
            if shown is not None:
                row.show_value(values[name], shown[1])
