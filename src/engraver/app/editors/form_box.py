"""The section of a bevel, drawn; a press on it makes it free."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from engraver.core.params import CurvePoints
from engraver.core.recipe import Step
from engraver.core.steps.shape import Bevel, form_curve

from ..ui import Ui
from .curve_box import CurveBox
from .seen import Seen

_COUNT = 129


class FormBox(QWidget):
    """From the border at the left to full height at the right."""

    edited = Signal(dict)
    finished = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        self.curve = CurveBox(ui)
        self.curve.setToolTip("The bevel from its border to full height. Press and drag to make it free.")
        box.addWidget(self.curve)
        self.curve.edited.connect(self._edited)
        self.curve.finished.connect(self.finished)

    def _edited(self, points: CurvePoints) -> None:
        self.edited.emit({"form": "free", "points": points})

    def show_step(self, step: Step, seen: Seen) -> None:
        """Follow the model."""
        params = step.params
        if not isinstance(params, Bevel):
            return
        if params.form == "free":
            self.curve.show_points(params.points)
        else:
            steps = np.linspace(0, 1, _COUNT, dtype=np.float32)
            self.curve.show_drawn(form_curve(steps, params.form, params.points))
