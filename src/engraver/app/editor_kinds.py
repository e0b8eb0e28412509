"""What is known of each step editor without its widgets: what it owns, what it is shown, what its strokes say."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any, Literal

from engraver.core.recipe import Step
from engraver.core.steps.falloff import SIDES

Tone = Literal["good", "fault", "accent", "look"]


@dataclass(frozen=True, slots=True)
class Paint:
    """One thing a step's strokes can say. ``picks``: the stroke takes from a place picked before."""

    tag: str
    label: str
    help: str
    tone: Tone
    picks: bool = False


@dataclass(frozen=True, slots=True)
class EditorKind:
    """One editor of our own.

    Attributes
    ----------
    id : str
        As steps name it.
    owns : tuple of str
        Settings that it shows itself, so that no row repeats them.
    over_input : bool
        Its handles lie on what enters the step, which the plate view then shows.
    needs : {"", "entering", "tones"}
        What the plate view's picture brings along: what enters the step, or that and how often each tone occurs.
    marks_tones : bool
        A press on the plate shows where its tone lies.
    dims_ground : bool
        The plate view shows what is not covered, dimmed.
    traces : bool
        The source can shine through.
    paints : tuple of Paint
        What its strokes can say; none for editors without strokes.
    painted : (params) -> bool
        Whether strokes have an effect with these settings.
    leaps : bool
        Its strokes grow, and the last one's leap can be taken back.
    strokes_shown : bool
        Its strokes are drawn over the plate; else only the chosen one is.
    tips : bool
        Its strokes have a tip, arms and a strength.
    """

    id: str
    owns: tuple[str, ...] = ()
    over_input: bool = False
    needs: Literal["", "entering", "tones"] = ""
    marks_tones: bool = False
    dims_ground: bool = False
    traces: bool = False
    paints: tuple[Paint, ...] = ()
    painted: Callable[[Any], bool] = lambda params: True
    leaps: bool = False
    strokes_shown: bool = True
    tips: bool = False


_FIT = (
    Paint("out", "Leave out", "These areas do not count when the {} is found.", "fault"),
    Paint("in", "Only here", "The {} is found from these areas alone.", "good"),
)


def _fit(what: str) -> tuple[Paint, ...]:
    return tuple(Paint(p.tag, p.label, p.help.format(what), p.tone) for p in _FIT)


_ALL = (
    EditorKind("crop", over_input=True),
    EditorKind("corners", over_input=True),
    EditorKind("grey", owns=("line", "paper"), needs="entering"),
    EditorKind("levels", owns=("out_black", "out_white"), needs="tones", marks_tones=True),
    EditorKind("curve", owns=("points",), needs="tones", marks_tones=True),
    EditorKind("falloff", owns=("profile", "points", *SIDES)),
    EditorKind("form", owns=("points",)),
    EditorKind("shapes", traces=True),
    EditorKind("lettering", owns=("weight",), traces=True),
    EditorKind("place", traces=True),
    EditorKind("scatter", paints=(
        Paint("way", "Way", "Copies lie along the stroke.", "accent"),
    ), painted=lambda params: params.layout == "strokes"),
    EditorKind("match", owns=("tones", "plate")),
    EditorKind("heal", paints=(
        Paint("auto", "Automatic", "A fitting piece is found nearby.", "accent"),
        Paint("from", "From here", "The right button, or H, picks the piece; the arrow tells the way.", "look", True),
    )),
    EditorKind("isolate", dims_ground=True, leaps=True, painted=lambda params: params.how == "strokes", paints=(
        Paint("keep", "Keep", "Paint over what is to stay; it grows to the borders. (K)", "good"),
        Paint("remove", "Remove", "Paint over what goes; it grows to the borders. (M)", "fault"),
    )),
    EditorKind("remove-form", paints=_fit("form")),
    EditorKind("even-light", paints=_fit("light")),
    EditorKind("hand", traces=True, strokes_shown=False, tips=True, paints=(
        Paint("raise", "Raise", "Lays height on. (K)", "good"),
        Paint("cut", "Cut", "Takes height away. (M)", "fault"),
        Paint("level", "To a level", "Brings to the height where the stroke begins.", "accent"),
        Paint("smooth", "Smooth", "Smooths what is under the brush.", "look"),
        Paint("smudge", "Smudge", "Carries heights along the stroke.", "look"),
        Paint("zero", "To zero", "Brings to the height that leaves a surface untouched.", "accent"),
    )),
)  # fmt: skip

EDITOR_KINDS: Mapping[str, EditorKind] = MappingProxyType({kind.id: kind for kind in _ALL})
_NONE = EditorKind("")


def editor_of(step: Step | None) -> EditorKind:
    """What is known of a step's editor; of none where it has none."""
    return _NONE if step is None else EDITOR_KINDS.get(step.declared.editor, _NONE)


def is_painted(step: Step | None) -> bool:
    """Whether a step is edited by strokes, with its present settings."""
    kind = editor_of(step)
    return step is not None and bool(kind.paints) and kind.painted(step.params)
