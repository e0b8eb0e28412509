"""What arrives of a whole pack: every file as the program it is for reads it, with what an artist would see."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from engraver.core.engine import Request
from engraver.core.errors import Cancelled, EngraverError, Watch
from engraver.core.pack.plan import line_of
from engraver.core.pressing.tip import heights_of
from engraver.core.readiness import deliver
from engraver.core.readiness.deliver import fitting_side
from engraver.core.words import counted
from engraver.standins.receiver import ball_picture, habit_for, receive

from ..active_pack import ActivePack
from ..lanes import LatestLane
from ..ui import Ui, named
from .ball_label import BallLabel
from .dialog_foot import dialog_foot
from .sheet import Sheet

_BALL = 200


@dataclass(frozen=True, eq=False)
class _Arrived:
    """One file as it arrived: what is told, and two balls."""

    row: int
    faults: tuple[str, ...]
    says: str
    meant: NDArray[np.uint8] | None = None
    arrived: NDArray[np.uint8] | None = None


class PackArrivals(Sheet):
    """Goes through the files one by one; those with a fault stand first in the eye, by colour and word."""

    def __init__(self, ui: Ui, parent: QWidget, active: ActivePack) -> None:
        super().__init__(ui, parent)
        self._active = active
        self.setWindowTitle("What arrives")
        self.resize(ui.px(820), ui.px(560))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(8))
        box.addWidget(named(QLabel("What arrives of the pack"), "title"))
        planned = active.planned
        self._jobs = [(piece, to) for piece in planned.going for to in planned.uses_of(piece)]
        self.verdict = named(QLabel(), "second")
        box.addWidget(self.verdict)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(ui.px(6))
        self.progress.setRange(0, max(1, len(self._jobs)))
        box.addWidget(self.progress)
        row = QHBoxLayout()
        self.list = QTreeWidget()
        self.list.setHeaderLabels(["Piece", "Read by", "What is seen"])
        self.list.setRootIsDecorated(False)
        self.list.setColumnWidth(0, ui.px(140))
        self.list.setColumnWidth(1, ui.px(150))
        for piece, to in self._jobs:
            self.list.addTopLevelItem(QTreeWidgetItem([piece.name, habit_for(to.id).name, "…"]))
        row.addWidget(self.list, 1)
        column = QVBoxLayout()
        self.balls = [BallLabel(ui, _BALL), BallLabel(ui, _BALL)]
        for ball, words in zip(self.balls, ("As it was meant", "As it arrives"), strict=True):
            column.addWidget(ball)
            column.addWidget(named(QLabel(words), "second"), 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(1)
        row.addLayout(column)
        box.addLayout(row, 1)
        self.says = QLabel()
        self.says.setWordWrap(True)
        box.addWidget(self.says)
        foot, close = dialog_foot(self, "Close")
        box.addLayout(foot)
        close.setFocus()
        self.found: dict[int, _Arrived] = {}
        self._lane = LatestLane("pack arrivals", stop_old=True, parent=self)
        self.list.currentItemChanged.connect(lambda *_: self._show())
        self._next()

    @property
    def all_read(self) -> bool:
        """Whether every file was read."""
        return len(self.found) == len(self._jobs)

    def end(self) -> None:
        """Nobody looks any more."""
        self._lane.end()

    def _next(self) -> None:
        count, faulty = len(self.found), sum(bool(f.faults) for f in self.found.values())
        self.progress.setValue(count)
        words = f"{count} of {len(self._jobs)} files read" if not self.all_read else f"{counted(count, 'file')} read"
        self.verdict.setText(f"{words} · {faulty} with something wrong" if faulty else words)
        if self.all_read:
            self.progress.hide()
            return
        n = count
        piece, to = self._jobs[n]
        project, engine = self._active.studio.project, self._active.studio.engine
        side = self.balls[0].pixels

        def work(check: Watch) -> _Arrived:
            try:
                line = line_of(project, piece, engine.sources)
                raster = engine.evaluate(line, Request(exact=True), check).raster
                made = deliver(raster, to, side=fitting_side(raster, to))
                name, data = made.files(piece.stem)[0]
                high = heights_of(raster)
                of = habit_for(to.id)
                got = receive(data, name, of, high)
                check()
                meant = ball_picture(high, of, side, check, engine.sources.cache)
                arrived = (
                    ball_picture(got.heights, of, side, check, engine.sources.cache)
                    if got.heights is not None
                    else None
                )
                faults = tuple(f.says for f in got.faults)
                return _Arrived(n, faults, " ".join([*(faults or ("As it is meant.",)), *got.notes]), meant, arrived)
            except Cancelled:
                raise
            except EngraverError as error:
                return _Arrived(n, (error.sentence(),), error.sentence())

        self._lane.submit(work, self._arrived, lambda error: None)

    def _arrived(self, one: _Arrived) -> None:
        self.found[one.row] = one
        item = self.list.topLevelItem(one.row)
        assert item is not None
        item.setText(2, f"{'✕' if one.faults else '✓'}  {one.says}")
        item.setForeground(2, self.ui.colour("fault" if one.faults else "good"))
        if self.list.currentItem() is None or (one.faults and not self._shown_faults()):
            self.list.setCurrentItem(item)
        self._next()

    def _shown_faults(self) -> bool:
        shown = self._chosen()
        return bool(shown is not None and shown.faults)

    def _chosen(self) -> _Arrived | None:
        item = self.list.currentItem()
        return self.found.get(self.list.indexOfTopLevelItem(item)) if item is not None else None

    def _show(self) -> None:
        one = self._chosen()
        if one is None:
            return
        self.says.setText(one.says)
        for ball, array in zip(self.balls, (one.meant, one.arrived), strict=True):
            ball.show_ball(array, "Nothing arrives.")
