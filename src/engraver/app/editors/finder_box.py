"""Buttons of a step that look for something and set it, off the window's thread."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget
from shiboken6 import isValid

from engraver.core.engine import Request
from engraver.core.errors import Watch
from engraver.core.recipe import Step
from engraver.core.steps.kind import Finder

from ..ui import Ui
from .seen import Seen

SIDE = 1024


class FinderBox(QWidget):
    """One button a finder; what is found becomes an edit."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui, step: Step) -> None:
        super().__init__()
        self.ui, self.uid = ui, step.uid
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(12), 0, 0, 0)
        self.buttons: list[QPushButton] = []
        for finder in step.declared.finders:
            button = QPushButton(finder.label)
            button.setToolTip(finder.help)
            button.clicked.connect(partial(self._find, finder))
            box.addWidget(button)
            self.buttons.append(button)

    def show_step(self, step: Step, seen: Seen) -> None:
        """The step that is looked at from now on."""
        self.uid = step.uid

    def _find(self, finder: Finder) -> None:
        studio = self.ui.studio
        step, line = studio.step, studio.attempt(studio.line)
        if step is None or line is None or step.uid != self.uid:
            return
        engine, params = studio.engine, step.params

        def work(check: Watch) -> dict[str, Any]:
            raster = engine.evaluate(line, Request(upto=step.uid, side=SIDE, before=True), check).raster
            check()
            return finder.find(raster, params)

        def done(changes: dict[str, Any]) -> None:
            if isValid(self) and studio.step_uid == step.uid:
                self.edited.emit(changes)
                self.finished.emit()

        self.ui.pictures.ask("", work, done)
