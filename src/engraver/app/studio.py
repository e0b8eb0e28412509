"""The studio: the one object that holds project, history and selection, and emits changes."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import reduce
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from engraver.core.engine import Engine, Line, SourceStore, new_step
from engraver.core.errors import EngraverError
from engraver.core.readiness import Destination, Gauge, destination, shipped
from engraver.core.readiness.fixes import apply_fix
from engraver.core.readiness.trying import Pressed
from engraver.core.recipe import History, Plate, Project, Source, Step, Trial, edits, new_id
from engraver.core.recipe.changed import changed_at
from engraver.core.recipe.placing import place_for, places
from engraver.core.recipe.references import tried_in
from engraver.core.sources import First, SourceKind, source_kind
from engraver.core.sources.blank import BLANK, Blank
from engraver.core.sources.intake import Prepared, started, started_again
from engraver.core.steps import kind_of
from engraver.core.surfaces import Paper, fitting

from .left_off import BEGINNING, Left
from .lookups import Lookups
from .proof_settings import ProofSettings


class Studio(QObject):
    """State flows one way: a gesture calls a method here, the method makes a new project, views follow."""

    project_changed = Signal()
    selection_changed = Signal()
    proof_changed = Signal()
    file_changed = Signal()
    destinations_changed = Signal()
    told = Signal(str, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.sources = SourceStore()
        self.engine = Engine(self.sources)
        self.history = History.start(Project())
        self.saved: Project | None = self.history.project
        self.path: Path | None = None
        self.plate_id: str | None = None
        self.step_uid: str = ""
        self.trial_id, self.desk = "", "bench"  # of the trial on the proof desk; in front
        self.finished = self.peeking = self.revealing = self.tracing = False
        self.destinations: Mapping[str, Destination] = shipped()
        self.usual: Destination = destination("sculpt-stamp")
        self.proof = ProofSettings()
        # Counts the projects that were opened: what was asked of an earlier one is not told of this.
        self.opening = 0
        self._lookups = Lookups()
        self._coarse = False

    # -- reading -------------------------------------------------------------------

    @property
    def project(self) -> Project:
        return self.history.project

    @property
    def plate(self) -> Plate | None:
        return self._lookups.chosen(self.project, self.plate_id)[0]

    @property
    def steps(self) -> tuple[Step, ...]:
        return self._lookups.chosen(self.project, self.plate_id)[1]

    @property
    def step(self) -> Step | None:
        return next((s for s in self.steps if s.uid == self.step_uid), None)

    @property
    def dirty(self) -> bool:
        """Whether something is not yet in the project file."""
        return self.project != self.saved

    def line(self) -> Line | None:
        """The chosen plate, resolved; kept until the project changes. Raises EngraverError."""
        plate = self.plate
        if plate is None:
            return None
        return self._lookups.line(self.project, plate.id, self.sources, coarse=self._coarse)

    def source(self, plate: Plate) -> tuple[Source, SourceKind]:
        """A plate's source and its kind."""
        found = self.project.source(plate.source)
        return found, source_kind(found.kind)

    # -- editing -------------------------------------------------------------------

    def edit(self, project: Project, label: str, merge: str = "") -> None:
        """Put a changed project in place; nothing happens when it is the same."""
        if project == self.project:
            return
        self.history = self.history.push(project, label, merge)
        self._selection_stays()
        self.project_changed.emit()

    def attempt(self, action: Callable[[], Any]) -> Any:
        """Do something that may fail with a sentence for the artist; it is told, the work stands."""
        try:
            return action()
        except EngraverError as error:
            self.told.emit(error.sentence(), "fault")
            return None

    def set_params(self, uid: str, label: str = "", merge: str = "", **changes: Any) -> None:
        """Change parameters of a step of the chosen plate. Raises BadValue for ones out of range."""
        if self.plate is None:
            return
        project = edits.set_params(self.project, self.plate.id, uid, **changes)
        self.edit(project, label or "Change settings", merge)

    def seal(self) -> None:
        """A drag has ended: the next change is an entry of its own."""
        self.history = self.history.seal()

    def toggle_step(self, uid: str) -> None:
        step = next((s for s in self.steps if s.uid == uid), None)
        if step is not None and self.plate is not None:
            word = "off" if step.on else "on"
            self.edit(edits.set_on(self.project, self.plate.id, uid, not step.on), f"Switch {step.title} {word}")

    def add_step(self, kind: str, **values: Any) -> None:
        """Add a step after the chosen one where that keeps to the order of work, else in its usual place.

        Raises as :meth:`add_step_at`.
        """
        if self.plate is not None:
            self.add_step_at(kind, places(self.project, self.plate.id, kind_of(kind), self.step_uid).first, **values)

    def add_step_at(self, kind: str, place: int, **values: Any) -> None:
        """Add a step at a place of the line, and choose it. Raises EngraverError for bad values or a broken line."""
        if self.plate is not None and (line := self.line()) is not None:
            step = new_step(kind, line, self.steps[:place], **values)
            self.edit(edits.insert_step(self.project, self.plate.id, step, place), f"Add {step.title}")
            self.choose_step(step.uid)

    def turn_over(self) -> None:
        """What stood up lies low, and the other way round: an Invert is added, or the one that is there goes."""
        there = next((s for s in reversed(self.steps) if s.kind == "invert" and s.on), None)
        if there is None:
            self.add_step("invert")
        else:
            self.remove_step(there.uid)

    def remove_step(self, uid: str) -> None:
        uids = [s.uid for s in self.steps]
        if self.plate is None or uid not in uids:
            return
        place = uids.index(uid)
        near = uids[place - 1] if place else (uids[1] if len(uids) > 1 else "")
        title = self.steps[place].title
        if self.step_uid == uid:
            self.step_uid = near
        self.edit(edits.remove_step(self.project, self.plate.id, uid), f"Remove {title}")

    def move_step(self, uid: str, place: int) -> None:
        if self.plate is not None:
            self.edit(edits.move_step(self.project, self.plate.id, uid, place), "Move a step")

    def flip_polarity(self) -> None:
        if self.plate is not None:
            self.edit(edits.flip_polarity(self.project, self.plate.id), "Turn the polarity round")
            to, now = self.destination, self.plate.raises
            words = (
                f"Now {now} {to.verb} in the window. No delivered file changes: for {to.name} {to.raises} {to.verb}."
            )
            self.told.emit(words, "good")

    def read_as(self, firsts: Mapping[str, First]) -> None:
        """Start the lines of plates, by their ids, again for sources that are read as something else."""
        project = reduce(lambda made, one: started_again(made, *one), firsts.items(), self.project)
        if self.plate_id in firsts:
            self.step_uid = ""
        self.edit(project, "Read the source as something else")
        self._try_fittingly()

    def coarse_mesh(self, on: bool) -> bool:
        """While the hand turns a mesh its plate is shown from few triangles; returns whether that changed."""
        plate = self.plate
        wanted = on and plate is not None and self.source(plate)[1].editor == "capture"
        changed, self._coarse = wanted != self._coarse, wanted
        return changed

    @property
    def hurrying(self) -> bool:
        """Whether plates are shown from few triangles now."""
        return self._coarse

    def set_reading(self, label: str = "Change the reading", merge: str = "reading", **changes: Any) -> None:
        """Change step zero of the chosen plate. Raises BadValue for values out of range."""
        if self.plate is not None:
            self.edit(edits.set_reading(self.project, self.plate.id, **changes), label, merge)

    def fix(self, gauge: Gauge) -> None:
        """Let a gauge put things right, and choose the step that does it."""
        if self.plate is None or not gauge.fix:
            return
        project, uid = apply_fix(self.project, self.plate.id, gauge, self.destination)
        self.edit(project, f"Fix {gauge.name.lower()}")
        self.choose_step(uid)

    def raise_only(self) -> None:
        """The plate's zero becomes black: what raises stays, what cuts is left out."""
        if self.plate is None:
            return
        step, id = Step.make("zero", zero="black"), self.plate.id
        project = edits.insert_step(self.project, id, step, place_for(self.project, id, step.declared))
        self.edit(project, "Keep only what raises")

    def fixed(self, before: Project, after: Project, done: Sequence[Pressed]) -> None:
        """Take over what *Fix all* did, as one entry that is undone as one; unless something changed meanwhile."""
        if self.project is not before:
            self.told.emit("The plate was changed meanwhile: press Fix all again.", "look")
            return
        if not done:
            self.told.emit("No fix helps any more.", "look")
            return
        self.edit(after, "Fix all")
        self.choose_step(done[-1].uid)
        self.told.emit("Done: " + " · ".join(p.label.lower() for p in done), "good")

    def undo(self) -> None:
        self._travel(self.history.undo())

    def redo(self) -> None:
        self._travel(self.history.redo())

    def _travel(self, history: History) -> None:
        """Go to an older or a newer project, and show where it is another: what is chosen follows."""
        before, back = self.project, history.place < self.history.place
        if history.place == self.history.place:
            return
        self.history = history
        plate, step = changed_at(before, self.project, self.plate_id)
        moved = plate is not None and plate != self.plate_id
        if plate is not None:
            self.plate_id, self.step_uid = plate, self.step_uid if step is None else step
        self._selection_stays()
        self.project_changed.emit()
        if moved and self.plate is not None:
            self.selection_changed.emit()
            said = history.redo_label if back else history.undo_label
            self.told.emit(f"{'Taken back' if back else 'Done again'} on {self.plate.name}: {said}", "")

    def _selection_stays(self) -> None:
        if self.plate is None:
            self.plate_id = self.project.plates[-1].id if self.project.plates else None
            self.step_uid = ""
        if self.step is None and self.step_uid != "":
            self.step_uid = ""

    # -- choosing ------------------------------------------------------------------

    def choose_plate(self, plate_id: str) -> None:
        if plate_id != self.plate_id:
            kind = self.step.kind if self.step else ""
            self.plate_id, self._coarse = plate_id, False
            # The same kind of step stays chosen, so that plates can be compared step by step.
            self.step_uid = next((s.uid for s in self.steps if s.kind == kind), "")
            self._try_fittingly()
            self.selection_changed.emit()

    def choose_step(self, uid: str) -> None:
        """Choose a step; "" is the source."""
        if uid != self.step_uid or self.finished:
            self.step_uid, self.finished = uid, False
            self.selection_changed.emit()

    def show_finished(self, on: bool) -> None:
        if on != self.finished:
            self.finished = on
            self.selection_changed.emit()

    def peek(self, on: bool) -> None:
        """Show the plate before the chosen step while a key is held."""
        if on != self.peeking:
            self.peeking = on
            self.selection_changed.emit()

    def trace(self, on: bool) -> None:
        """Whether the source shines through faintly while the hand works."""
        if on != self.tracing:
            self.tracing = on
            self.selection_changed.emit()

    def reveal(self, on: bool) -> None:
        """Show what the chosen step found in place of its result."""
        if on != self.revealing:
            self.revealing = on
            self.selection_changed.emit()

    @property
    def destination(self) -> Destination:
        """What the chosen plate is measured for."""
        return self.destination_of(self.plate)

    def destination_of(self, plate: Plate | None) -> Destination:
        """What a plate is made ready for; the usual one where it does not say."""
        return self.destinations.get(plate.ready_for if plate is not None else "", self.usual)

    def set_destination(self, id: str, plates: Sequence[str] = ()) -> None:
        """Make some plates, or the chosen one, ready for another use. Raises BadValue for an unknown one."""
        to, project = destination(id, self.destinations), self.project
        for plate in (p for p in project.plates if p.id in (plates or (self.plate_id or "",))):
            if self.destination_of(plate) != to:
                project = edits.set_ready_for(project, plate.id, id)
        if project is not self.project:
            self.edit(project, f"Ready for {to.name}")
            self._try_fittingly()
            self.proof_changed.emit()

    def _try_fittingly(self, paper: Paper | None = None) -> None:
        """Tips and masks are judged on paper, tiles on a surface that they cover, the rest in plaster."""
        to, proof = self.destination, self.proof
        surface = fitting(to.kind, proof.surface)
        repeats = {"none": 0, "strip": proof.repeats or 2, "both": proof.repeats or 3}[to.tiling]
        self.set_proof(surface=surface, repeats=repeats, paper=replace(paper or proof.paper, mask=to.kind == "mask"))

    def offer_destinations(self, offered: Mapping[str, Destination]) -> None:
        """What plates can be made ready for; the one in force is taken anew, as it may have changed."""
        self.destinations = offered
        self.destinations_changed.emit()
        self.proof_changed.emit()

    @property
    def proof_trial(self) -> Trial | None:
        """The trial that the proof shows in place of a single mark."""
        found = tried_in(self.project, self.plate_id or "") if self.proof.of_trial else ()
        return next((t for t in reversed(found) if not t.declared.geometry.needs_own), None)

    @property
    def proof_surface(self) -> str:
        """The surface that the proof shows."""
        trial = self.proof_trial
        return self.proof.surface if trial is None else trial.surface

    def set_proof(self, **changes: Any) -> None:
        changed = replace(self.proof, **changes)
        if changed != self.proof:
            self.proof = changed
            self.proof_changed.emit()

    # -- files ---------------------------------------------------------------------

    def left(self) -> Left:
        """Where the project is now, to be opened there again."""
        p = self.proof
        proof = p.surface, p.repeats, p.cut, p.strength
        return Left(self.plate_id or "", self.step_uid, *proof, self.trial_id, self.desk)

    def replace_project(self, project: Project, path: Path | None, *, saved: bool, at: Left = BEGINNING) -> None:
        """Open another project where it was left; its history starts here."""
        self.history = History.start(project)
        self.opening += 1
        self.saved = project if saved else None
        self.path = path
        at, proof = at.within(project), self.proof
        if at.surface:
            self.proof = replace(
                proof, surface=at.surface, repeats=at.repeats, cut=at.cut, strength=at.strength
            )  # fmt: skip
        self.plate_id, self.step_uid, self.finished = at.plate or None, at.step, False
        self.trial_id, self.desk = at.trial, at.desk or self.desk
        self.file_changed.emit()
        self.project_changed.emit()
        if at.step:
            self.selection_changed.emit()
        if self.proof != proof:
            self.proof_changed.emit()

    def mark_saved(self, project: Project, path: Path) -> None:
        self.saved, self.path = project, path
        self.file_changed.emit()

    def take_in(self, found: Prepared) -> None:
        """A prepared source becomes a plate and is chosen. Raises BadValue when the project is full."""
        self.begin(found.source, found.name, found.first, f"Open {found.source.name}")

    def add_blank(self, side: int = 1024, grey: float = 0.0) -> None:
        """A plate that starts from an even grey."""
        source = Source(id=new_id("src"), kind=BLANK.id, name="Blank")
        first = First(Blank(side=side, grey=grey), "plain", ())
        self.attempt(lambda: self.begin(source, "Blank", first, "New blank plate"))

    def begin(self, source: Source, name: str, first: First, label: str) -> None:
        """A new plate of a source, with its first line; it is chosen."""
        project, plate_id = started(self.project, source, name, first)
        self.plate_id, self.step_uid, self._coarse = plate_id, "", False
        self.edit(project, label)
        self._try_fittingly(Paper())  # it has nothing to do with the plate before it
