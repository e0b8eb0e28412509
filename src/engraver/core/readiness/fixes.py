"""Fixes: what a gauge offers, as an edit of the project like any other."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ..recipe import Project, Step
from ..recipe.edits import insert_step, move_step, set_on, set_params
from ..recipe.placing import place_for
from .destinations import Destination
from .gauge import Gauge

_ENDS_OPEN = {"left": False, "right": False}


def _last(project: Project, plate_id: str, kind: str) -> Step | None:
    return next((s for s in reversed(project.line(plate_id)) if s.kind == kind and s.on), None)


def _add(project: Project, plate_id: str, step: Step) -> tuple[Project, str]:
    return insert_step(project, plate_id, step, place_for(project, plate_id, step.declared)), step.uid


def _size(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    now = max(gauge.numbers["width"], gauge.numbers["height"])
    side = to.sizes.nearest(int(now))
    step = _last(project, plate_id, "size")
    if step is None:
        return _add(project, plate_id, Step.make("size", side=side))
    return set_params(project, plate_id, step.uid, side=side), step.uid


def _crop(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    step = _last(project, plate_id, "crop")
    if step is None:
        return _add(project, plate_id, Step.make("crop"))
    return set_params(project, plate_id, step.uid, shape="square"), step.uid


def _falloff(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    values: dict[str, Any] = {"outline": "square", "fade": 0.1, **_ENDS_OPEN} if to.tiling == "strip" else {}
    step = _last(project, plate_id, "falloff")
    if step is None:
        return _add(project, plate_id, Step.make("falloff", **values))
    # One is there and does not reach the border: what comes after it put something there again.
    return _clear_border(project, plate_id, gauge, to)


def _clear_border(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    """A strip has a border above and below only."""
    return _plain("clear-border", **(_ENDS_OPEN if to.tiling == "strip" else {}))(project, plate_id, gauge, to)


def _levels(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    step = _last(project, plate_id, "levels")
    if to.zero == "mid":  # zero stays where it is
        values: dict[str, Any] = {"find": "zero", "high": 99.8}
        if step is None:
            return _add(project, plate_id, Step.make("levels", **values))
        return set_params(project, plate_id, step.uid, **values), step.uid
    if step is None:
        return _add(project, plate_id, Step.make("levels"))
    return set_params(
        project, plate_id, step.uid, find="auto", low=10.0, high=99.8, out_black=0.0, out_white=1.0
    ), step.uid


def _wider(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    step = _last(project, plate_id, "levels")
    find = "zero" if to.zero == "mid" else "auto"
    if step is None:
        return _add(project, plate_id, Step.make("levels", find=find, low=1.0, high=99.9))
    return set_params(project, plate_id, step.uid, find=find, high=99.9), step.uid


def _lift(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    if to.zero == "mid":
        return _plain("remove-form", shape="wide", onto="zero")(project, plate_id, gauge, to)
    if _last(project, plate_id, "even-light") is None:
        return _add(project, plate_id, Step.make("even-light", light="blur", method="subtract"))
    step = _last(project, plate_id, "levels")
    if step is None:
        return _add(project, plate_id, Step.make("levels", low=40.0))
    low = getattr(step.params, "low", 10.0)
    return set_params(project, plate_id, step.uid, find="auto", low=min(49.0, low + 15.0)), step.uid


def _soften(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    step = _last(project, plate_id, "soften")
    if step is None:
        return _add(project, plate_id, Step.make("soften", radius=0.004))
    radius = max(getattr(step.params, "radius", 0.0) * 1.6, 0.002)
    return set_params(project, plate_id, step.uid, radius=min(radius, 0.25)), step.uid


def _size_first(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    """What enlarges goes before what cuts hard; nothing is done where it was cut hard before it came here."""
    steps = project.line(plate_id)
    hard = next((n for n, s in enumerate(steps) if s.on and s.kind == "threshold"), len(steps))
    size = next((s for s in steps[hard:] if s.on and s.kind == "size"), None)
    if size is None:
        return project, ""
    return move_step(project, plate_id, size.uid, hard), size.uid


def _centre(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    """After what fades: a picture that fills its plate would be moved off its own border."""
    step = _last(project, plate_id, "centre")
    if step is not None:
        return set_params(project, plate_id, step.uid, by="heights"), step.uid
    fade = _last(project, plate_id, "falloff")
    if fade is None:
        return _add(project, plate_id, Step.make("centre", by="heights"))
    # Moved as far as it lies off, what fades must still end inside the plate.
    margin = min(0.45, round(getattr(fade.params, "margin", 0.0) + gauge.numbers["off"] + 0.002, 4))
    project = set_params(project, plate_id, fade.uid, margin=margin)
    step = Step.make("centre", by="heights", fit=False)
    place = [s.uid for s in project.line(plate_id)].index(fade.uid) + 1
    return insert_step(project, plate_id, step, place), step.uid


def _denoise(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    step = _last(project, plate_id, "denoise")
    if step is None:
        return _add(project, plate_id, Step.make("denoise"))
    strength = min(5.0, round(getattr(step.params, "strength", 1.0) * 1.6, 2))
    return set_params(project, plate_id, step.uid, strength=strength), step.uid


def _plain(kind: str, **values: Any) -> _Make:
    """A fix that adds one step, or takes the one that is there back to what helps."""

    def fix(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
        step = _last(project, plate_id, kind)
        if step is None:
            return _add(project, plate_id, Step.make(kind, **values))
        return set_params(project, plate_id, step.uid, **values), step.uid

    return fix


def _seamless(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    """A falloff would only break it again: it goes first."""
    axis = "across" if to.tiling == "strip" else "both"
    for step in project.line(plate_id):
        if step.on and step.kind == "falloff" and axis == "both":
            project = set_on(project, plate_id, step.uid, False)
    return _plain("seamless", axis=axis)(project, plate_id, gauge, to)


_Make = Callable[[Project, str, Gauge, Destination], tuple[Project, str]]


@dataclass(frozen=True, slots=True)
class Fix:
    """One fix: what it is called, what it does to a project, and whether that is too fine for a smaller copy."""

    label: str
    make: _Make
    fine: bool = False


FIXES: dict[str, Fix] = {
    "size": Fix("Set the side to one that fits", _size),
    "crop": Fix("Crop to a square", _crop),
    "falloff": Fix("Add a falloff", _falloff),
    "clear-border": Fix("Clear the border", _clear_border, fine=True),
    "levels": Fix("Spread the levels", _levels),
    "levels-wider": Fix("Widen the levels", _wider),
    "lift": Fix("Take out the lift", _lift),
    "soften": Fix("Soften more", _soften),
    "size-first": Fix("Size it before it is cut", _size_first, fine=True),
    "centre": Fix("Bring it to the middle", _centre),
    "deband": Fix("Smooth the bands", _plain("deband"), fine=True),
    "denoise": Fix("Take out the noise", _denoise, fine=True),
    "seamless": Fix("Make it seamless", _seamless),
    "even": Fix("Even the light", _plain("even-light", light="blur", method="subtract")),
}


def label_of(gauge: Gauge) -> str:
    """What pressing the gauge's fix does, in words."""
    return ", and ".join([FIXES[gauge.fix].label, *(FIXES[g.fix].label.lower() for g in gauge.then)])


def apply_fix(project: Project, plate_id: str, gauge: Gauge, to: Destination) -> tuple[Project, str]:
    """The project with the gauge's fix made, and what goes with it; and the uid of the step that does it."""
    project, uid = FIXES[gauge.fix].make(project, plate_id, gauge, to)
    for other in gauge.then:
        project, _ = apply_fix(project, plate_id, other, to)
    return project, uid
