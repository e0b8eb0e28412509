"""Pictures: asks the engine for what the views show, and hands out the answers.

Three lanes: *look* follows every change at the view's own resolution, *proof* presses
and draws, *full* computes the finished plate at full size for the gauges, the automatic
values and the view at 100 %. A fourth draws the thumbnails.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from engraver.core.engine import Line, StepFailed
from engraver.core.errors import EngraverError, Watch
from engraver.core.proof.drawing import drawn as draw_proof
from engraver.core.proof.scene import BenchScene
from engraver.core.proof.strength import first_strength
from engraver.core.proof.strip import strip
from engraver.core.raster import Pixels, Wrap
from engraver.core.surfaces import Sheet, surface
from engraver.core.surfaces.view import Eye

from .editor_kinds import editor_of
from .fixing import Fixing
from .lanes import Lane, LatestLane, Task, TaskQueue
from .last_seen import LastSeen, SeenProof
from .looking import LookWish, PlateViewPicture, look_at, thumbs_of
from .measuring import MeasuredPlate, measure_full
from .parting import Parting
from .proof_of_trial import ProofOfTrial
from .state import Looks
from .studio import Studio
from .tray_pictures import TrayPictures

SETTLE_MS = 180
# Little pictures wait so long for the finished plate, of which they are then made; else they are made without it.
LITTLE_MS = 400
MOVING_POINTS = 150_000
PROOF_EVERY = 0.12
# While a mesh is turned its plate is looked at this often, and its proof half as often.
HURRIED_MS = 260
# At the start gauges, little pictures and the tray wait for the first proof, but no longer than this, in seconds.
PROOF_FIRST = 5.0


class Pictures(QObject):
    """Follows the studio; emits pictures."""

    looked = Signal(object)
    proofed = Signal(object)
    stripped = Signal(object)
    measured = Signal(object)
    quick = Signal(object)
    stale = Signal()
    thumbs = Signal(object)
    failed = Signal(str, str)

    def __init__(self, studio: Studio, looks: Looks, last_seen: Path | None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.studio, self.looks = studio, looks
        self.look_side, self.proof_size, self.strip_size = 520, (430, 400), (430, 84)
        self.surround = (134, 133, 127)
        self.parting = Parting(studio, self)
        self.want_full = self.want_marks = self.kernels_ready = self.aside = False  # aside: behind another desk
        self.look: PlateViewPicture | None = None
        self._asked: LookWish | None = None
        self.full: MeasuredPlate | None = None
        self.seen = LastSeen(last_seen, self)
        self.tray = TrayPictures(studio, self.seen, self)
        self._heights: Pixels | None = None
        self._scene = BenchScene()
        self._trial_scene = ProofOfTrial(studio.engine)
        self._strength = 0.02
        self._lanes = {
            "look": LatestLane("look", stop_old=False, parent=self),
            "proof": LatestLane("proof", stop_old=False, parent=self),
            "full": LatestLane("full", stop_old=True, parent=self),
            "rest": LatestLane("rest", stop_old=True, parent=self),
            "thumbs": LatestLane("thumbs", stop_old=True, parent=self),
        }
        self.tasks = TaskQueue("tasks", self)
        self.fixing = Fixing(self)
        self._timers: list[QTimer] = []
        self._settle = self.rest_timer(SETTLE_MS, self._settled)
        self._proof_soon = self.rest_timer(0, lambda: self.draw_proof(moving=True))
        self._look_soon = self.rest_timer(HURRIED_MS, self._look_hurried)
        self._little = self.rest_timer(LITTLE_MS, self._ask_little)
        self._first_asked: float | None = None
        self._proof_at, self._proved = 0.0, False
        studio.project_changed.connect(self.refresh)
        studio.selection_changed.connect(self.refresh)
        studio.proof_changed.connect(self._proof_settings_changed)
        self.parting.changed.connect(self.refresh)

    # -- life ----------------------------------------------------------------------

    @property
    def lanes(self) -> list[Lane]:
        return [*self._lanes.values(), self.tasks, *self.tray.lanes, *self.seen.lanes]

    def lane(self, name: str) -> LatestLane:
        """A thread of its own for pictures that are asked for elsewhere; made when it is first asked for."""
        if name not in self._lanes:
            self._lanes[name] = LatestLane(name, stop_old=False, parent=self)
        return self._lanes[name]

    def rest_timer(self, ms: int, then: Callable[[], None]) -> QTimer:
        """Runs once the hand has rested so long; while it waits the pictures count as busy."""
        timer = QTimer(self, singleShot=True, interval=ms)
        timer.timeout.connect(then)
        self._timers.append(timer)
        return timer

    @property
    def busy(self) -> bool:
        """Something is asked, running, or waits for the hand to rest."""
        return any(timer.isActive() for timer in self._timers) or not all(lane.idle for lane in self.lanes)

    def end(self) -> None:
        for timer in self._timers:
            timer.stop()
        self.seen.finish()
        for lane in self.lanes:
            lane.end()
        self._scene.forget()
        self._trial_scene.forget()
        self.fixing.end()

    @property
    def strength(self) -> float:
        """The strength in force: set, or automatic."""
        return self._strength if self.studio.proof.strength is None else self.studio.proof.strength

    # -- looking -------------------------------------------------------------------

    def refresh(self) -> None:
        """Something changed: look again at once, the rest when the hand rests."""
        try:
            line = self.studio.line()
        except EngraverError as error:
            self.failed.emit("", error.sentence())
            return
        if line is None:
            self.look = self.full = self._heights = None
            self.looked.emit(None)
            self.measured.emit(None)
            self.thumbs.emit({})
            return
        if self.full is not None and (not self.full.line.keys or self.full.line.keys[-1] != line.keys[-1]):
            self.full = None
            self._lanes["full"].drop()
            self._lanes["rest"].drop()
            self.stale.emit()
        as_it_was = self.aside and self.look is not None and self._asked == self._wish(line)
        if not self.studio.hurrying and not as_it_was:
            self._ask_look(line)
        elif not as_it_was and not self._look_soon.isActive():
            self._look_soon.start()
        self._little.stop()
        self._settle.start()

    def _look_hurried(self) -> None:
        """While a mesh turns its view goes first; the plate follows now and then."""
        line = self._line()
        if line is not None:
            self._ask_look(line)

    def shown(self) -> tuple[str | None, bool]:
        """Which place of the line the plate view shows: (uid, before it)."""
        studio = self.studio
        step = studio.step
        if studio.finished:
            return None, False
        if step is None:
            return "", False
        return step.uid, editor_of(step).over_input or studio.peeking

    def _ask_look(self, line: Line) -> None:
        engine, wish = self.studio.engine, self._wish(line)
        self._asked = wish
        if self._first_asked is None:
            self._first_asked = time.monotonic()

        def work(check: Watch) -> PlateViewPicture:
            self.seen.take_up(engine, wish)
            return look_at(engine, wish, check)

        self._lanes["look"].submit(work, self._looked, self._look_failed)

    def _ask_rest(self, line: Line) -> None:
        """The same from the full-size results, which stays while the hand rests."""
        engine, wish = self.studio.engine, replace(self._wish(line), at_rest=True)

        def done(look: PlateViewPicture) -> None:
            if self.full is not None and self._wish(self.full.line) == replace(
                wish, line=self.full.line, at_rest=False
            ):
                self.look = look
                self.looked.emit(look)

        self._lanes["rest"].submit(lambda check: look_at(engine, wish, check), done, self._look_failed)

    def _wish(self, line: Line) -> LookWish:
        (uid, before), studio = self.shown(), self.studio
        step, plate = studio.step, studio.plate
        editor = editor_of(step)
        return LookWish(
            line, uid, before, self.look_side, editor, full_size=self.want_full, marked=self.want_marks,
            reveal=bool(studio.revealing and uid and step is not None and step.declared.reveal and step.on),
            traced=studio.tracing and not before and editor.traces, raises=plate.raises if plate else "white",
            beside=self.parting.other(line, uid, before),
        )  # fmt: skip

    def _looked(self, look: PlateViewPicture) -> None:
        self.look = look
        self.failed.emit("", "")
        self.looked.emit(look)
        self._heights = look.height if self.full is None else self.full.height
        # The plate goes first: while changes follow each other closely the proof is drawn now and then.
        since = time.monotonic() - self._proof_at
        every = HURRIED_MS / 500 if self.studio.hurrying else PROOF_EVERY
        self._proof_soon.start(max(12, round(1000 * (every - since))))

    def _look_failed(self, error: EngraverError) -> None:
        uid = error.uid if isinstance(error, StepFailed) else ""
        self.failed.emit(uid or "source", error.sentence())

    def ask(
        self, words: str, work: Callable[[Watch], Any], done: Callable[[Any], None],
        failed: Callable[[EngraverError], None] | None = None,
    ) -> Task:  # fmt: skip
        """Something an editor or a command wants to know, off the window's thread; what goes wrong is told."""

        def told(error: EngraverError) -> None:
            self.studio.told.emit(error.sentence(), "look")

        return self.tasks.add(words, work, done, failed or told)

    def pause(self, ms: int) -> None:
        """How long the hand has to rest before the finer pictures are made."""
        self._settle.setInterval(ms)

    def settle(self) -> None:
        """The hand will rest soon: then the finer pictures follow."""
        self._settle.start()

    # -- settling ------------------------------------------------------------------

    def _line(self) -> Line | None:
        """The line that is shown; None also where it cannot be told, which whoever looks at it has said."""
        with suppress(EngraverError):
            return self.studio.line()
        return None

    def _settled(self) -> None:
        if not self._proved and self._first_asked is not None and time.monotonic() - self._first_asked < PROOF_FIRST:
            self._settle.start()  # at the start the first proof goes before gauges, little pictures and the tray
            return
        if self.studio.hurrying or not (self._lanes["look"].idle and self.lane("capture").idle):
            self._settle.start()  # what is looked at goes first
            return
        line = self._line()
        if line is None:
            return
        if self.full is None or self.full.line.keys[-1] != line.keys[-1]:
            self._ask_full(line)
            self._little.start()
        else:
            self.draw_proof(moving=False)
            self._rest(line)
            self._ask_little()

    def _ask_full(self, line: Line) -> None:
        engine, to = self.studio.engine, self.studio.destination

        def work(check: Watch) -> MeasuredPlate:
            return measure_full(engine, line, to, check, self.quick.emit)

        self._lanes["full"].submit(work, self._measured, self._look_failed)

    def _measured(self, full: MeasuredPlate) -> None:
        line = self.studio.line()
        if line is None or line.keys[-1] != full.line.keys[-1]:
            return
        self.full = full
        self._strength = full.strength
        self._heights = full.height
        self.measured.emit(full)
        self._rest(line)
        # The little pictures too are drawn from what is now measured.
        self._little.stop()
        self.tray.again(self.studio.plate_id or "")
        self._ask_little()
        self.draw_proof(moving=False)

    def _rest(self, line: Line) -> None:
        if self.look is not None and not self.look.full_size and not self.look.at_rest:
            self._ask_rest(line)

    def _ask_little(self) -> None:
        """The pictures of steps, then those of plates: the chosen plate's is its last step's."""
        engine, line = self.studio.engine, self._line()
        if line is None:
            return

        def done(thumbs: dict[str, NDArray[np.uint8]]) -> None:
            self.thumbs.emit(thumbs)
            self.seen.steps_rest(line.keys[-1], thumbs)
            self.tray.ask()

        self._lanes["thumbs"].submit(lambda check: thumbs_of(engine, line, check), done, lambda _: self.tray.ask())

    # -- the proof -----------------------------------------------------------------

    def _proof_settings_changed(self) -> None:
        line = self.studio.line()
        if self.full is not None and line is not None:
            self._ask_full(line)
        self.draw_proof(moving=True)
        self._settle.start()

    def turn(self, eye: Eye) -> None:
        """Look from elsewhere; settles by itself."""
        self.looks.set(eyes={**self.looks.bench.eyes, self.studio.proof_surface: eye})
        self.draw_proof(moving=True)
        self._settle.start()

    @property
    def wrap(self) -> Wrap:
        """Along which axes the shown plate is to repeat."""
        return self.studio.destination.wraps(
            self.look.finished.facts.wrap if self.look is not None else (False, False)
        )

    def draw_proof(self, *, moving: bool) -> None:
        """Press and draw; on a coarser surface while things move."""
        height, settings, look = self._heights, self.studio.proof, self.look
        if height is None or look is None:
            return
        kind, wrap, strip_size, scene = surface(settings.surface), self.wrap, self.strip_size, self._scene
        known = settings.strength
        if known is None and self.full is not None:
            known = self.full.strength
        sheet = Sheet(
            height, known or 0.0, min(settings.points, MOVING_POINTS) if moving else settings.points, self.proof_size,
            cut=settings.cut, eye=self.looks.bench.eye(kind.id), lamp=settings.lamp, repeats=settings.repeats,
            wrap=wrap if any(wrap) else (True, True), zero=look.finished.facts.zero,
            paper=settings.paper, smooth=not moving, surround=self.surround,
        )  # fmt: skip
        trial = self.studio.proof_trial
        there = replace(sheet, eye=self.looks.bench.eye(self.studio.proof_surface))
        project, plate, of_trial = self.studio.project, self.studio.plate_id or "", self._trial_scene

        def name() -> str:
            return f"{of_trial.name(there, project, trial, plate)} {settings} {strip_size}"

        last = look.line.keys[-1]
        seen = self.seen.proof(last, name) if moving or not self.kernels_ready else None
        if seen is not None:
            self._proof_came(seen)
            self.thumbs.emit(dict(seen.thumbs))
            self.tray.ask(draw=False)
            return
        if not self.kernels_ready:
            return
        self._proof_at = time.monotonic()
        at_rest = not moving and self.full is not None and self.full.line.keys[-1] == last
        shown = of_trial.drawing(project, trial, plate, there) if trial is not None else None

        def work(check: Watch) -> SeenProof:
            # Until it is measured at full size the automatic strength is estimated from what is here.
            strength = first_strength(height) if known is None else known
            drawn = shown(check) if shown else draw_proof(kind, replace(sheet, strength=strength), check, scene)
            below = np.empty((0, 0, 3), np.uint8)
            if shown is not None or kind.foot != "paper":
                below = strip(height, strength, *strip_size, settings.lamp, cut=settings.cut, wrap=wrap)
            return SeenProof(name() if at_rest else "", drawn, below, strength)

        def done(drawn: SeenProof) -> None:
            self._proof_came(drawn)
            if at_rest:
                self.seen.proof_rests(self.studio.engine, self._wish(look.line), drawn)

        self._lanes["proof"].submit(work, done, lambda error: self.failed.emit("proof", error.sentence()))

    def _proof_came(self, drawn: SeenProof) -> None:
        self._proved = True
        if self.studio.proof.strength is None:
            self._strength = drawn.strength
        self.proofed.emit(drawn.picture)
        if drawn.strip.size:
            self.stripped.emit(drawn.strip)
