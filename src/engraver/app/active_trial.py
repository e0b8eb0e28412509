"""The active trial: the trial on the proof desk, the gesture in the hand, and the pictures of both."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from engraver.core.pressing.gesture import GESTURES, Gesture, GestureKind
from engraver.core.pressing.settings import StrokeSettings, checked, neutral, start_for
from engraver.core.proof.look import Look
from engraver.core.recipe import Trial, new_id, trials
from engraver.core.sources.trial import TrialFrame
from engraver.core.surfaces import SURFACES
from engraver.core.surfaces.own import OwnMesh
from engraver.core.surfaces.view import Eye, Lamp

from . import proof_state
from .active_curve import ActiveCurve, bodily
from .live_gesture import LiveGesture
from .pictures import Pictures
from .proof_state import ProofState
from .studio import Studio
from .trial_drawing import Density, TrialDrawing

SETTLE_MS = 140
# What a picture has of its pixels while a curve is moved.
IN_A_HURRY = 0.6
_FIRST = Trial(id="")


class ActiveTrial(QObject):
    """Holds what the hand is doing and asks for pictures; what was done lies in the project."""

    changed = Signal()

    def __init__(self, studio: Studio, pictures: Pictures, kept: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.studio, self.pictures, self._kept = studio, pictures, kept
        self.state: ProofState = proof_state.read(kept)
        self.chosen = ""
        self._live: LiveGesture | None = None
        self.curve = ActiveCurve(self)
        self._framing: TrialFrame | None = None
        self.sizes: dict[int, tuple[int, int]] = {}
        self._draft = _FIRST
        self._settings: dict[str, StrokeSettings] = {}
        self.drawing = TrialDrawing(studio, pictures, self)
        self._turning = False
        self.shown = self.pictures.aside = False
        self.pictures.refresh()
        self._rest = pictures.rest_timer(SETTLE_MS, self._settled)
        studio.project_changed.connect(self._project_changed)
        studio.selection_changed.connect(self._plate_changed)

    # -- what there is ---------------------------------------------------------------

    @property
    def trial(self) -> Trial:
        """The trial on the desk; one without gestures, not yet in the project, where there is none."""
        known = {t.id: t for t in self.studio.project.trials}
        if self.studio.trial_id in known:
            return known[self.studio.trial_id]
        if known and self.studio.trial_id:
            return next(iter(known.values()))
        return self._draft

    @property
    def kind(self) -> GestureKind:
        """What the hand does next."""
        return GESTURES[self.state.tool]

    @property
    def gesture(self) -> Gesture | None:
        """The gesture that is chosen, to be changed."""
        return next((g for g in self.trial.gestures if g.uid == self.chosen), None)

    @property
    def settings(self) -> StrokeSettings:
        """Those of the chosen gesture; else those of the next one."""
        if self.gesture is not None:
            return self.gesture.settings
        return self.state.settings_for(self.kind)

    @property
    def live(self) -> Gesture | None:
        """What the hand is making, as far as it has come."""
        return self._live.made if self._live is not None else self.curve.live

    @property
    def framing(self) -> TrialFrame | None:
        """The square that is being set by hand to become a plate, while its trial lies on the desk."""
        found, trial = self._framing, self.trial
        if found is None or found.trial != trial.id or (found.seen == "plane") != trial.declared.geometry.plane:
            return None
        return found

    @property
    def eye(self) -> Eye:
        return self.state.eye(self.trial.surface)

    @property
    def lamp(self) -> Lamp:
        return self.state.lamp(self.trial.surface)

    # -- the hand's own --------------------------------------------------------------

    def set(self, **changes: Any) -> None:
        """Change what the hand does next, or what is looked at."""
        before, state = self.state, replace(self.state, **changes)
        if state != before:
            self._become(state)
            if state.seen != before.seen:
                self.refresh()

    def _become(self, state: ProofState) -> None:
        self.state = state
        self.changed.emit()

    def use(self, tool: str) -> None:
        """Take up a tool; wiping is done at once."""
        if not GESTURES[tool].points:
            self.wipe()
            return
        if self.gesture is None or self.gesture.kind != tool or not GESTURES[tool].curve:
            self.choose("")
        self.set(tool=tool)

    def set_settings(self, label: str = "Change stroke settings", *, merge: str = "", **changes: Any) -> None:
        """Change the settings of the chosen gesture, or of the next one. Raises BadValue."""
        gesture = self.gesture
        if gesture is not None:
            made = checked(gesture.settings, **changes)
            self.edit_trial(
                lambda p, id: trials.set_settings(p, id, gesture.uid, made), label, merge and f"{merge} {id(self)}"
            )
        elif self.kind.plate:
            made = checked(self.state.settings, **changes)
            if self.studio.plate_id:
                self._settings[self.studio.plate_id] = made
            self.set(settings=made, put_aside=None)
        else:
            self.set(
                tool_size=changes.get("size", self.state.tool_size),
                tool_flow=changes.get("flow", self.state.tool_flow),
            )

    def neutral(self) -> None:
        """Turn everything off that varies marks, so that the plate alone is seen; or bring it back."""
        state = self.state
        if state.put_aside is not None:
            kept = state.put_aside
            self.set(settings=kept.but(size=state.settings.size, strength=state.settings.strength), put_aside=None)
        else:
            self.set(settings=neutral(state.settings), put_aside=state.settings)

    def _plate_changed(self) -> None:
        """Another plate is in the hand: its settings as they were left, or a sensible beginning."""
        plate = self.studio.plate
        if plate is None:
            return
        known, brush = self._settings.get(plate.id), self.state.brush
        same = any(b.id == brush and b.plate.id == plate.id for b in self.studio.project.brushes)
        if known is None and same:  # as it was left, also after a restart
            known = self._settings[plate.id] = self.state.settings
        if known is None:
            known = start_for(plate.read_as, self.state.settings.size)
            if bodily(self.studio.project, plate):
                known = known.but(made="body")
            known = known.but(strength=min(0.5, round(max(0.002, self.pictures.strength), 4)))
            self._settings[plate.id] = known
        self.set(settings=known, put_aside=None, brush=brush if same else "")
        self.refresh()

    def take_settings(self, settings: StrokeSettings, brush: str) -> None:
        """Settings of the next gesture with the plate in the hand, as a brush has them."""
        if self.studio.plate_id:
            self._settings[self.studio.plate_id] = settings
        tool = self.state.tool if GESTURES[self.state.tool].plate else "stroke"
        self.set(settings=settings, put_aside=None, brush=brush, tool=tool)

    # -- edits -------------------------------------------------------------------------

    def edit_trial(self, change: Callable[[Any, str], Any], label: str, merge: str = "") -> bool:
        """Change the trial in the project; it comes into the project with its first change. Whether it was done."""
        studio = self.studio

        def act() -> bool:
            project, id = studio.project, self.trial.id
            if not id:
                draft = self._draft
                project, id = trials.add_trial(
                    project, draft.surface, points=draft.points, own=draft.own, rounded=draft.rounded
                )
            project = change(project, id)
            self.studio.trial_id = id
            studio.edit(project, label, merge)
            return True

        return bool(studio.attempt(act))

    def set_trial(self, label: str, **changes: Any) -> None:
        """Another surface or density."""
        if self.trial.id:
            self.edit_trial(lambda p, id: trials.change(p, id, **changes), label)
        else:
            self._draft = self._draft.model_copy(update=changes)
            self.changed.emit()
            self.refresh()

    def set_surface(self, id: str) -> None:
        self.set_trial(f"Try on {SURFACES[id].name.lower()}", surface=id)

    def new_trial(self) -> None:
        """An empty trial of the same surface, beside those that are there."""
        old, studio = self.trial, self.studio

        def act() -> None:
            project, id = trials.add_trial(
                studio.project, old.surface, points=old.points, own=old.own, rounded=old.rounded
            )
            studio.trial_id, self.chosen = id, ""
            studio.edit(project, "New trial")

        studio.attempt(act)

    def show_trial(self, id: str) -> None:
        """Bring another trial onto the desk."""
        self.studio.trial_id, self.chosen = id, ""
        self.changed.emit()
        self.refresh()

    def wipe(self) -> None:
        """Take everything off, as one gesture that is undone as one."""
        if self.trial.gestures:
            gesture = Gesture(uid=new_id("g"), kind="wipe")
            self.chosen = ""
            self.edit_trial(lambda p, id: trials.add_gesture(p, id, gesture), "Wipe the trial")

    def choose(self, uid: str) -> None:
        """Choose a gesture to be changed; "" for none."""
        if uid != self.chosen:
            self.chosen = uid
            self.curve.chosen()
            self.refresh()
            self.changed.emit()

    def remove(self, uid: str) -> None:
        """Take a gesture out."""
        gesture = next((g for g in self.trial.gestures if g.uid == uid), None)
        if gesture is not None:
            self.chosen = ""
            self.edit_trial(
                lambda p, id: trials.remove_gesture(p, id, uid), f"Remove {gesture.declared.name.lower()}"
            )

    def move(self, uid: str, place: int) -> None:
        """Put a gesture at another place of the order."""
        self.edit_trial(lambda p, id: trials.move_gesture(p, id, uid, place), "Move a gesture")

    def set_gesture(self, label: str, **changes: Any) -> None:
        """Change the chosen gesture."""
        gesture = self.gesture
        if gesture is not None:
            self.edit_trial(lambda p, id: trials.set_gesture(p, id, gesture.uid, **changes), label)

    # -- gestures ----------------------------------------------------------------------

    def begin(self, place: NDArray[np.float64], pressure: float, lean: float, time: float, tool: str = "") -> None:
        """The hand sets down on the surface at a scene place (3,)."""
        kind, state, plate = GESTURES[tool or self.state.tool], self.state, self.studio.plate
        if kind.plate and plate is None:
            self.studio.told.emit("There is no plate to press: open or begin one first.", "look")
            return
        self.choose("")
        on = self.trial.declared.geometry.onto(place[None], self.own)[0][0]
        held = plate.id if kind.plate and plate is not None else ""
        self._live = LiveGesture(kind, state, held, on, pressure, lean, time)
        self.refresh()

    def go_on(self, place: NDArray[np.float64], pressure: float, lean: float, time: float) -> None:
        """The hand moves to another scene place."""
        if self._live is not None:
            on = self.trial.declared.geometry.onto(place[None], self.own)[0][0]
            self._live.add(on, pressure, lean, time)
            self.refresh()

    def end(self) -> None:
        """The hand lifts off: the gesture is in the project."""
        live, self._live = self.live, None
        if live is not None:
            self.edit_trial(
                lambda p, id: trials.add_gesture(p, id, live),
                f"{live.declared.name} on {self.trial.declared.name.lower()}",
            )

    def give_up(self) -> None:
        """The gesture in the hand is not made."""
        self.curve.give_up()
        if self._live is not None:
            self._live = None
            self.refresh()

    def frame(self, reading: TrialFrame | None) -> None:
        """Set the square that becomes a plate; None leaves it."""
        if reading != self._framing:
            self._framing = reading
            self.changed.emit()

    # -- pictures ----------------------------------------------------------------------

    def look(self, eye: Eye) -> None:
        """Look from elsewhere: coarse while that goes on."""
        self._turning = True
        self._become(self.state.with_eye(self.trial.surface, eye))
        self.refresh()
        self._rest.start()

    def shine(self, lamp: Lamp) -> None:
        self._become(self.state.with_lamp(self.trial.surface, lamp))
        self.refresh()

    def _settled(self) -> None:
        self._turning = False
        self.refresh()

    def resized(self, view: int, size: tuple[int, int]) -> None:
        """A view has another size, in pixels of the screen."""
        self.sizes[view] = size
        self.refresh()

    def _project_changed(self) -> None:
        if self.gesture is None:
            self.chosen = ""
        self.curve.followed()
        self.changed.emit()
        self.refresh()

    def come(self) -> None:
        """The desk is in front: what it shows is drawn."""
        self.shown = self.pictures.aside = True
        if self.studio.plate is not None and self.studio.plate.id not in self._settings:
            self._plate_changed()
        self.refresh()

    def go(self) -> None:
        """Another desk is in front."""
        self.shown = False
        self.give_up()
        self.frame(None)

    def refresh(self) -> None:
        """Draw again what has changed."""
        if not self.shown or not self.pictures.kernels_ready:
            return
        for view in (0, 1) if self.state.second else (0,):
            if view in self.sizes:
                self._ask(view)

    def look_at(self, view: int = 0) -> Look:
        """How a view looks at the trial now."""
        width, height = self.sizes.get(view, (1024, 1024))
        if self.curve.moving:
            width, height = round(width * IN_A_HURRY), round(height * IN_A_HURRY)
        return Look(
            (width, height), self.eye, self.lamp, moving=self._turning, rough=self.curve.moving,
            surround=self.pictures.surround, paper=self.state.paper, lines=self.state.lines,
        )  # fmt: skip

    def _ask(self, view: int) -> None:
        points = self.state.second if view else None
        trial, live = self.curve.in_place(self.trial, self.live)
        self.drawing.ask(view, trial, self.look_at(view), live, points, self.studio.plate_id or "", self.chosen)

    @property
    def density(self) -> Density:
        """What the picture says of its density."""
        return self.drawing.density

    @property
    def own(self) -> OwnMesh | None:
        """The mesh that the surface is made from, once it was drawn."""
        return self.drawing.own

    def keep(self) -> tuple[Path, bytes]:
        """Where and as what the desk's state is kept."""
        return self._kept, proof_state.to_json(self.state)
