"""What says that a row goes on beyond its end, and by how much; a press goes there."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QPushButton, QScrollArea

from engraver.core.words import counted

from ..ui import Ui


class GoesOn(QObject):
    """Two buttons at the ends of an area that scrolls sideways, with how many things lie beyond each.

    Parameters
    ----------
    step : int
        How wide one thing is, in the area's units.
    count : () -> int
        How many things there are.
    middle : int
        How far down the buttons stand.
    """

    def __init__(
        self, ui: Ui, area: QScrollArea, step: int, count: Callable[[], int], middle: int, what: str
    ) -> None:
        super().__init__(area)
        self._area, self._step, self._count, self._middle, self._what = area, step, count, middle, what
        self.ends = {way: QPushButton(area) for way in (-1, 1)}
        for way, button in self.ends.items():
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setStyleSheet(f"font-size: {ui.px(11)}px; padding: 1px {ui.px(5)}px; border-radius: {ui.px(8)}px;")
            button.clicked.connect(partial(self._go, way))
            button.hide()
        bar = area.horizontalScrollBar()
        bar.valueChanged.connect(self.follow)
        bar.rangeChanged.connect(self.follow)
        area.installEventFilter(self)

    def beyond(self, way: int) -> int:
        """How many things do not show whole at an end."""
        bar = self._area.horizontalScrollBar()
        if bar.maximum() == 0:
            return 0
        hidden = bar.value() if way < 0 else self._count() * self._step - bar.value() - self._area.viewport().width()
        return max(0, math.ceil(hidden / self._step))

    def _go(self, way: int) -> None:
        """On by what shows, less one thing, so that the eye finds where it was."""
        bar = self._area.horizontalScrollBar()
        bar.setValue(bar.value() + way * max(self._step, self._area.viewport().width() - self._step))

    def follow(self, *_: object) -> None:
        """Show what lies beyond."""
        for way, button in self.ends.items():
            count = self.beyond(way)
            button.setVisible(count > 0)
            button.setText(f"‹ {count}" if way < 0 else f"{count} ›")
            words = f"{counted(count, f'more {self._what}')} {'before' if way < 0 else 'after'}"
            button.setToolTip(f"{words}: press to see them")
            button.setAccessibleName(words)
            button.adjustSize()
            left = 0 if way < 0 else self._area.width() - button.width()
            button.move(left, self._middle - button.height() // 2)
            button.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self.follow()
        return super().eventFilter(watched, event)
