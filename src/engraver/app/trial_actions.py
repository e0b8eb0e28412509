"""What is done with a trial as a whole: another mesh or density, taken back as a plate, written as a file."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QInputDialog, QMenu

from engraver.core import mesh
from engraver.core.cords.write import MESHES
from engraver.core.errors import Watch
from engraver.core.files.names import file_stem
from engraver.core.files.read import read_bytes
from engraver.core.proof.trial_files import save_mesh, save_picture
from engraver.core.raster import Zero
from engraver.core.recipe import Project, Source, edits, new_id, trials
from engraver.core.sources.mesh import shape_of
from engraver.core.sources.trial import PARTS, Part, TrialFrame, framed, made_for, parts_of

from .host import Host
from .question import sure

# From so many points on it is asked first.
ASK_ABOVE = 2_000_000
# The widest square that a hand begins with, as a share of the surface's width.
_FIRST_SQUARE = 0.8
# Bytes that a point takes while it is pressed and drawn.
_BYTES = 260


class TrialActions:
    """Asks where something has to be asked, and does it."""

    def __init__(self, host: Host) -> None:
        self._host = host

    # -- the surface ---------------------------------------------------------------

    def set_points(self, points: int) -> None:
        """Another density; very many points are asked for first."""
        host = self._host
        if points > ASK_ABOVE:
            need, free = points * _BYTES / 1e9, _free_memory() / 1e9
            words = f"{points / 1e6:.0f} M points take about {need:.1f} GB of memory; {free:.1f} GB are free."
            if not sure(host.widget, "Very dense", words, "Use so many"):
                return
        host.trials.set_trial(f"{points:,} points", points=points)

    def choose_mesh(self) -> None:
        """A mesh of the artist's becomes the surface."""
        kinds = " ".join(f"*{e}" for e in mesh.EXTENSIONS)
        path = self._host.ui.files.open(
            self._host.widget, "Try on a mesh of your own", "source", f"Meshes ({kinds});;All files (*)"
        )
        if path is not None:
            self.take_mesh(path)

    def take_mesh(self, path: Path) -> None:
        """Read a mesh off the window's thread, and try on it."""
        host = self._host

        def work(check: Watch) -> Source:
            sources = host.studio.sources
            source = sources.add(read_bytes(path), path.name, check=check)
            shape_of(source, sources, check)  # what is no mesh says so here
            return source

        def done(source: Source) -> None:
            active = host.trials

            def change(project: Project, id: str) -> Project:
                known = project.model_copy(update={"sources": (*project.sources, source)})
                return trials.change(known, id, surface="own", own=source.id)

            active.edit_trial(change, f"Try on {path.name}")

        host.pictures.ask(f"Reading {path.name}…", work, done)

    # -- names ---------------------------------------------------------------------

    def rename(self) -> None:
        trial = self._host.trials.trial
        name, good = QInputDialog.getText(self._host.widget, "Rename the trial", "Name:", text=trial.name)
        if good and trial.id:
            self._host.trials.set_trial("Rename a trial", name=name)

    def remove(self) -> None:
        """Take the trial on the desk out of the project."""
        studio, trial = self._host.studio, self._host.trials.trial
        studio.attempt(lambda: studio.edit(trials.remove_trial(studio.project, trial.id), f"Remove {trial.name}"))

    # -- taken back ----------------------------------------------------------------

    def plate_menu(self) -> QMenu:
        """Which part of the trial can become a plate."""
        menu = QMenu(self._host.widget)
        for part in parts_of(self._host.trials.trial, self._host.trials.chosen):
            menu.addAction(PARTS[part], partial(self._make_part, part))
        menu.addSeparator()
        menu.addAction("A square set by hand", self.set_square)
        return menu

    def _make_part(self, part: Part) -> None:
        host, active, zero = self._host, self._host.trials, self._zero()
        wish, eye, chosen = active.drawing.wish(active.trial, active.look_at()), active.eye, active.chosen
        if wish is None:
            return

        def work(check: Watch) -> TrialFrame:
            made = wish(check)
            return framed(made.trial, part, zero, eye, made.own, chosen, made.tips)

        host.pictures.ask("Making the plate…", work, self.make_plate)

    def ask_make_plate(self) -> None:
        """Ask which part of the trial becomes a plate; the square that is set by hand, where one is."""
        framing = self._host.trials.framing
        if framing is not None:
            self.make_plate(framing)
        else:
            self.plate_menu().exec(QCursor.pos())

    def set_square(self) -> None:
        """Begin with a square whose corners can be seen, round the marks where they take less."""
        trials = self._host.trials
        parts = parts_of(trials.trial)
        reading = self.frame("filled" if "filled" in parts else parts[0])
        trials.frame(reading.but(width=min(reading.width, _FIRST_SQUARE)))

    def make_plate(self, reading: TrialFrame) -> None:
        """A new plate whose source is the trial; it is chosen, and the bench comes to the front."""
        host, trial = self._host, self._host.trials.trial
        host.trials.frame(None)
        if reading.seen == "eye":  # it may have been turned while the square was set
            eye = host.trials.eye
            reading = reading.but(tilt=eye.tilt, turn=eye.turn)

        def act() -> None:
            source = Source(id=new_id("src"), kind="trial", name=trial.name)
            name = f"{trial.name}, {'strip' if reading.seen == 'along' else 'pressed'}"
            project, id = edits.add_plate(host.studio.project, source, name, (), reading=reading, read_as="trial")
            project = edits.set_ready_for(project, id, made_for(reading))
            host.studio.edit(project, f"Make a plate of {trial.name}")
            host.studio.choose_plate(id)
            host.go_to("bench")

        host.studio.attempt(act)

    def frame(self, part: Part) -> TrialFrame:
        """Step zero of a plate made of what is seen of the trial: of all of it, the marks, or the eye's picture."""
        active = self._host.trials
        return framed(active.trial, part, self._zero(), active.eye, active.own)

    def _zero(self) -> Zero:
        """The tone that leaves a surface untouched: mid-grey where marks cut."""
        studio, trial = self._host.studio, self._host.trials.trial
        acting = [g for g in trial.gestures if g.on and g.declared.plate]
        if any(g.settings.acts == "cut" for g in acting):
            return "mid"
        there = {p.id for p in studio.project.plates}
        lines = studio.attempt(lambda: self._host.trials.drawing.lines(trial)) or {}
        pressed = (lines[g.plate].facts[-1] for g in acting if g.plate in lines and g.plate in there)
        return "mid" if any(facts.zero == "mid" for facts in pressed) else "black"

    # -- files ---------------------------------------------------------------------

    def ask_save(self) -> None:
        """Write the trial as a mesh, or as a picture with clear ground."""
        trial = self._host.trials.trial
        kinds = {e: f"{e[1:].upper()} mesh (*{e})" for e in MESHES} | {".png": "Picture with clear ground (*.png)"}
        path = self._asked("Save the trial", file_stem(trial.name), kinds)
        if path is not None:
            self.save(path)

    def ask_save_cords(self) -> None:
        """Write the bodies along curves as a mesh, without the surface."""
        trial = self._host.trials.trial
        kinds = {e: f"{e[1:].upper()} mesh (*{e})" for e in reversed(MESHES)}
        path = self._asked("Save the cords", f"{file_stem(trial.name)}-cord", kinds)
        if path is not None:
            self.save(path, only_cords=True)

    def _asked(self, title: str, name: str, kinds: dict[str, str]) -> Path | None:
        """Where to write, with one of the endings of ``kinds``: the chosen one where none is typed."""
        files = self._host.ui.files
        path, chosen = files.save(self._host.widget, title, "trial", name, ";;".join(kinds.values()))
        if path is None or path.suffix.lower() in kinds:
            return path
        return path.with_name(path.name + next(e for e, words in kinds.items() if words == chosen or not chosen))

    def save(self, path: Path, *, only_cords: bool = False) -> None:
        """Write it off the window's thread; what happened is told."""
        host = self._host
        wish = host.trials.drawing.wish(host.trials.trial, host.trials.look_at())
        engine = host.studio.engine
        if wish is None:
            return

        def work(check: Watch) -> None:
            made = wish(check)
            if path.suffix.lower() == ".png":
                save_picture(path, made, engine.sources.cache, check)
            else:
                save_mesh(path, made, engine.sources.cache, check, only_cords=only_cords)

        host.pictures.ask(
            f"Writing {path.name}…", work, lambda _: host.studio.told.emit(f"Written: {path.name}", "good")
        )


def _free_memory() -> float:
    """Bytes that can still be had (Linux)."""
    try:
        with open("/proc/meminfo", encoding="ascii") as told:
            return next(float(line.split()[1]) * 1024 for line in told if line.startswith("MemAvailable"))
    except (OSError, StopIteration, ValueError, IndexError):
        return 0.0
