"""The practice receiver in a window of its own: it knows only the files brought to it, and its own habits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from engraver.core.errors import EngraverError, Watch
from engraver.core.raster import Pixels
from engraver.standins.receiver import Habit, ball_picture, habits, receive
from engraver.standins.receiver.post import ENDINGS, Letter, letters, meant

from ..editors.rows import Choice
from ..lanes import LatestLane
from ..ui import Ui, named
from .ball_label import BallLabel

_BALL, _MOST = 250, 2000
_EMPTY = "Drop finished files, a folder or a pack here: it reads them with another reader than Engraver's."


@dataclass(frozen=True, eq=False)
class _Read:
    row: int
    faulty: bool
    says: str
    made: NDArray[np.uint8] | None
    arrived: NDArray[np.uint8] | None


class ReceiverWindow(QDialog):
    """Lists what came; two balls for the chosen file, as it was made where that is known and as it arrived."""

    def __init__(self, ui: Ui, parent: QWidget) -> None:
        super().__init__(parent)
        self.ui = ui
        self.setWindowTitle("Practice receiver")
        self.setAcceptDrops(True)
        self.resize(ui.px(860), ui.px(640))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(8))
        head = QHBoxLayout()
        head.addWidget(named(QLabel("Practice receiver"), "title"))
        head.addStretch(1)
        head.addWidget(QLabel("reads by"))
        self.habit = Choice(ui)
        self.habit.setAccessibleName("Habit of the receiving program")
        self.habit.setMinimumWidth(ui.px(270))
        self.habit.addItem("The habit that each file is for", "")
        for one in habits().values():
            self.habit.addItem(one.name, one.id)
            self.habit.setItemData(self.habit.count() - 1, one.purpose, Qt.ItemDataRole.ToolTipRole)
        self.habit.activated.connect(self._again)
        head.addWidget(self.habit)
        bring = QPushButton("Bring files…")
        bring.clicked.connect(self._ask)
        head.addWidget(bring)
        box.addLayout(head)
        balls = QHBoxLayout()
        balls.setSpacing(ui.px(12))
        balls.addStretch(1)
        self.balls: list[BallLabel] = []
        for words in ("As it was made", "As it arrived"):
            column = QVBoxLayout()
            ball = BallLabel(ui, _BALL)
            ball.setStyleSheet(f"background: {ui.theme.surround}; color: #FFFFFF;")
            column.addWidget(ball)
            column.addWidget(named(QLabel(words), "second"), 0, Qt.AlignmentFlag.AlignHCenter)
            self.balls.append(ball)
            balls.addLayout(column)
        balls.addStretch(1)
        box.addLayout(balls)
        self.says = QLabel(_EMPTY)
        self.says.setWordWrap(True)
        self.says.setMinimumHeight(ui.px(34))
        self.says.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
        box.addWidget(self.says)
        self.list = QTreeWidget()
        self.list.setHeaderLabels(["File", "Read by", "What is seen"])
        self.list.setRootIsDecorated(False)
        self.list.setColumnWidth(0, ui.px(220))
        self.list.setColumnWidth(1, ui.px(210))
        self.list.currentItemChanged.connect(lambda *_: self._show())
        box.addWidget(self.list, 1)
        self.brought: list[Letter] = []
        self.found: dict[int, _Read] = {}
        self._lane = LatestLane("receiver", stop_old=True, parent=self)

    @property
    def all_read(self) -> bool:
        """Whether all that came was read."""
        return len(self.found) == len(self.brought)

    def end(self) -> None:
        """The window closes."""
        self._lane.end()

    def _ask(self) -> None:
        kinds = " ".join(f"*{ending}" for ending in (*ENDINGS, ".zip"))
        paths = self.ui.files.open_some(
            self, "Bring files", "finished", f"Finished files and packs ({kinds} pack.json)"
        )
        self.bring([p.parent if p.name == "pack.json" else p for p in paths])

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.bring([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])

    def bring(self, paths: Sequence[Path]) -> None:
        """These take the place of what came before."""
        if not paths:
            return

        def work(check: Watch) -> list[Letter]:
            return [letter for path in paths for letter in letters(path)][:_MOST]

        self._lane.submit(work, self._came, self._failed)

    def _failed(self, error: EngraverError) -> None:
        self.says.setText(error.sentence())
        self.says.setStyleSheet(f"color: {self.ui.theme.fault}; font-weight: 600;")

    def _came(self, brought: list[Letter]) -> None:
        self.brought = brought
        if not brought:
            self.says.setText(f"There is nothing in it that can be read: it takes {', '.join(ENDINGS)}.")
        self._again()

    def habit_of(self, letter: Letter) -> Habit:
        """By which habit a file is read: the chosen one, else the one it is for, else that of plain stamps."""
        chosen = str(self.habit.currentData())
        return habits()[chosen] if chosen else letter.habit or next(iter(habits().values()))

    def _again(self, _: object = None) -> None:
        self.found = {}
        self.list.clear()
        for letter in self.brought:
            self.list.addTopLevelItem(QTreeWidgetItem([letter.name, self.habit_of(letter).name, "…"]))
        self._next()

    def _next(self) -> None:
        if self.all_read:
            return
        row = len(self.found)
        letter, of = self.brought[row], self.habit_of(self.brought[row])
        side, cache = self.balls[0].pixels, self.ui.studio.sources.cache

        def work(check: Watch) -> _Read:
            try:
                sent = _meant(letter)
                got = receive(letter.data(), letter.name, of, sent)
                check()
                made = ball_picture(sent, of, side, check, cache) if sent is not None else None
                arrived = ball_picture(got.heights, of, side, check, cache) if got.heights is not None else None
                words = [f.says for f in got.faults] or ["It arrives as it is meant."]
                return _Read(row, bool(got.faults), " ".join([*words, *got.notes]), made, arrived)
            except EngraverError as error:
                check()
                return _Read(row, True, error.sentence(), None, None)

        self._lane.submit(work, self._read, self._failed)

    def _read(self, one: _Read) -> None:
        self.found[one.row] = one
        item = self.list.topLevelItem(one.row)
        if item is not None:
            item.setText(2, f"{'✕' if one.faulty else '✓'}  {one.says}")
            item.setForeground(2, self.ui.colour("fault" if one.faulty else "good"))
            if self.list.currentItem() is None:
                self.list.setCurrentItem(item)
        self._next()

    def _show(self) -> None:
        item = self.list.currentItem()
        one = self.found.get(self.list.indexOfTopLevelItem(item)) if item is not None else None
        if one is None:
            return
        self.says.setText(one.says)
        colour = self.ui.theme.fault if one.faulty else self.ui.theme.good
        self.says.setStyleSheet(f"color: {colour}; font-weight: 600;")
        for ball, array, without in zip(
            self.balls, (one.made, one.arrived), ("Only the file is known.", "Nothing arrives."), strict=True
        ):
            ball.show_ball(array, without)


def _meant(letter: Letter) -> Pixels | None:
    """The heights that were meant, where an .exr of the same name lies beside the file."""
    beside = letter.place.with_suffix(".exr")
    if letter.inside or letter.place.suffix.lower() == ".exr" or not beside.is_file():
        return None
    return meant(beside)
