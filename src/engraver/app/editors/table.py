"""Every editor of a step in one table: its widgets in the settings, and its handles on the plate."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Protocol, cast

from PySide6.QtCore import SignalInstance
from PySide6.QtWidgets import QWidget

from engraver.core.recipe import Step

from ..editor_kinds import EDITOR_KINDS, editor_of
from ..ui import Ui
from .brush_box import BrushBox
from .curve_box import CurveEditor
from .falloff import FalloffBox
from .form_box import FormBox
from .grey_box import GreyBox
from .hand_box import HandBox
from .lettering_box import LetteringBox
from .levels import LevelsBox
from .match_box import MatchBox
from .seen import Seen
from .shapes_box import ShapesBox
from .tone_picks import TonePicks


class StepEditor(Protocol):
    """A widget of the settings: emits changes as a dict, and when a gesture has ended; shows what the model holds."""

    @property
    def edited(self) -> SignalInstance: ...

    @property
    def finished(self) -> SignalInstance: ...

    def show_step(self, step: Step, seen: Seen) -> None: ...


Make = Callable[[Ui, Step], tuple[QWidget, ...]]


@dataclass(frozen=True, slots=True)
class Editor:
    """What makes an editor's widgets, in the order in which they stand."""

    id: str
    make: Make


def _brush(ui: Ui, step: Step) -> tuple[QWidget, ...]:
    return (BrushBox(ui, ui.hand, editor_of(step).id),)


_ALL = (
    Editor("levels", lambda ui, step: (LevelsBox(ui), TonePicks(ui, step))),
    Editor("curve", lambda ui, step: (CurveEditor(ui), TonePicks(ui, step))),
    Editor("falloff", lambda ui, step: (FalloffBox(ui),)),
    Editor("form", lambda ui, step: (FormBox(ui),)),
    Editor("shapes", lambda ui, step: (ShapesBox(ui),)),
    Editor("lettering", lambda ui, step: (LetteringBox(ui),)),
    Editor("match", lambda ui, step: (MatchBox(ui),)),
    Editor("grey", lambda ui, step: (GreyBox(ui),)),
    Editor("hand", lambda ui, step: (HandBox(ui, ui.hand),)),
    *(Editor(kind.id, _brush) for kind in EDITOR_KINDS.values() if kind.paints and not kind.tips),
)
EDITORS: Mapping[str, Editor] = MappingProxyType({editor.id: editor for editor in _ALL})


def widgets_for(ui: Ui, step: Step) -> tuple[QWidget, ...]:
    """The widgets of a step's editor; none when its rows are enough."""
    editor = EDITORS.get(editor_of(step).id)
    return () if editor is None else editor.make(ui, step)


def as_editor(widget: QWidget) -> StepEditor:
    """A widget that :func:`widgets_for` made, by what it can do."""
    return cast(StepEditor, widget)
