"""Pictures of the trial on the proof desk, made off the window's thread."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, Signal

from engraver.core.engine import Line, resolve
from engraver.core.errors import EngraverError, Watch
from engraver.core.pressing.expand import SCENE
from engraver.core.pressing.gesture import Gesture
from engraver.core.pressing.relief import Tip
from engraver.core.proof.trial_picture import Look, Seen
from engraver.core.proof.trial_view import TrialView, TrialWish, lacking
from engraver.core.recipe import Trial
from engraver.core.sources.trial import own_of
from engraver.core.surfaces.own import OwnMesh

from .pictures import Pictures
from .studio import Studio

# More gestures than this to be pressed anew are first shown on fewer points.
_MANY, _DRAFT_POINTS = 8, 90_000


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
            return TrialWish(trial, engine.tips(used, check), look, own_of(trial, source, engine.sources, check))

        return make

    def ask(self, view: int, trial: Trial, look: Look, live: Gesture | None, points: int | None, plate: str) -> None:
        """Draw a trial, with a gesture that the hand is still making; ``plate`` is the one in the hand."""
        pressed = trial if live is None else trial.model_copy(update={"gestures": (*trial.gestures, live)})
        make = self.wish(pressed, look)
        if make is None:
            return
        drawing, drafts = self._views[view], self._drafts

        def work(check: Watch) -> tuple[Seen, Density, OwnMesh | None]:
            made = make(check)
            wish = replace(made, trial=trial, live=live, points=points)
            if not view and drawing.missing(wish) > _MANY:
                few = replace(wish, points=_DRAFT_POINTS, look=replace(look, moving=True))
                self.drafted.emit(view, drafts.draw(few, check))
            seen, tip = drawing.draw(wish, check), wish.tips.get(plate)
            return seen, Density(drawing.edge, tip.tall.shape[0] if isinstance(tip, Tip) else 0), wish.own

        def done(answer: tuple[Seen, Density, OwnMesh | None]) -> None:
            self.own = answer[2]
            if not view:
                self.density = answer[1]
            self.seen[view] = answer[0]
            self.drawn.emit(view, answer[0])

        def wrong(error: EngraverError) -> None:
            self.failed.emit(error.sentence())

        self._pictures.lane(f"trial-{view}").submit(work, done, wrong)
