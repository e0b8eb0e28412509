"""A bar whose end goes into a second row where one row has no room."""

from __future__ import annotations

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ..ui import Ui, named, widgets_of


class TwoRows(QWidget):
    """``first`` holds the beginning, ``end`` what gives way.

    Parameters
    ----------
    ground : str
        The name by which the style sheet knows its ground.
    """

    def __init__(self, ui: Ui, ground: str, spacing: int, stretch: int = 0) -> None:
        super().__init__()
        self.ui, self._stretch = ui, stretch
        named(self, ground)
        column = QVBoxLayout(self)
        column.setContentsMargins(ui.px(10), ui.px(6), ui.px(10), ui.px(6))
        column.setSpacing(ui.px(4))
        self.first, self._second, self.end = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        for row in (self.first, self._second, self.end):
            row.setSpacing(ui.px(spacing))
        column.addLayout(self.first)
        column.addLayout(self._second)

    def beginning(self) -> list[QWidget]:
        """The widgets of the beginning that take their own room."""
        return widgets_of(self.first)

    def least(self) -> int:
        """Room that is needed besides theirs, in pixels."""
        return self.ui.px(24)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.fold()

    def fold(self) -> None:
        """In one row where there is room for all, else in two."""
        gap = self.first.spacing()
        shown = [w for w in (*self.beginning(), *widgets_of(self.end)) if not w.isHidden()]
        need = sum(w.sizeHint().width() + gap for w in shown) + self.least()
        to = self._second if need > self.width() else self.first
        if self.end.parent() is not to:
            self.first.removeItem(self.end)
            self._second.removeItem(self.end)
            self.end.setParent(None)
            to.addLayout(self.end, self._stretch)
