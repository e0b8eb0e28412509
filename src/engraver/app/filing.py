"""Filing: opening, saving, exporting and journaling, off the window's thread."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from engraver.core.engine import SourceStore
from engraver.core.errors import EngraverError
from engraver.core.files.read import facts, read_bytes
from engraver.core.mesh.read import EXTENSIONS as MESHES
from engraver.core.project import journal, recipe_file
from engraver.core.project.project_file import EXTENSION, open_project, save
from engraver.core.recipe import Project, many

from .jobs import Lane
from .prepared import Prepared, prepare, prepare_data
from .studio import Studio

JOURNAL_MS = 1500
# A picture file over this many bytes takes a moment: its facts are told first.
BIG = 3_000_000


class Filing(QObject):
    """Turns file gestures into work; tells how it went through the studio."""

    opened = Signal(str)
    busy_with = Signal(str)

    def __init__(self, studio: Studio, state: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.studio = studio
        self.state = state
        self.journal = journal.Journal(state)
        self.kept: Project | None = studio.project
        self.lane = Lane("files", stop_old=False, parent=self)
        self.lane.progressed.connect(self._progressed)
        self.lane.idle_again.connect(self._after)
        self._doing = ""
        self.keeping = Lane("journal", stop_old=False, parent=self)
        self._queue: list[Path] = []
        self._timer = QTimer(self, singleShot=True, interval=JOURNAL_MS)
        self._timer.timeout.connect(self.keep)
        studio.project_changed.connect(self._changed)

    @property
    def lanes(self) -> list[Lane]:
        return [self.lane, self.keeping]

    @property
    def busy(self) -> bool:
        return self._timer.isActive() or bool(self._queue) or not all(lane.idle for lane in self.lanes)

    def pause(self, ms: int) -> None:
        """How long after a change the journal is written."""
        self._timer.setInterval(ms)

    def _changed(self) -> None:
        if self.studio.project is not self.kept:
            self._timer.start()

    def _told(self, error: EngraverError) -> None:
        self.busy_with.emit("")
        self.studio.told.emit(error.sentence(), "fault")

    # -- the journal ---------------------------------------------------------------

    def keep(self) -> None:
        """Write the journal now."""
        self._timer.stop()
        project, path, sources = self.studio.project, self.studio.path, self.studio.sources
        if not self.studio.dirty:
            self.kept = project
            self.keeping.submit(lambda check: self.journal.clear(), lambda _: self.opened.emit(""), self._told)
            return

        def done(_: object) -> None:
            self.kept = project
            self.opened.emit("")

        self.keeping.submit(lambda check: self.journal.keep(project, path, sources), done, self._told)

    def all_kept(self) -> bool:
        """Whether nothing would be lost if the program ended now."""
        return self.studio.project is self.kept or not self.studio.dirty

    def left_behind(self) -> list[journal.Kept]:
        return journal.found(self.state)

    def recover(self, kept: journal.Kept) -> None:
        """Go on with work that a crash or a plain close left behind."""
        project = self.studio.attempt(lambda: journal.recover(kept, self.studio.sources))
        if project is not None:
            self.studio.replace_project(project, kept.path, saved=False)
            self.journal.keep(project, kept.path, self.studio.sources)
            journal.forget(kept)

    def end(self) -> None:
        """Close: what is not saved stays in the journal and is offered at the next start."""
        self._timer.stop()
        if self.studio.dirty and self.studio.project.plates:
            try:
                self.journal.keep(self.studio.project, self.studio.path, self.studio.sources)
            except EngraverError:
                self.kept = None
        else:
            self.journal.clear()
        for lane in self.lanes:
            lane.end()

    # -- opening -------------------------------------------------------------------

    def open_paths(self, paths: list[Path]) -> None:
        """Open pictures as plates; a project takes the place of the present one."""
        self._queue += paths
        self._next()

    def _next(self) -> None:
        if not self._queue or not self.lane.idle:
            return
        path = self._queue.pop(0)
        more = f" ({len(self._queue)} more)" if self._queue else ""
        self._busy(f"Opening {path.name}{more}… {self._facts_of(path)}")
        if path.suffix == EXTENSION:
            self._open_project(path)
            return
        if path.suffix == recipe_file.EXTENSION:
            self._busy("")
            self._use_recipe(path)
            self._after()
            return

        def done(picture: Prepared) -> None:
            self._busy("")
            self.studio.take_in(picture)
            self.opened.emit(str(path))
            self._after()

        self.lane.submit(lambda check: prepare(path, self.studio.sources, check), done, self._failed)

    def _use_recipe(self, path: Path) -> None:
        """A recipe file takes the place of the chosen plate's line."""
        studio = self.studio
        recipe = studio.attempt(lambda: recipe_file.open_recipe(path))
        if recipe is None:
            return
        if studio.plate is None:
            studio.told.emit(f"Open a picture first: {path.name} is a line of steps for one.", "look")
            return
        studio.edit(many.follow_recipe(studio.project, studio.plate.id, recipe), f"Use {path.name}")

    @staticmethod
    def _facts_of(path: Path) -> str:
        """What the header of a big picture tells, before its pixels are read."""
        try:
            if path.stat().st_size < BIG or path.suffix.lower() in (EXTENSION, *MESHES):
                return ""
            known = facts(read_bytes(path), path.name)
        except (OSError, EngraverError):
            return ""  # opening it will say what is wrong
        return f"{known.words()} · fills a plate up to {known.sharp_side} px sharply"

    def open_bytes(self, data: bytes, name: str) -> None:
        """Take in a picture that is at hand: a scan, a photo, what was pasted."""
        self._busy(f"Taking in {name}…")

        def done(picture: Prepared) -> None:
            self._busy("")
            self.studio.take_in(picture)
            self._after()

        self.lane.submit(lambda check: prepare_data(data, name, self.studio.sources), done, self._failed)

    def _busy(self, words: str) -> None:
        self._doing = words.strip()
        self.busy_with.emit(self._doing)

    def _progressed(self, share: float) -> None:
        self.busy_with.emit(f"{self._doing} {share * 100:.0f} %")

    @property
    def opening(self) -> bool:
        """Whether pictures or meshes are being taken in."""
        return bool(self._doing)

    def stop(self) -> None:
        """Take in nothing more; what is open stays as it is."""
        if not self.opening:
            return
        self._queue.clear()
        self.lane.stop()
        self._busy("")
        self.studio.told.emit("Stopped. Nothing was changed.", "look")

    def _after(self) -> None:
        QTimer.singleShot(0, self._next)

    def _failed(self, error: EngraverError) -> None:
        self._doing = ""
        self._told(error)
        self._after()

    def _kept_now(self, project: Project, path: Path | None) -> bool:
        self.journal.keep(project, path, self.studio.sources)
        return True

    def _open_project(self, path: Path) -> None:
        if self.studio.dirty and self.studio.project.plates:
            # The present work stays in its journal; a new journal begins.
            project, old = self.studio.project, self.studio.path
            kept = self.studio.attempt(lambda: self._kept_now(project, old))
            if kept is None:
                self._busy("")
                return
            self.journal = journal.Journal(self.state)

        def done(project: Project) -> None:
            self._busy("")
            self.studio.replace_project(project, path, saved=True)
            self.opened.emit(str(path))
            self._after()

        self.lane.submit(lambda check: open_project(path, self.studio.sources), done, self._failed)

    def open_made(self, make: Callable[[SourceStore], Project], words: str) -> None:
        """Open a project that is made here and now, such as the demo."""
        self.busy_with.emit(words)

        def done(project: Project) -> None:
            self.busy_with.emit("")
            self.studio.replace_project(project, None, saved=True)
            self.studio.choose_step(next((s.uid for s in self.studio.steps if s.kind == "falloff"), ""))

        self.lane.submit(lambda check: make(self.studio.sources), done, self._failed)

    # -- writing -------------------------------------------------------------------

    def save_to(self, path: Path) -> None:
        """Save the project; the old file stands until the new one is whole."""
        if path.suffix != EXTENSION:
            path = path.with_name(path.name + EXTENSION)
        project = self.studio.project
        named = project.model_copy(update={"name": path.stem}) if project.name == "Untitled" else project
        sources = self.studio.sources
        self.busy_with.emit(f"Saving {path.name}…")

        def done(_: object) -> None:
            self.busy_with.emit("")
            if self.studio.project is project and named is not project:
                self.studio.edit(named, "Name the project")
            self.studio.mark_saved(named, path)
            self.studio.told.emit(f"Saved {path.name}", "good")
            self.opened.emit(str(path))
            self.keep()

        self.lane.submit(lambda check: save(named, path, sources), done, self._told)
