"""Edits of trials: each takes a project and returns a new one."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .. import limits
from ..errors import BadValue
from ..pressing.gesture import Gesture, packed_points
from ..pressing.settings import StrokeSettings
from ..surfaces import surface
from .models import Project, new_id
from .references import pruned, without_circles
from .trial import LEAST_POINTS, MOST_POINTS, Trial

# Directions are taken over so small a part of a handle, which stays clear of the edges of a map.
_NEAR = 0.01


def add_trial(project: Project, surface: str, *, name: str = "", **more: Any) -> tuple[Project, str]:
    """A new trial without gestures; returns the project and the trial's id. Raises BadValue when there is no room."""
    if len(project.trials) >= limits.TRIALS:
        raise BadValue(f"A project has at most {limits.TRIALS} trials", "", "Remove one first")
    names = {t.name for t in project.trials}
    wanted, number = name or "Trial", 2
    while wanted in names:
        wanted, number = f"{name or 'Trial'} {number}", number + 1
    trial = Trial(id=new_id("t"), name=wanted, surface=surface, **more)
    return project.model_copy(update={"trials": (*project.trials, trial)}), trial.id


def put(project: Project, trial: Trial) -> Project:
    """A changed trial in its place. Raises BadValue where plates would follow each other in a circle."""
    trials = tuple(trial if t.id == trial.id else t for t in project.trials)
    return without_circles(project.model_copy(update={"trials": trials}))


def change(project: Project, id: str, **changes: Any) -> Project:
    """A trial with another surface, density or name. Raises BadValue."""
    trial = project.trial(id)
    points = changes.get("points", trial.points)
    if not LEAST_POINTS <= points <= MOST_POINTS:
        raise BadValue(f"A surface has {LEAST_POINTS:,} to {MOST_POINTS:,} points", f"{points:,} were asked for")
    if "name" in changes:
        changes["name"] = changes["name"].strip()[: limits.NAME] or trial.name
    if changes.get("surface", trial.surface) != trial.surface:
        trial = on_another(trial, changes["surface"])
    changed = Trial.model_validate({**{n: getattr(trial, n) for n in type(trial).model_fields}, **changes})
    return pruned(put(project, changed))


def on_another(trial: Trial, surface_id: str) -> Trial:
    """The trial with its gestures at the same places of another surface's own coordinates; the handles of curves go
    on in the directions that theirs have there."""
    old, new = trial.declared.geometry, surface(surface_id).geometry

    def there(places: NDArray[np.float64]) -> NDArray[np.float64]:
        found: NDArray[np.float64] = np.asarray(new.chart(*old.uncharted(places)), np.float64)
        return found

    def moved(gesture: Gesture) -> Gesture:
        points, curve = gesture.points, gesture.curve
        if not len(points):
            return gesture
        places = there(points[:, :3])
        if curve is not None:
            handles = curve.all_handles()
            by = {n: there(points[n, :3] + _NEAR * pair) - places[n] for n, pair in handles.items()}
            curve = curve.with_handles({n: pair / _NEAR for n, pair in by.items()})
        return gesture.but(data=packed_points(places, points[:, 3], points[:, 4], points[:, 5]), curve=curve)

    return trial.model_copy(update={"surface": surface_id, "gestures": tuple(moved(g) for g in trial.gestures)})


def remove_trial(project: Project, id: str) -> Project:
    """A trial less. Raises BadValue where a plate is made of it."""
    trial = project.trial(id)
    made = [p.name for p in project.plates if getattr(p.reading, "trial", "") == id]
    if made:
        raise BadValue(
            f"{trial.name} cannot be removed", f"{', '.join(made)} is made of it", "Remove that plate first"
        )
    return pruned(project.model_copy(update={"trials": tuple(t for t in project.trials if t.id != id)}))


def add_gesture(project: Project, id: str, gesture: Gesture, after: str = "") -> Project:
    """A gesture more, at the end or after another one. Raises BadValue where there is no room, or for a circle."""
    trial = project.trial(id)
    if len(trial.gestures) >= limits.GESTURES:
        raise BadValue(f"A trial has at most {limits.GESTURES} gestures", "", "Wipe it, or begin another one")
    place = len(trial.gestures)
    if after:
        place = [g.uid for g in trial.gestures].index(trial.gesture(after).uid) + 1
    gestures = (*trial.gestures[:place], gesture, *trial.gestures[place:])
    return put(project, trial.model_copy(update={"gestures": gestures}))


def set_gesture(project: Project, id: str, uid: str, **changes: Any) -> Project:
    """A gesture with something else changed. Raises BadValue."""
    trial = project.trial(id)
    changed = trial.gesture(uid).but(**changes)
    return put(project, trial.model_copy(update={"gestures": tuple(
        changed if g.uid == uid else g for g in trial.gestures
    )}))  # fmt: skip


def set_settings(project: Project, id: str, uid: str, settings: StrokeSettings) -> Project:
    """A gesture made with other settings."""
    return set_gesture(project, id, uid, settings=settings)


def remove_gesture(project: Project, id: str, uid: str) -> Project:
    """A gesture less; one that is gone already is no trouble."""
    trial = project.trial(id)
    kept = tuple(g for g in trial.gestures if g.uid != uid)
    return put(project, trial.model_copy(update={"gestures": kept}))


def move_gesture(project: Project, id: str, uid: str, place: int) -> Project:
    """A gesture at another place of the order, counted without it."""
    trial = project.trial(id)
    moved = trial.gesture(uid)
    rest = tuple(g for g in trial.gestures if g.uid != uid)
    return put(project, trial.model_copy(update={"gestures": (*rest[:place], moved, *rest[place:])}))
