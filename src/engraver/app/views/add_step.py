"""*Add step*: every step by its name and by what it does to this plate."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QObject, QSize, Qt
from PySide6.QtGui import QIcon, QKeyEvent, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from engraver.core.engine import Line, Request, StepFailed
from engraver.core.engine.line import assemble
from engraver.core.errors import Watch
from engraver.core.readiness.fixes import first_choice, place_after, place_for
from engraver.core.recipe import Step
from engraver.core.steps import KINDS

from ..lanes import LatestLane
from ..painting import picture_of
from ..screen import to_screen
from ..ui import Ui
from .sheets import SearchSheet

# Pictures of so many steps are drawn before they are shown.
AT_ONCE = 8


class AddStep(SearchSheet):
    """All steps in working order, each with a picture of its effect on this plate, and the places where it can go."""

    def __init__(self, ui: Ui, parent: QWidget) -> None:
        super().__init__(ui, parent, "Add step", "Find a step", 430, 560)
        self._icons: dict[str, QIcon] = {}
        self._elsewhere = False
        self.foot = QHBoxLayout()
        self.first = QPushButton()
        self.other = QPushButton()
        self.first.setAutoDefault(False)
        self.other.setAutoDefault(False)
        self.first.clicked.connect(self._take)
        self.other.clicked.connect(self._take_elsewhere)
        self.foot.addWidget(self.first)
        self.foot.addWidget(self.other)
        self.foot.addStretch(1)
        box = self.layout()
        assert isinstance(box, QVBoxLayout)
        box.addLayout(self.foot)
        self.list.currentItemChanged.connect(lambda *_: self._show_places())
        self.list.setIconSize(QSize(ui.px(52), ui.px(52)))
        self._lane = LatestLane("effects", stop_old=True, parent=self)
        self.finished.connect(lambda _: self._lane.end())
        self.fill()
        self._ask()

    @property
    def lane(self) -> LatestLane:
        return self._lane

    def entries(self, text: str) -> list[QListWidgetItem]:
        items, words, group = [], text.lower().split(), ""
        for kind in KINDS.values():
            if not all(w in kind.answers_to for w in words):
                continue
            if kind.group != group:
                group = kind.group
                head = QListWidgetItem(group.upper())
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                head.setFont(self.ui.font(10, 600))
                items.append(head)
            item = QListWidgetItem(f"{kind.name}\n{kind.help}")
            item.setData(Qt.ItemDataRole.UserRole, kind.id)
            if kind.id in self._icons:
                item.setIcon(self._icons[kind.id])
            items.append(item)
        return items

    # -- where it goes -----------------------------------------------------------------

    def places(self) -> tuple[int, int | None]:
        """Where the chosen entry goes at Enter, and at Shift+Enter where there is another place."""
        studio = self.ui.studio
        plate, id = studio.plate, self.taken()
        if plate is None or not id:
            return 0, None
        kind = KINDS[id]
        usual = place_for(studio.project, plate.id, kind)
        here = place_after(studio.project, plate.id, kind, studio.step_uid)
        first = first_choice(studio.project, plate.id, kind, studio.step_uid)
        other = here if first == usual else usual
        return first, other if other != first else None

    @property
    def place(self) -> int:
        """The place that was taken."""
        first, other = self.places()
        return other if self._elsewhere and other is not None else first

    def _show_places(self) -> None:
        first, other = self.places()
        steps, chosen = self.ui.studio.steps, bool(self.taken())
        here = [s.uid for s in steps].index(self.ui.studio.step_uid) + 1 if self.ui.studio.step is not None else 0
        for button, place, key in ((self.first, first, "Enter"), (self.other, other, "Shift+Enter")):
            button.setVisible(chosen and place is not None)
            if place is not None:
                after = f"after {steps[place - 1].title}" if place else "first of the line"
                button.setText(f"{'Here' if place == here else 'Usual place'}: {after}")
                button.setToolTip(key)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress
            and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        ):  # fmt: skip
            self._take_elsewhere()
            return True
        return super().eventFilter(watched, event)

    def _take_elsewhere(self) -> None:
        self._elsewhere = True
        self._take()

    # -- its effect --------------------------------------------------------------------

    def _ask(self) -> None:
        studio = self.ui.studio
        plate, line = studio.plate, studio.attempt(studio.line)
        if plate is None or line is None:
            return
        uid = studio.step_uid
        places = {kind.id: first_choice(studio.project, plate.id, kind, uid) for kind in KINDS.values()}
        self._tried(line, studio.steps, list(places.items()))

    def _tried(self, line: Line, steps: tuple[Step, ...], places: list[tuple[str, int]]) -> None:
        """Pictures of what the next few steps would do, then of the rest."""
        engine = self.ui.studio.engine

        def work(check: Watch) -> dict[str, np.ndarray]:
            found = {}
            for id, place in places[:AT_ONCE]:
                step = Step.make(id)
                tried: Line = assemble(
                    line.source, line.reading, (*steps[:place], step, *steps[place:]), line.seed, engine.sources
                )
                try:
                    result = engine.evaluate(tried, Request(upto=step.uid, side=104), check)
                except StepFailed:
                    continue
                found[id] = to_screen(result.raster)
            return found

        def done(found: dict[str, np.ndarray]) -> None:
            self._drawn(found)
            if len(places) > AT_ONCE:
                self._tried(line, steps, places[AT_ONCE:])

        self._lane.submit(work, done, lambda error: None)

    def _drawn(self, found: dict[str, np.ndarray]) -> None:
        for id, array in found.items():
            drawn = QPixmap.fromImage(picture_of(array))
            self._icons[id] = QIcon(drawn)
            # The chosen entry's picture must not be tinted: it is there to be judged.
            self._icons[id].addPixmap(drawn, QIcon.Mode.Selected)
        row = self.list.currentRow()
        self.fill()
        self.list.setCurrentRow(row)
