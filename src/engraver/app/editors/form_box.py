"""The section of a bevel, drawn; a press on it makes it free."""

from __future__ import annotations

import numpy as np

from engraver.core.params import CurvePoints
from engraver.core.recipe import Step
from engraver.core.steps.shape import Bevel, form_curve

from ..ui import Ui
from .curve_box import CurveHolder
from .seen import Seen

_COUNT = 129


class FormBox(CurveHolder):
    """From the border at the left to full height at the right."""

    def __init__(self, ui: Ui) -> None:
        super().__init__(ui)
        self.curve.setToolTip("The bevel from its border to full height. Press and drag to make it free.")

    def params_of(self, points: CurvePoints) -> dict[str, object]:
        return {"form": "free", "points": points}

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
