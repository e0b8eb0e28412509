"""The quay's trials and brushes: barnacles on a hull, rope round a pipe, ripples ashore, a fouled plank."""

from __future__ import annotations

from typing import Any

import numpy as np

from engraver.core.pressing.gesture import Gesture, packed_points
from engraver.core.pressing.settings import checked
from engraver.core.raster import Zero
from engraver.core.recipe import Project, brushes, edits, trials
from engraver.core.recipe.models import Source, new_id
from engraver.core.sources.trial import TrialFrame
from engraver.core.surfaces import surface

Points = list[tuple[float, float]]
# The trial of each surface that the pictures show.
BALL, HULL, LASHING = "Fouled ball", "Fouled hull", "Rope lashing"
SHORE, PLANK, END = "Raised ripples", "Fouled plank", "Plank end"


def _made(on: str, kind: str, plate: str, points: Points, n: int, **settings: Any) -> Gesture:
    x, y = np.array(points, float).T
    places = surface(on).geometry.chart(x, y)
    return Gesture(
        uid=f"{on}-{n}", kind=kind, plate=plate, settings=checked(**settings), seed=31 + n, data=packed_points(places)
    )


def _trial(project: Project, name: str, on: str, made: list[Gesture], **more: Any) -> tuple[Project, str]:
    project, id = trials.add_trial(project, on, name=name, **more)
    for gesture in made:
        project = trials.add_gesture(project, id, gesture)
    return project, id


def _wave(left: float, right: float, y: float, high: float, turns: float = 1.0) -> Points:
    share = np.linspace(0, 1, 40)
    return list(zip(left + share * (right - left), y + high * np.sin(share * 2 * np.pi * turns), strict=True))


def with_trials(project: Project, hull: Source) -> Project:
    """The project with its trials, a plate that is made of one of them, and the brushes that made them."""
    plate = {p.name: p.id for p in project.plates}
    project = project.model_copy(update={"sources": (*project.sources, hull)})
    shells = {"meets": "highest", "turn_jitter": 1.0, "strength": 0.05}
    out = [
        ((0.3, 0.5), (0.4, 0.53)), ((0.55, 0.47), (0.63, 0.45)), ((0.74, 0.53), (0.79, 0.55)),
        ((0.46, 0.56), (0.5, 0.57)),
    ]  # fmt: skip
    barnacles = [_made("own", "drag-out", plate["Barnacles"], list(two), n, **shells) for n, two in enumerate(out)]
    over = _made("ball", "stroke", plate["Barnacles"], _wave(0.36, 0.62, 0.42, 0.1), 0, size=0.17, spacing=0.6,
                 size_jitter=0.3, **shells)  # fmt: skip
    project, _ = _trial(project, BALL, "ball", [over])
    project, _ = _trial(project, HULL, "own", barnacles, own=hull.id, points=500_000)
    around = [(0.5 + 0.06 * np.cos(0.3 * n), 0.2 + n * 0.015) for n in range(41)]
    rope = {"size": 0.16, "spacing": 0.3, "direction": "along", "meets": "highest", "strength": 0.12, "turn": 90.0}
    project, _ = _trial(project, LASHING, "pipe", [_made("pipe", "stroke", plate["Net lashing"], around, 0, **rope)])
    ripples = {"size": 0.42, "strength": 0.03, "turn_jitter": 0.2, "meets": "highest"}
    shore = [(0.3, 0.4), (0.55, 0.55), (0.75, 0.38), (0.5, 0.78)]
    made = [_made("terrain", "single", plate["Sand ripples"], [at], n, **ripples) for n, at in enumerate(shore)]
    project, _ = _trial(project, SHORE, "terrain", made)
    timber = {"size": 1.3, "strength": 0.012, "meets": "add"}
    fouling = [
        _made("flat", "single", plate["Ship timber"], [(0.5, 0.5)], 0, **timber),
        _made("flat", "stroke", plate["Barnacles"], _wave(0.12, 0.9, 0.52, 0.13), 1, size=0.2, spacing=0.62,
              size_jitter=0.35, turn_jitter=1.0, meets="add", strength=0.08),
        _made("flat", "stroke", plate["Pitted iron"], _wave(0.2, 0.8, 0.36, 0.02), 2, size=0.16, spacing=1.1,
              turn_jitter=1.0, strength=0.05, fall="soft"),
    ]  # fmt: skip
    project, id = _trial(project, PLANK, "flat", fouling)
    source = Source(id=new_id("src"), kind="trial", name=PLANK)
    reading = TrialFrame(trial=id, width=0.86, zero="mid", side=1024)
    project, pressed = edits.add_plate(project, source, "Fouled plank", (), reading=reading, read_as="trial")
    once_more = _made("box", "single", pressed, [(0.5, 0.5)], 0, size=0.62, strength=0.06)
    project, _ = _trial(project, END, "box", [once_more])
    kept: tuple[tuple[str, Gesture, Zero], ...] = (
        ("Barnacle crust", over, "black"), ("Lashing", _first(project, LASHING), "black"),
        ("Rust pits", fouling[-1], "mid"),
    )  # fmt: skip
    for name, gesture, zero in kept:
        project, _ = brushes.keep(project, gesture.plate, gesture.settings, zero, name=name)
    return project


def _first(project: Project, trial: str) -> Gesture:
    return next(t for t in project.trials if t.name == trial).gestures[0]
