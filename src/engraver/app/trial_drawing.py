"""Pictures of the trial on the proof desk, made off the window's thread."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtCore import QObject, Signal

from engraver.core.cache import Cache
from engraver.core.cords.trial import on_curve
from engraver.core.curves.way import Way
from engraver.core.engine import Line, resolve
from engraver.core.errors import BadValue, EngraverError, Watch
from engraver.core.pressing.along import Note, way_of
from engraver.core.pressing.gesture import Gesture
from engraver.core.pressing.relief import Tip
from engraver.core.proof.look import Look, Seen
from engraver.core.proof.trial_view import TrialView, TrialWish, lacking
from engraver.core.recipe import Trial
from engraver.core.sources.trial import own_of
from engraver.core.surfaces.ground import SCENE
from engraver.core.surfaces.own import OwnMesh

from .pictures import Pictures
from .studio import Studio

# More gestures than this to be pressed anew are first shown on fewer points.
_MANY, _DRAFT_POINTS = 8, 90_000
# Points on which a curve is drawn while the hand moves it.
_ROUGH_POINTS = 70_000


@dataclass(frozen=True, slots=True)
class Density:
    """What a picture says of itself: how many of the plate's pixels a mark shows, and how many points show all."""

    edge: float = 0.0
    plate: int = 0

    def words(self, size: float) -> str:
        """In plain words, for marks of this share of the surface's width; "" where nothing is lacking or known."""
        if not self.edge or not self.plate:
            return ""
        shown, times = lacking(size * SCENE, self.edge, self.plate)
        if shown >= self.plate:
            return f"all of the plate's {self.plate} px are shown at this size"
        points = times * SCENE * SCENE / (self.edge * self.edge)
        more = (
            f"{points / 1e6:.1f} M points would show all" if points <= 4e6 else "more than 4 M points would show all"
        )
        return f"at this size the surface shows {shown} of the plate's {self.plate} px; {more}"


@dataclass(frozen=True, eq=False)
class CurveSeen:
    """The curve that is chosen, or being drawn, as it lies on the surface: the gesture, its way, what is told of it,
    and what was found of its piece."""

    gesture: Gesture
    way: Way | None
    notes: tuple[Note, ...]
    words: str = ""


class TrialDrawing(QObject):
    """Asks for pictures of trials; ``drawn`` tells the view's number and what is seen."""

    drawn = Signal(int, object)
    drafted = Signal(int, object)
    failed = Signal(str)

    def __init__(self, studio: Studio, pictures: Pictures, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._studio, self._pictures = studio, pictures
        self.density = Density()
        self.seen: dict[int, Seen] = {}
        # The mesh that the surface is made from, once it was drawn.
        self.own: OwnMesh | None = None
        # The curve that is chosen or being drawn, as it was drawn last.
        self.curve: CurveSeen | None = None
        cache = studio.sources.cache
        self._views, self._drafts = {0: TrialView(cache), 1: TrialView(cache)}, TrialView(cache)
        self._lines: tuple[object, tuple[str, ...], Mapping[str, Line]] | None = None
        self.drafted.connect(self.drawn)

    def forget(self) -> None:
        """Let go of surfaces and pictures: the window closes."""
        for view in (*self._views.values(), self._drafts):
            view.forget()
        self.seen.clear()

    def lines(self, trial: Trial) -> Mapping[str, Line]:
        """The lines of the plates that a trial and the hand press, resolved once for a project.

        Raises EngraverError.
        """
        project, chosen = self._studio.project, self._studio.plate_id
        ids = tuple(dict.fromkeys((*trial.plates, *((chosen,) if chosen else ()))))
        known = self._lines
        if known is not None and known[0] is project and known[1] == ids:
            return known[2]
        there = {p.id for p in project.plates}
        made: dict[str, Line] = {}
        found = {id: resolve(project, id, self._studio.sources, known=made) for id in ids if id in there}
        self._lines = (project, ids, found)
        return found

    def wish(self, trial: Trial, look: Look) -> Callable[[Watch], TrialWish] | None:
        """A trial as it is now, to be made off the window's thread. None where it cannot be, which is told."""
        lines = self._studio.attempt(lambda: self.lines(trial))
        if lines is None:
            return None
        engine = self._studio.engine
        source = next((s for s in self._studio.project.sources if s.id == trial.own), None)

        def make(check: Watch) -> TrialWish:
            used = {id: lines[id] for id in trial.plates if id in lines}
            tips = engine.tips(used, check, bodies=trial.bodies)
            return TrialWish(trial, tips, look, own_of(trial, source, engine.sources, check))

        return make

    def ask(
        self, view: int, trial: Trial, look: Look, live: Gesture | None, points: int | None, plate: str, chosen: str
    ) -> None:
        """Draw a trial, with a gesture that the hand is still making; ``plate`` is the one in the hand,
        ``chosen`` the uid of the gesture that is changed."""
        pressed = trial if live is None else trial.model_copy(update={"gestures": (*trial.gestures, live)})
        make = self.wish(pressed, look)
        if make is None:
            return
        drawing, drafts = self._views[view], self._drafts

        looked = live or next((g for g in trial.gestures if g.uid == chosen), None)
        cache = self._studio.sources.cache

        def work(check: Watch) -> tuple[Seen, Density, OwnMesh | None, CurveSeen | None]:
            made = make(check)
            wish = replace(made, trial=trial, live=live, points=points)
            if look.rough and not view:  # a curve is in the hand: few points, so that it follows
                seen = drafts.draw(replace(wish, points=min(trial.points, _ROUGH_POINTS)), check)
                curve = None if looked is None else _curve_seen(looked, wish, cache, check)
                return seen, self.density, wish.own, curve
            if not view and drawing.missing(wish) > _MANY:
                few = replace(wish, points=_DRAFT_POINTS, look=replace(look, moving=True))
                self.drafted.emit(view, drafts.draw(few, check))
            seen, tip = drawing.draw(wish, check), wish.tips.get(plate)
            curve = None
            if not view and looked is not None and looked.declared.curve:
                curve = _curve_seen(looked, wish, cache, check)
            density = Density(drawing.edge, tip.tall.shape[0] if isinstance(tip, Tip) else 0)
            return seen, density, wish.own, curve

        def done(answer: tuple[Seen, Density, OwnMesh | None, CurveSeen | None]) -> None:
            self.own = answer[2]
            if not view:
                self.density, self.curve = answer[1], answer[3]
            self.seen[view] = answer[0]
            self.drawn.emit(view, answer[0])

        def wrong(error: EngraverError) -> None:
            self.failed.emit(error.sentence())

        self._pictures.lane(f"trial-{view}").submit(work, done, wrong)


def _curve_seen(gesture: Gesture, wish: TrialWish, cache: Cache, check: Watch) -> CurveSeen:
    geometry = wish.trial.declared.geometry
    try:
        way = way_of(gesture, geometry, wish.own, cache).way
    except BadValue as error:
        return CurveSeen(gesture, None, (Note(error.sentence(), np.zeros((0, 3))),))
    found = on_curve(gesture, geometry, wish.own, wish.tips, cache, check)
    return CurveSeen(gesture, way, found.notes, found.words)
