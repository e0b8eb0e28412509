"""*Add step*: every step by its name and by what it does to this plate."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QEvent, QObject, QSize, Qt
from PySide6.QtGui import QIcon, QKeyEvent, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QListWidgetItem, QPushButton, QWidget

from engraver.core.engine import Line, Request, StepFailed, new_step
from engraver.core.engine.line import assemble
from engraver.core.errors import Watch
from engraver.core.recipe import Step
from engraver.core.recipe.placing import Places, places
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
        self.first = self._place_button("Enter", self._take)
        self.other = self._place_button("Shift+Enter", self._take_elsewhere)
        self.foot.addStretch(1)
        self.box.addLayout(self.foot)
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

    def _place_button(self, key: str, take: Callable[[], None]) -> QPushButton:
        button = QPushButton()
        button.setAutoDefault(False)
        button.setToolTip(key)
        button.clicked.connect(take)
        self.foot.addWidget(button)
        return button

    def _places(self) -> Places | None:
        """Where the chosen entry can go; its first place is taken by Enter, the other one by Shift+Enter."""
        studio, id = self.ui.studio, self.taken()
        if studio.plate is None or not id:
            return None
        return places(studio.project, studio.plate.id, KINDS[id], studio.step_uid)

    @property
    def place(self) -> int:
        """The place that was taken."""
        found = self._places()
        if found is None:
            return 0
        return found.other if self._elsewhere and found.other is not None else found.first

    def _show_places(self) -> None:
        found, steps = self._places(), self.ui.studio.steps
        first, other = (found.first, found.other) if found is not None else (None, None)
        for button, place in ((self.first, first), (self.other, other)):
            button.setVisible(place is not None)
            if found is not None and place is not None:
                after = f"after {steps[place - 1].title}" if place else "first of the line"
                button.setText(f"{'Here' if place == found.here else 'Usual place'}: {after}")

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
        project, id, uid = studio.project, plate.id, studio.step_uid
        self._tried(line, studio.steps, [(k.id, places(project, id, k, uid).first) for k in KINDS.values()])

    def _tried(self, line: Line, steps: tuple[Step, ...], wanted: list[tuple[str, int]]) -> None:
        """Pictures of what the next few steps would do, then of the rest."""
        engine = self.ui.studio.engine

        def work(check: Watch) -> dict[str, np.ndarray]:
            found = {}
            for id, place in wanted[:AT_ONCE]:
                step = new_step(id, line, steps[:place])
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
            if len(wanted) > AT_ONCE:
                self._tried(line, steps, wanted[AT_ONCE:])

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
