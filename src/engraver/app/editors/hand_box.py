"""The settings of the hand's brush: how strongly, how softly, how many arms, and the stroke that is chosen."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from engraver.core.params import Strokes
from engraver.core.raster import Facts
from engraver.core.recipe import Step

from ..active_brush import ActiveBrush
from ..ui import Ui, named
from .brush_box import BrushBox, brush_row
from .rows import Switch
from .seen import Seen
from .tip_box import TipBox

TIP = ("spacing", "turn", "vary")


class HandBox(QWidget):
    """A :class:`BrushBox` with more; its settings are those of the chosen stroke when there is one."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui, hand: ActiveBrush) -> None:
        super().__init__()
        self.ui, self.hand = ui, hand
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(ui.px(6))
        self.brush = BrushBox(ui, hand, "hand")
        self.brush.edited.connect(self.edited)
        self.brush.finished.connect(self.finished)
        box.addWidget(self.brush)
        self.tips = TipBox(ui)
        self.tips.chosen.connect(self._tipped)
        self.tips.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.tips)
        self.rows = {name: brush_row(ui, name) for name in ("strength", "soft", *TIP, "arms")}
        for name, row in self.rows.items():
            row.edited.connect(partial(self._set, name))
            row.finished.connect(self.finished)
            box.addWidget(row)
        self.switches: dict[str, Switch] = {}
        for name, words, help in (
            ("mirror", "Mirror", "Each stroke is laid on the other side too"),
            ("trace", "Trace", "The source shines through faintly (;)"),
            ("practice", "Practice pen", "Plays a pen's pressure: strokes begin and end lightly"),
        ):
            switch = Switch(ui)
            switch.setAccessibleName(words)
            switch.setToolTip(help)
            switch.clicked.connect(lambda on, n=name: self._switched(n, bool(on)))
            line = QHBoxLayout()
            line.setContentsMargins(ui.px(12), 0, 0, 0)
            line.addWidget(QLabel(words), 1)
            line.addWidget(switch)
            box.addLayout(line)
            self.switches[name] = switch
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        self.words.setContentsMargins(ui.px(12), 0, 0, 0)
        box.addWidget(self.words)
        hand.changed.connect(self.follow)
        self.follow()

    def _tipped(self, plate: str, tip: bytes, name: str) -> None:
        """A tip for the brush, or for the chosen stroke."""
        if self.brush.chosen() is not None:
            self.brush.change(tip=tip, tip_plate=plate)
            self.finished.emit()
        else:
            self.hand.set(tip=tip, tip_plate=plate, tip_name=name)

    def _set(self, name: str, value: Any) -> None:
        """Change the brush, or the chosen stroke with its arms."""
        if name == "arms":
            self.hand.set(arms=value)
        else:
            self.brush.change(**{name: value})

    def _switched(self, name: str, on: bool) -> None:
        if name == "trace":
            self.ui.studio.trace(on)
        else:
            self.hand.set(**{name: on})

    def follow(self) -> None:
        """Show the brush, or the chosen stroke."""
        stroke, brush = self.brush.chosen(), self.hand.brush
        for name, row in self.rows.items():
            row.show_value(getattr(brush if name == "arms" or stroke is None else stroke, name), Facts(1, 1))
        tipped = stroke.tipped if stroke is not None else brush.tipped
        for name in (*TIP, "soft"):
            self.rows[name].setVisible(tipped == (name != "soft"))
        if stroke is not None:
            self.tips.follow(stroke.tip_plate, "A plate" if stroke.tip else "")
        else:
            self.tips.follow(brush.tip_plate, brush.tip_name)
        for name, switch in self.switches.items():
            switch.setChecked(self.ui.studio.tracing if name == "trace" else getattr(brush, name))
        self.words.setText(
            f"A stroke that {WORDS.get(stroke.tag, stroke.tag)} is chosen: the settings change it, the right button "
            "and the arrow keys move it."
            if stroke is not None else "Shift draws straight. The right button chooses a stroke, and moves it."
        )  # fmt: skip

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model."""
        self.show_strokes(getattr(step.params, "strokes", ()))

    def show_strokes(self, strokes: Strokes) -> None:
        self.brush.show_strokes(strokes)
        self.follow()


WORDS = {
    "raise": "raises", "cut": "cuts", "level": "levels", "smooth": "smooths", "smudge": "smudges",
    "zero": "brings to zero",
}  # fmt: skip
