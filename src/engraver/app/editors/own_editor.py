"""The editor of our own that suits a step, and the fields it shows so that no row repeats them."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import SignalInstance
from PySide6.QtWidgets import QWidget

from engraver.core.recipe import Step
from engraver.core.steps.contrast import Curve, Levels
from engraver.core.steps.falloff import Falloff
from engraver.core.steps.grey import Grey
from engraver.core.steps.shape import Bevel
from engraver.core.steps.tone import Match

from ..brush import PAINTS
from ..ui import Ui
from .brush_box import BrushBox
from .curve_box import CurveBox
from .falloff import SIDES, FalloffBox
from .form_box import FormBox
from .grey_box import GreyBox
from .hand_box import HandBox
from .levels import LevelsBox
from .match_box import MatchBox

OWNED = {
    "levels": ("out_black", "out_white"), "falloff": ("profile", "points", *SIDES), "curve": ("points",),
    "grey": ("line", "paper"), "form": ("points",), "match": ("tones",),
}  # fmt: skip


class OwnEditor(Protocol):
    """Emits changes as a dict, and when a gesture has ended."""

    edited: SignalInstance
    finished: SignalInstance


def own_editor(ui: Ui, step: Step) -> QWidget | None:
    """A new editor for the step, or None when its rows are enough."""
    if isinstance(step.params, Levels):
        return LevelsBox(ui)
    if isinstance(step.params, Curve):
        curve = CurveBox(ui)
        curve.setMinimumHeight(ui.px(230))
        return curve
    if isinstance(step.params, Falloff):
        return FalloffBox(ui)
    if isinstance(step.params, Bevel):
        return FormBox(ui)
    if isinstance(step.params, Match):
        return MatchBox(ui)
    if isinstance(step.params, Grey):
        return GreyBox(ui)
    if step.declared.editor == "hand":
        return HandBox(ui, ui.hand)
    if step.declared.editor in PAINTS:
        return BrushBox(ui, ui.hand, step.declared.editor)
    return None
