"""What was pressed on a ball, or why there is nothing to show."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QLabel

from ..painting import picture_of
from ..ui import Ui


class BallLabel(QLabel):
    """A square of ``side`` pixels at text size 100 %."""

    def __init__(self, ui: Ui, side: int) -> None:
        super().__init__()
        self.setFixedSize(QSize(ui.px(side), ui.px(side)))
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setWordWrap(True)

    @property
    def pixels(self) -> int:
        """The side in pixels of the screen."""
        return round(self.width() * self.devicePixelRatioF())

    def show_ball(self, array: np.ndarray | None, without: str) -> None:
        """A picture, uint8 (n, n, 3), or the words that stand for it."""
        if array is None:
            self.setText(without)
            return
        picture = QPixmap.fromImage(picture_of(array))
        picture.setDevicePixelRatio(self.devicePixelRatioF())
        self.setPixmap(picture)
