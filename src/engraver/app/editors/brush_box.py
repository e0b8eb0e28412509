"""What the brush says and how large it is, in the settings of a step with strokes."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.params import Stroke, Strokes, laid
from engraver.core.raster import Facts
from engraver.core.recipe import Step
from engraver.core.words import counted

from ..active_brush import SETTINGS, ActiveBrush
from ..editor_kinds import EDITOR_KINDS, editor_of
from ..ui import Ui, named
from .row import Row
from .rows import row_for
from .seen import Seen


def brush_row(ui: Ui, name: str) -> Row:
    """The row of one of the brush's settings."""
    row = row_for(ui, SETTINGS[name])
    row.refused.connect(lambda words: ui.studio.told.emit(words, "look"))
    return row


class BrushBox(QWidget):
    """Buttons for what a stroke says, the brush's size, and taking strokes back."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui, hand: ActiveBrush, editor: str) -> None:
        super().__init__()
        self.ui, self.hand, self.editor = ui, hand, editor
        self.strokes: Strokes = ()
        self._uid = ""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(6))
        grid = QGridLayout()
        grid.setContentsMargins(ui.px(12), 0, 0, 0)
        grid.setSpacing(ui.px(4))
        self.group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for n, paint in enumerate(EDITOR_KINDS[editor].paints):
            button = named(QPushButton(paint.label), "profile")
            button.setCheckable(True)
            button.setFixedHeight(ui.px(28))
            button.setToolTip(paint.help)
            button.clicked.connect(lambda _=False, tag=paint.tag: hand.set(tag=tag))
            self.group.addButton(button)
            self.buttons[paint.tag] = button
            grid.addWidget(button, n // 3, n % 3)
        box.addLayout(grid)
        self.wide = brush_row(ui, "radius")
        self.wide.edited.connect(lambda value: self.change(radius=value))
        self.wide.finished.connect(self.finished)
        box.addWidget(self.wide)
        last = QHBoxLayout()
        last.setContentsMargins(ui.px(12), 0, 0, 0)
        self.count = named(QLabel(), "second")
        last.addWidget(self.count, 1)
        self.back = named(QPushButton("Take back the last"), "link")
        self.back.clicked.connect(self._back)
        self.clear = named(QPushButton("All"), "link")
        self.clear.setToolTip("Take back every stroke")
        self.clear.clicked.connect(lambda: self._set(()))
        last.addWidget(self.back, 0, Qt.AlignmentFlag.AlignRight)
        last.addWidget(self.clear)
        box.addLayout(last)
        hand.changed.connect(self.follow)
        self.follow()

    def _set(self, strokes: Strokes) -> None:
        self.edited.emit({"strokes": strokes})
        self.finished.emit()

    def chosen(self) -> Stroke | None:
        """The stroke that was pressed with the right button, if it is still there."""
        return next((s for s in self.strokes if s.digest == self.hand.brush.chosen), None)

    def change(self, **changes: Any) -> None:
        """Change the chosen stroke with its arms, or the brush where none is chosen."""
        stroke = self.chosen()
        if stroke is None:
            self.hand.set(**changes)
            return
        group = laid.laid_with(self.strokes, stroke.digest)
        self.hand.set(chosen=stroke.but(**changes).digest)
        self.edited.emit({"strokes": laid.changed(self.strokes, group, **changes)})

    def _back(self) -> None:
        """Take out the chosen stroke, or the last one, with its arms."""
        chosen = laid.laid_with(self.strokes, self.hand.brush.chosen)
        self._set(laid.without(self.strokes, chosen or laid.groups(self.strokes)[-1]))
        self.hand.set(chosen="")

    def follow(self) -> None:
        """Show the brush."""
        paint = self.hand.paint_for(self.editor)
        for tag, button in self.buttons.items():
            button.setChecked(paint is not None and tag == paint.tag)
        chosen = self.chosen()
        self.wide.show_value((chosen or self.hand.brush).radius, Facts(1, 1))
        self.back.setText("Remove the chosen one" if chosen else "Take back the last")

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model; a step without strokes begins with its first word."""
        if step.uid != self._uid:
            self._uid = step.uid
            if not getattr(step.params, "strokes", ()):
                self.hand.set(tag=editor_of(step).paints[0].tag, chosen="")
        self.show_strokes(getattr(step.params, "strokes", ()))
        self.setVisible(editor_of(step).painted(step.params))

    def show_strokes(self, strokes: Strokes) -> None:
        self.strokes = strokes
        count = len(laid.groups(strokes))
        self.count.setText(counted(count, "stroke") if count else "No strokes yet")
        self.back.setVisible(bool(strokes))
        self.clear.setVisible(bool(strokes))
        self.follow()
