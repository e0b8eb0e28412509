"""Figures of the proof desk: strokes, turning, replaying, and plates made of a trial."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np

from bench.apart import apart
from bench.core import timed
from bench.figures import Figure, at_most, median, percentile
from engraver.core.cache import Cache
from engraver.core.pressing.gesture import Gesture, packed_points
from engraver.core.pressing.relief import Tip
from engraver.core.pressing.settings import checked
from engraver.core.proof.look import Look
from engraver.core.proof.trial_view import TrialView, TrialWish
from engraver.core.proof.warm import warm
from engraver.core.recipe import Trial
from engraver.core.sources import SourceStore
from engraver.core.sources.trial import Given, TrialFrame, made
from engraver.core.surfaces import surface

SIZE = (850, 590)


def _tip() -> Tip:
    y, x = np.mgrid[-1:1:512j, -1:1:512j]
    return Tip(np.clip(1 - np.hypot(x, y), 0, 1).astype(np.float32), None, "cone")


def _stroke(id: str, n: int, marks: int = 60) -> Gesture:
    """A stroke of so many marks, 12 % of the width each, over the front of a surface."""
    rng = np.random.default_rng(n)
    spacing = 0.2
    # A ball is looked at from one side: a stroke is as long there as on the flat.
    share = np.linspace(-0.5, 0.5, 60) * spacing * 0.12 * (marks - 1) / (3.0 if id == "ball" else 1.0)
    a, turn = 0.35 + 0.3 * rng.random(2), rng.random() * 7
    places = surface(id).geometry.chart(a[0] + share * np.cos(turn), a[1] + share * np.sin(turn))
    settings = checked(size=0.12, spacing=spacing, turn_jitter=1.0, size_jitter=0.25)
    return Gesture(uid=f"g{n}", kind="stroke", plate="p", settings=settings, seed=n, data=packed_points(places))


def _drawn(id: str, points: int, behind: int) -> tuple[TrialView, TrialWish]:
    kind = surface(id)
    trial = Trial(id="t", surface=id, points=points, gestures=tuple(_stroke(id, n) for n in range(behind)))
    wish = TrialWish(trial, {"p": _tip()}, Look(SIZE, kind.eye, kind.lamp))
    view = TrialView(Cache())
    view.draw(wish)
    return view, wish


def _live(view: TrialView, wish: TrialWish, id: str) -> list[float]:
    """Milliseconds from each new place of the pointer to the picture, along one stroke."""
    whole, took = _stroke(id, 999), []
    for n in range(2, 42):
        part = whole.but(data=whole.data[: 24 * n])
        begin = time.perf_counter()
        view.draw(replace(wish, live=part))
        took.append((time.perf_counter() - begin) * 1000)
    view.draw(wish)
    return took[2:]


def strokes() -> list[Figure]:
    """Pointer to picture of a stroke, without and with 200 gestures behind it."""
    warm()
    figures = []
    for id, points, behind, limits in (
        ("flat", 1_000_000, 0, (33, 66)), ("ball", 1_000_000, 0, (33, 66)), ("flat", 1_000_000, 200, (33, 66)),
        ("flat", 4_000_000, 0, (60, None)), ("ball", 4_000_000, 0, (60, None)),
    ):  # fmt: skip
        took = _live(*_drawn(id, points, behind), id)
        name = f"stroke, {id} {points // 1_000_000} M, {behind} behind"
        figures.append(at_most(f"{name}, median", median(took), "ms", limits[0]))
        if limits[1]:
            figures.append(at_most(f"{name}, 95 %", percentile(took, 0.95), "ms", limits[1]))
    return figures


def turning() -> list[Figure]:
    """Pictures a second while a surface is turned, and the picture once it rests."""
    warm()
    figures = []
    for id, points, limit in (
        ("flat", 1_000_000, 0.12), ("ball", 1_000_000, 0.12), ("flat", 4_000_000, 0.5), ("ball", 4_000_000, 0.5),
    ):  # fmt: skip
        view, wish = _drawn(id, points, 3)
        eyes = [replace(wish.look.eye, turn=wish.look.eye.turn + n) for n in range(12)]

        def look(moving: bool, eyes: list = eyes, view: TrialView = view, wish: TrialWish = wish) -> float:
            took = []
            for eye in eyes:
                begin = time.perf_counter()
                view.draw(replace(wish, look=replace(wish.look, eye=eye, moving=moving)))
                took.append(time.perf_counter() - begin)
            return median(took[2:])

        rate = 1 / look(True)
        name = f"{id}, {points // 1_000_000} M points"
        figures.append(Figure(f"turning, {name}", rate, "1/s", "the limit", rate / 30, "at least 30 1/s", rate >= 30))
        figures.append(at_most(f"settled, {name}", look(False), "s", limit))
    return figures


def replaying() -> list[Figure]:
    """200 strokes of 60 marks anew, and the first picture after the third of them was changed."""
    warm()
    figures = []
    for id in ("flat", "ball"):
        view, wish = _drawn(id, 1_000_000, 200)
        trial = wish.trial
        drafts = TrialView(Cache())
        drafts.draw(replace(wish, points=60_000, look=replace(wish.look, moving=True)))

        def changed(seed: int, trial: Trial = trial) -> Trial:
            gestures = list(trial.gestures)
            gestures[2] = gestures[2].but(seed=seed)
            return trial.model_copy(update={"gestures": tuple(gestures)})

        def again(seed: int, view: TrialView = view, wish: TrialWish = wish, make: Callable = changed) -> None:
            view.draw(replace(wish, trial=make(seed)))

        def draft(seed: int, wish: TrialWish = wish, make: Callable = changed, drafts: TrialView = drafts) -> None:
            drafts.draw(replace(wish, trial=make(seed), points=60_000, look=replace(wish.look, moving=True)))

        seeds = iter(range(5000, 6000))
        anew = [timed(partial(again, next(seeds)), 1)[0] for _ in range(3)]
        figures.append(at_most(f"200 strokes of 60 marks, {id}", median(anew), "s", 2))
        first = [timed(partial(draft, next(seeds)), 1)[0] for _ in range(3)]
        figures.append(at_most(f"first picture, {id}", median(first), "s", 0.3))
    return figures


def taken_back() -> list[Figure]:
    """A plate of 2048 pixels made of a flat trial with 500 marks."""
    warm()
    gestures = tuple(_stroke("flat", n, 50) for n in range(10))
    given = Given(Trial(id="t", gestures=gestures), {"p": _tip()}, None, "bench")
    reading, store = TrialFrame(trial="t", side=2048), SourceStore()

    def make() -> None:
        store.cache = Cache(0)
        made(given, reading, (2048, 2048), store, lambda share=None: None)

    make()
    return [at_most("a plate of 2048² of a flat trial, 500 marks", median(timed(make, 5)), "s", 0.8)]


MEMORY = """
import sys
from bench.trials import _drawn, _live
view, wish = _drawn("ball", 4_000_000, 2)
_live(view, wish, "ball")
"""


def memory() -> list[Figure]:
    """Peak memory of a process that works on four million points."""
    _, peak = apart(MEMORY)
    return [at_most("a trial of 4 M points, peak memory", peak, "GB", 1.5)]
