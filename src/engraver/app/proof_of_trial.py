"""The trial of a plate as the bench's proof shows it: the plate as it is being worked on, the others finished."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from engraver.core.engine import Engine, resolve
from engraver.core.engine.line import trial_key
from engraver.core.errors import Watch
from engraver.core.pressing.relief import Tip
from engraver.core.pressing.strip import strip_of_heights
from engraver.core.pressing.tip import squared
from engraver.core.proof.look import Look
from engraver.core.proof.trial_view import TrialView, TrialWish
from engraver.core.recipe import Project, Trial
from engraver.core.surfaces import Sheet

_NOTHING = np.empty((0, 0), np.float32)


class ProofOfTrial:
    """Draws a trial in the lane of the proof; its surface and what was pressed into it stay there."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        # One for while things move, one for when they rest.
        self._views = {rough: TrialView(engine.sources.cache) for rough in (True, False)}
        self._in_hand, self._number = _NOTHING, 0

    def forget(self) -> None:
        """Let go of what is held."""
        for view in self._views.values():
            view.forget()

    def name(self, sheet: Sheet, project: Project, trial: Trial | None, plate: str) -> str:
        """Names all that a sheet is drawn from at rest but the plate in hand; and the trial, where it shows one."""
        view = str(replace(sheet, height=_NOTHING, strength=0.0, points=0, smooth=True))
        if trial is None:
            return view
        others = {source.id: source for source in project.sources}
        there = {p.id for p in project.plates}
        lines = {id: resolve(project, id, self._engine.sources) for id in trial.plates if id in there}
        return f"{view} {trial_key(trial, others, lines)} {trial.points} {plate in trial.bodies}"

    def drawing(
        self, project: Project, trial: Trial, plate: str, sheet: Sheet
    ) -> Callable[[Watch], NDArray[np.uint8]]:
        """The work that draws a trial as a sheet says: with its heights for the plate in hand."""
        engine, view = self._engine, self._views[not sheet.smooth]
        if sheet.height is not self._in_hand:
            self._in_hand, self._number = sheet.height, self._number + 1
        key = f"in hand {plate} {self._number}"
        others = [id for id in trial.plates if id != plate and any(p.id == id for p in project.plates)]
        lines = {id: resolve(project, id, engine.sources) for id in others}
        mine = resolve(project, plate, engine.sources) if plate in trial.bodies else None
        look = Look(
            sheet.size, sheet.eye, sheet.lamp, rough=not sheet.smooth, surround=sheet.surround, paper=sheet.paper
        )

        def work(check: Watch) -> NDArray[np.uint8]:
            tall = np.clip(sheet.height, -1, 1)
            body = engine.body(mine, check) if mine is not None else None
            own = Tip(squared(tall), None, key, strip=strip_of_heights(tall), body=body)
            side = None if sheet.smooth else max(sheet.size)  # what is seen while things move has no more pixels
            tips = {**engine.tips(lines, check, side=side, bodies=trial.bodies), plate: own}
            return view.draw(TrialWish(trial, tips, look, points=min(sheet.points, trial.points)), check).picture

        return work
