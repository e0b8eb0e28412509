"""The foot of the proof on paper: ink and ground, how the marks build up, and trying a mask."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QWidget

from engraver.core.surfaces.kind import Paper

from ..editors.slider import Slider
from ..ui import Ui, named
from .paper_controls import PaperControls


class PaperBar(QWidget):
    """Takes the place of strength and light while the plate is tried on paper."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "picturebar")
        self.setFixedHeight(ui.px(46))
        row = QHBoxLayout(self)
        row.setContentsMargins(ui.px(8), 0, ui.px(10), 0)
        row.setSpacing(ui.px(6))
        self.parts = PaperControls(ui, self._paper, lambda paper: ui.studio.set_proof(paper=paper))
        row.addWidget(self.parts.as_mask)
        row.addSpacing(ui.px(4))
        for name, swatch in self.parts.swatches.items():
            row.addWidget(self.parts.labels[name])
            row.addWidget(swatch)
        self.flow_name = QLabel("Flow")
        self.flow_name.setToolTip("How much ink one mark leaves; marks build up")
        row.addWidget(self.flow_name)
        self.flow = Slider(ui, 0.05, 1.0, 0.01, on_bar=True)
        self.flow.setAccessibleName("Flow")
        self.flow.moved.connect(lambda value: self.parts.change(flow=round(value, 2)))
        row.addWidget(self.flow, 1)
        self.amount = QLabel()
        self.amount.setMinimumWidth(ui.px(38))
        self.amount.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.amount)
        row.addWidget(self.parts.words, 1)
        self.follow()

    def _paper(self) -> Paper:
        return self.ui.studio.proof.paper

    def follow(self) -> None:
        """Show the settings in force."""
        paper = self._paper()
        self.parts.follow()
        for widget in (self.flow_name, self.flow, self.amount):
            widget.setVisible(not paper.mask)
        self.flow.show_value(paper.flow)
        self.amount.setText(f"{paper.flow * 100:.0f} %")
