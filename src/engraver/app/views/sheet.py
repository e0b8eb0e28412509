"""What all dialogs have in common: none is larger than its window, and none is told anything once it is gone."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PySide6.QtCore import QSize
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QDialog, QLayout, QVBoxLayout, QWidget
from shiboken6 import isValid

from ..ui import Ui, scrolled

# Of the window this much stays in sight round a sheet, in pixels at a text size of 100 %.
_AROUND = 24
Told = TypeVar("Told")


class Sheet(QDialog):
    """A dialog within the window ``above`` which it stands: what has no room scrolls, but for the row of buttons, the
    last of its layout."""

    def __init__(self, ui: Ui, parent: QWidget) -> None:
        super().__init__(parent)
        self.ui, self.above = ui, parent.window()

    def while_open(self, done: Callable[[Told], None]) -> Callable[[Told], None]:
        """``done``, for what comes later from another thread: nothing happens when the sheet is gone by then."""

        def told(value: Told) -> None:
            if isValid(self):
                done(value)

        return told

    def showEvent(self, event: QShowEvent) -> None:
        room = self.above.size() - QSize(self.ui.px(_AROUND), self.ui.px(_AROUND))
        layout = self.layout()
        assert layout is not None  # every sheet has one
        layout.activate()
        least = layout.totalMinimumSize().expandedTo(self.minimumSize())
        if least.height() > room.height() or least.width() > room.width():
            self._scroll(layout)
        self.setMinimumSize(self.minimumSize().boundedTo(room))
        self.resize(self.size().boundedTo(room))
        super().showEvent(event)

    def _scroll(self, old: QLayout) -> None:
        """Put all but the last row into a view of its own."""
        margins = old.contentsMargins()
        last = old.takeAt(old.count() - 1) if old.count() > 1 else None
        if last is None:
            return
        inside = QWidget()
        inside.setLayout(old)
        old.setContentsMargins(0, 0, 0, 0)
        box = QVBoxLayout(self)
        box.setContentsMargins(margins)
        box.setSpacing(old.spacing())
        area = scrolled(inside)
        box.addWidget(area, 1)
        row, widget = last.layout(), last.widget()
        if row is not None:
            box.addLayout(row)
        elif widget is not None:
            box.addWidget(widget)
        self.resize(self.width() + area.verticalScrollBar().sizeHint().width() + box.spacing(), self.height())
