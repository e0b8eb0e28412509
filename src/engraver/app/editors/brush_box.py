"""What the brush says and how large it is, in the settings of a step with strokes."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.params import Strokes
from engraver.core.recipe import Step

from ..active_brush import LARGEST, SMALLEST, ActiveBrush
from ..editor_kinds import EDITOR_KINDS, editor_of
from ..ui import Ui, named
from .seen import Seen
from .slider import Slider


class BrushBox(QWidget):
    """Buttons for what a stroke says, the brush's size, and taking strokes back."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui, hand: ActiveBrush, editor: str) -> None:
        super().__init__()
        self.ui, self.hand, self.editor = ui, hand, editor
        self.strokes: Strokes = ()
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(12), 0, 0, 0)
        box.setSpacing(ui.px(6))
        grid = QGridLayout()
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
        size = QHBoxLayout()
        size.addWidget(QLabel("Brush"))
        self.slider = Slider(ui, SMALLEST, 0.15, 0.001)
        self.slider.setAccessibleName("Brush size")
        self.slider.setToolTip("How wide the brush is ([ smaller, ] larger)")
        self.slider.moved.connect(lambda value: hand.set(radius=min(LARGEST, value)))
        size.addWidget(self.slider, 1)
        box.addLayout(size)
        last = QHBoxLayout()
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

    def _back(self) -> None:
        self._set(self.strokes[:-1])

    def follow(self) -> None:
        """Show the brush."""
        paint = self.hand.paint_for(self.editor)
        for tag, button in self.buttons.items():
            button.setChecked(paint is not None and tag == paint.tag)
        self.slider.show_value(self.hand.brush.radius)

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model."""
        self.show_strokes(getattr(step.params, "strokes", ()))
        self.setVisible(editor_of(step).painted(step.params))

    def show_strokes(self, strokes: Strokes) -> None:
        self.strokes = strokes
        self.count.setText(
            "No strokes yet" if not strokes else f"{len(strokes)} stroke{'s' if len(strokes) > 1 else ''}"
        )
        self.back.setVisible(bool(strokes))
        self.clear.setVisible(bool(strokes))
