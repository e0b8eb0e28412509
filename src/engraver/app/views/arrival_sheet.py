"""What arrives: finished files as a program at the other end reads and presses them, beside what was meant."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.errors import EngraverError, Watch
from engraver.core.raster import Pixels
from engraver.standins.receiver import Habit, Received, ball_picture, habits, receive

from ..editors.rows import Choice
from ..ui import Ui, named, plain
from .ball_label import BallLabel
from .sheet import Sheet

Files = tuple[tuple[str, bytes], ...]
# A ball's side, and what else the sheet needs of the window's height, at a text size of 100 %.
_LEAST_SIDE, _SIDE, _BESIDE = 160, 320, 250


@dataclass(frozen=True, eq=False)
class _Answer:
    files: Files
    received: Received
    meant: NDArray[np.uint8]
    arrived: NDArray[np.uint8] | None


class ArrivalSheet(Sheet):
    """Two balls side by side, and in words what differs.

    Parameters
    ----------
    read : callable
        The finished files, by name; called off the window's thread.
    sent : float32 (H, W)
        The heights that were meant, 1 full height, 0 untouched.
    first : Habit
        The one that reads them as they are meant.
    """

    def __init__(
        self, ui: Ui, parent: QWidget, name: str, read: Callable[[Watch], Files], sent: Pixels, first: Habit
    ) -> None:
        super().__init__(ui, parent)
        self._read, self._sent = read, sent
        self.answer: _Answer | None = None
        self.setWindowTitle("What arrives")
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(10))
        box.addWidget(plain(named(QLabel(f"What arrives of {name}"), "title")))
        row = QHBoxLayout()
        row.setSpacing(ui.px(8))
        self.files, self.habits = Choice(ui), Choice(ui)
        self.files.setAccessibleName("File")
        self.files.setMinimumWidth(ui.px(200))
        self.habits.setAccessibleName("Habit of the receiving program")
        for one in habits().values():
            self.habits.addItem(one.name, one.id)
            self.habits.setItemData(self.habits.count() - 1, one.purpose, Qt.ItemDataRole.ToolTipRole)
        self.habits.setCurrentIndex(list(habits()).index(first.id))
        row.addWidget(self.files)
        row.addWidget(QLabel("read by"))
        row.addWidget(self.habits, 1)
        box.addLayout(row)
        self.purpose = named(QLabel(), "second")
        box.addWidget(self.purpose)
        balls = QHBoxLayout()
        balls.setSpacing(ui.px(12))
        side = max(_LEAST_SIDE, min(_SIDE, round(self.above.height() / ui.scale) - _BESIDE))
        self.balls: dict[str, BallLabel] = {}
        for id, words in (("meant", "As it was meant"), ("arrived", "As it arrives")):
            column = QVBoxLayout()
            column.setSpacing(ui.px(4))
            ball = self.balls[id] = BallLabel(ui, side)
            ball.setText("…")
            column.addWidget(ball)
            title = named(QLabel(words), "second")
            title.setAlignment(Qt.AlignmentFlag.AlignCenter)
            column.addWidget(title)
            balls.addLayout(column)
        box.addLayout(balls)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setMinimumHeight(ui.px(40))
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        box.addWidget(self.words)
        foot = QHBoxLayout()
        foot.addStretch(1)
        close = named(QPushButton("Close"), "main")
        close.setDefault(True)
        close.clicked.connect(self.accept)
        foot.addWidget(close)
        box.addLayout(foot)
        self.habits.currentIndexChanged.connect(self._ask)
        self.files.activated.connect(self._ask)
        self._ask()

    @property
    def habit(self) -> Habit:
        return habits()[str(self.habits.currentData())]

    def _ask(self) -> None:
        of, chosen = self.habit, max(0, self.files.currentIndex())
        known = self.answer.files if self.answer is not None else None
        side, cache = self.balls["meant"].pixels, self.ui.studio.sources.cache
        self.purpose.setText(of.purpose)

        def work(check: Watch) -> _Answer:
            files = known if known is not None else self._read(check)
            name, data = files[min(chosen, len(files) - 1)]
            received = receive(data, name, of, self._sent)
            check()
            meant = ball_picture(self._sent, of, side, check, cache)
            high = received.heights
            arrived = ball_picture(high, of, side, check, cache) if high is not None else None
            return _Answer(files, received, meant, arrived)

        self.ui.pictures.lane("arrival").submit(work, self.while_open(self._show), self.while_open(self._failed))

    def _show(self, answer: _Answer) -> None:
        first, self.answer = self.answer is None, answer
        if first:
            self.files.addItems([name for name, _ in answer.files])
        for id, array in (("meant", answer.meant), ("arrived", answer.arrived)):
            self.balls[id].show_ball(array, "Nothing arrives.")
        faults = answer.received.faults
        said = [f.says for f in faults] or ["It arrives as it is meant."]
        self.words.setText(" ".join([*said, *answer.received.notes]))
        self.words.setStyleSheet(f"color: {self.ui.theme.fault if faults else self.ui.theme.good};")

    def _failed(self, error: EngraverError) -> None:
        self.words.setText(error.sentence())
