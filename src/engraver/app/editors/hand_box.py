"""The settings of the hand's brush: how strongly, how softly, how many arms, and the stroke that is chosen."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from engraver.core.params import Stroke, Strokes
from engraver.core.recipe import Step

from ..active_brush import ActiveBrush
from ..ui import Ui, named
from .brush_box import BrushBox
from .rows import Switch
from .seen import Seen
from .slider import Slider
from .tip_box import TipBox

MOST_ARMS = 12
TIP = ("spacing", "turn", "vary")


class HandBox(QWidget):
    """A :class:`BrushBox` with more; sliders act on the chosen stroke when there is one."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui, hand: ActiveBrush) -> None:
        super().__init__()
        self.ui, self.hand = ui, hand
        self.strokes: Strokes = ()
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
        self.sliders: dict[str, Slider] = {}
        self.rows: dict[str, QWidget] = {}
        for name, words, low, high, help in (
            (
                "strength",
                "Strength",
                0.01,
                1.0,
                "How strongly it acts; raising and cutting in heights of white",
            ),
            ("soft", "Softness", 0.0, 1.0, "How much of the brush fades out"),
            ("spacing", "Spacing", 0.1, 3.0, "Of a tip: the way between two marks, in its radii"),
            ("turn", "Turn", 0, 180, "Of a tip: each mark is turned by up to so many degrees, by chance"),
            ("vary", "Size", 0.0, 1.0, "Of a tip: marks are made smaller by up to this share, by chance"),
            ("arms", "Arms", 1, MOST_ARMS, "Each stroke is laid so many times round the plate's middle"),
        ):
            slider = Slider(ui, low, high, 1 if name in ("arms", "turn") else 0.01)
            slider.setAccessibleName(words)
            slider.setToolTip(help)
            slider.moved.connect(lambda value, n=name: self._slid(n, value))
            slider.released.connect(self.finished)
            row = QWidget()
            row.setLayout(self._row(words, slider))
            box.addWidget(row)
            self.sliders[name], self.rows[name] = slider, row
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
            box.addLayout(self._row(words, switch))
            self.switches[name] = switch
        chosen = QHBoxLayout()
        chosen.setContentsMargins(ui.px(12), 0, 0, 0)
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        self.remove = named(QPushButton("Remove it"), "link")
        self.remove.clicked.connect(self._remove)
        chosen.addWidget(self.words, 1)
        chosen.addWidget(self.remove, 0, Qt.AlignmentFlag.AlignTop)
        box.addLayout(chosen)
        hand.changed.connect(self.follow)
        self.follow()

    def _tipped(self, plate: str, tip: bytes, name: str) -> None:
        """A tip for the brush, or for the chosen stroke."""
        stroke = self.chosen()
        if stroke is not None:
            self._replace(stroke, stroke.but(tip=tip, tip_plate=plate))
            self.finished.emit()
        else:
            self.hand.set(tip=tip, tip_plate=plate, tip_name=name)

    def _row(self, words: str, widget: QWidget) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(self.ui.px(12), 0, 0, 0)
        label = QLabel(words)
        label.setFixedWidth(self.ui.px(84))
        row.addWidget(label)
        row.addWidget(widget, 1 if isinstance(widget, Slider) else 0)
        if not isinstance(widget, Slider):
            row.addStretch(1)
        return row

    def chosen(self) -> Stroke | None:
        """The stroke that was pressed with the right button, if it is still there."""
        return next((s for s in self.strokes if s.digest == self.hand.brush.chosen), None)

    def _slid(self, name: str, value: float) -> None:
        stroke = self.chosen()
        if name == "arms":
            self.hand.set(arms=round(value))
        elif stroke is None:
            self.hand.set(**{name: round(value, 3)})
        else:
            self._replace(stroke, stroke.but(**{name: round(value, 3)}))

    def _switched(self, name: str, on: bool) -> None:
        if name == "trace":
            self.ui.studio.trace(on)
        else:
            self.hand.set(**{name: on})

    def _replace(self, old: Stroke, new: Stroke) -> None:
        strokes = tuple(new if s == old else s for s in self.strokes)
        self.hand.set(chosen=new.digest)
        self.edited.emit({"strokes": strokes})

    def _remove(self) -> None:
        stroke = self.chosen()
        if stroke is not None:
            self.edited.emit({"strokes": tuple(s for s in self.strokes if s != stroke)})
            self.hand.set(chosen="")
            self.finished.emit()

    def follow(self) -> None:
        """Show the brush, or the chosen stroke."""
        stroke, brush = self.chosen(), self.hand.brush
        values: dict[str, Any] = {"strength": brush.strength, "soft": brush.soft, "arms": brush.arms}
        if stroke is not None:
            values |= {"strength": stroke.strength, "soft": stroke.soft}
        values |= {name: getattr(stroke or brush, name) for name in TIP}
        for name, slider in self.sliders.items():
            slider.show_value(float(values[name]))
        tipped = stroke.tipped if stroke is not None else brush.tipped
        for name in (*TIP, "soft"):
            self.rows[name].setVisible(tipped == (name != "soft"))
        if stroke is not None:
            self.tips.follow(stroke.tip_plate, "A plate" if stroke.tip else "")
        else:
            self.tips.follow(brush.tip_plate, brush.tip_name)
        for name, switch in self.switches.items():
            switch.setChecked(self.ui.studio.tracing if name == "trace" else getattr(brush, name))
        self.remove.setVisible(stroke is not None)
        self.words.setText(
            f"A stroke that {WORDS.get(stroke.tag, stroke.tag)} is chosen: the sliders change it."
            if stroke is not None else "Shift draws straight. The right button chooses a stroke."
        )  # fmt: skip

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model."""
        self.show_strokes(getattr(step.params, "strokes", ()))

    def show_strokes(self, strokes: Strokes) -> None:
        self.strokes = strokes
        self.brush.show_strokes(strokes)
        self.follow()


WORDS = {
    "raise": "raises", "cut": "cuts", "level": "levels", "smooth": "smooths", "smudge": "smudges",
    "zero": "brings to zero",
}  # fmt: skip
