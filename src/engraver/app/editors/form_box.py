"""The section of a bevel, drawn; a press on it makes it free."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from engraver.core.params.fields import CurvePoints
from engraver.core.steps.shape import Bevel, form_curve

from ..ui import Ui
from .curve_box import CurveBox

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

    def show_values(self, params: Bevel) -> None:
        """Follow the model."""
        if params.form == "free":
            self.curve.show_points(params.points)
        else:
            steps = np.linspace(0, 1, _COUNT, dtype=np.float32)
            self.curve.show_drawn(form_curve(steps, params.form, params.points))
