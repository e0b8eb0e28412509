"""Filing: opening, saving and journaling, off the window's thread; every task ends done, failed or cancelled."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from engraver.core.errors import EngraverError, Watch
from engraver.core.files.atomic import write_bytes
from engraver.core.files.stamp import Stamp, stamp_of
from engraver.core.project import journal, recipe_file
from engraver.core.project.project_file import EXTENSION, open_project, save
from engraver.core.recipe import Project, Recipe, many
from engraver.core.sources import SourceStore
from engraver.core.sources.intake import Prepared, prepare, prepare_data

from .lanes import Lane, LatestLane, Task, TaskQueue
from .left_off import BEGINNING, Left, LeftOff
from .opened_together import OpenedTogether
from .studio import Studio

# The journal is written at the latest so long after a change, also while changes go on.
JOURNAL_MS = 1000


class Filing(QObject):
    """Turns file gestures into tasks; tells how they went through the studio."""

    opened = Signal(str)
    busy_with = Signal(str)
    journaled = Signal()

    def __init__(self, studio: Studio, state: Path, left_off: LeftOff, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.studio = studio
        self.state = state
        self.left_off = left_off
        self.journal = journal.Journal(state)
        self.kept: Project | None = studio.project
        self._stamps: dict[Path, Stamp | None] = {}  # of project files as they were last read or written here
        self.tasks = TaskQueue("files", self)
        self.tasks.changed.connect(self._show_work)
        self.tasks.progressed.connect(self._progressed)
        self.keeping = LatestLane("journal", stop_old=False, parent=self)
        self._timer = QTimer(self, singleShot=True, interval=JOURNAL_MS)
        self._timer.timeout.connect(self.keep)
        studio.project_changed.connect(self._changed)

    @property
    def lanes(self) -> list[Lane]:
        return [self.tasks, self.keeping]

    @property
    def busy(self) -> bool:
        return self._timer.isActive() or not all(lane.idle for lane in self.lanes)

    def pause(self, ms: int) -> None:
        """How long after a change the journal is written."""
        self._timer.setInterval(ms)

    # -- what is under way -----------------------------------------------------------

    def _show_work(self) -> None:
        """Say what is being done, and how much more waits."""
        tasks = [task for task in self.tasks.open if task.words]
        if not tasks:
            self.busy_with.emit("")
            return
        more = f" ({len(tasks) - 1} more)" if len(tasks) > 1 else ""
        self.busy_with.emit(f"{tasks[0].words}{more}")

    def _progressed(self, task: Task, share: float) -> None:
        if task in self.tasks.open:
            self.busy_with.emit(f"{task.words} {share * 100:.0f} %")

    @property
    def working(self) -> bool:
        """Whether something is under way that can be stopped."""
        return any(task.words for task in self.tasks.open)

    def stop(self) -> None:
        """Stop what is under way: nothing more is taken in or written; what is open stays as it is."""
        tasks = [task for task in self.tasks.open if task.words]
        writing = any(task.must for task in tasks)
        if tasks and self.tasks.stop(lambda task: bool(task.words)):
            words = "What is half written is taken away, files that are whole stay." if writing else ""
            self.studio.told.emit(f"Stopped. {words or 'Nothing was changed.'}", "look")

    def _failed(self, error: EngraverError) -> None:
        self.studio.told.emit(error.sentence(), "fault")

    # -- the journal ---------------------------------------------------------------

    def _changed(self) -> None:
        # Not started anew: while the hand goes on working the journal is written all the same.
        if self.studio.project is not self.kept and not self._timer.isActive():
            self._timer.start()

    def keep(self) -> None:
        """Write the journal now."""
        self._timer.stop()
        project, path, sources, book = self.studio.project, self.studio.path, self.studio.sources, self.journal
        dirty, kept_at, left = self.studio.dirty, self._kept_at(), self.studio.left()

        def work(check: Watch) -> None:
            book.keep(project, path, sources) if dirty else book.clear()
            self._note(kept_at, left)

        def done(_: object) -> None:
            if book is self.journal:
                self.kept = project
                self.journaled.emit()

        self.keeping.submit(work, done, self._failed)

    def _retire(self, project: Project, path: Path | None, *, dirty: bool) -> None:
        """Another project takes the place of this one: its journal is closed, or goes when nothing is unsaved."""
        book, sources = self.journal, self.studio.sources
        self._timer.stop()
        self.keeping.drop()
        self.journal = journal.Journal(self.state)
        work = partial(book.keep, project, path, sources) if dirty and project.plates else book.clear
        self.tasks.add("", lambda check: work(), failed=self._failed, must=True)

    def all_kept(self) -> bool:
        """Whether nothing would be lost if the program ended now."""
        return self.studio.project is self.kept or not self.studio.dirty

    def recover(self) -> None:
        """Go on with work that a crash or a plain close left behind; what there is more is told."""

        def work(check: Watch) -> tuple[journal.Kept, Project, int, Left] | None:
            found = journal.found(self.state)
            if not found:
                return None
            kept, more = found[0], len(found) - 1
            return kept, journal.recover(kept, self.studio.sources), more, self.left_off.of(kept.path or kept.folder)

        def done(back: tuple[journal.Kept, Project, int, Left] | None) -> None:
            if back is None:
                return
            kept, project, more, left = back
            self.studio.replace_project(project, kept.path, saved=False, at=left)
            self.studio.told.emit(_back_words(kept.name, more), "good")
            book, sources = self.journal, self.studio.sources

            def taken_over(check: Watch) -> None:
                book.keep(project, kept.path, sources)
                journal.forget(kept)

            self.tasks.add("", taken_over, failed=self._failed, must=True)

        self.tasks.add("Looking for unsaved work…", work, done, self._failed)

    def end(self) -> None:
        """Close: what is being saved is saved; what is not stays in the journal and is offered at the next start."""
        self._timer.stop()
        self._leave()
        self.tasks.end()
        self.keeping.end()
        if self.studio.dirty and self.studio.project.plates:
            try:
                self.journal.keep(self.studio.project, self.studio.path, self.studio.sources)
            except EngraverError:
                self.kept = None
        else:
            self.journal.clear()

    # -- opening -------------------------------------------------------------------

    def open_paths(self, paths: list[Path]) -> None:
        """Open pictures as plates; a project takes the place of the present one, a recipe of the plate's line."""
        together = OpenedTogether(len(paths), self.studio.told.emit)
        for path in paths:
            if path.suffix == EXTENSION:
                self._open_project(path, together)
            elif path.suffix == recipe_file.EXTENSION:
                self.tasks.add(
                    f"Opening {path.name}…", lambda check, p=path: recipe_file.open_recipe(p),  # type: ignore[misc]
                    *together.one(path, partial(self._use_recipe, path)),
                )  # fmt: skip
            else:
                self._open_source(path, together)

    def _open_source(self, path: Path, together: OpenedTogether) -> None:
        sources, words = self.studio.sources, f"Opening {path.name}…"

        def work(check: Watch) -> Prepared:
            def tell(facts: str) -> None:
                task.words = f"{words} {facts}"
                self.tasks.changed.emit()

            return prepare(path, sources, check, tell)

        def done(found: Prepared) -> None:
            self._take_in(found)
            self.opened.emit(str(path))

        task = self.tasks.add(words, work, *together.one(path, done))

    def _take_in(self, found: Prepared) -> None:
        self.studio.attempt(lambda: self.studio.take_in(found))

    def _use_recipe(self, path: Path, recipe: Recipe) -> None:
        """A recipe file takes the place of the chosen plate's line."""
        studio = self.studio
        plate = studio.plate
        if plate is None:
            studio.told.emit(f"Open a picture first: {path.name} is a line of steps for one.", "look")
            return
        studio.attempt(lambda: studio.edit(many.follow_recipe(studio.project, plate.id, recipe), f"Use {path.name}"))

    def open_bytes(self, data: bytes, name: str) -> None:
        """Take in a picture that is at hand: a scan, a photo, what was pasted."""
        sources = self.studio.sources
        self.tasks.add(
            f"Taking in {name}…", lambda check: prepare_data(data, name, sources, None, check), self._take_in,
            self._failed,
        )  # fmt: skip

    def _open_project(self, path: Path, together: OpenedTogether) -> None:
        def done(found: tuple[Project, Stamp | None, Left]) -> None:
            project, self._stamps[path], left = found
            self._replace(project, path, left)
            self.opened.emit(str(path))

        def work(check: Watch) -> tuple[Project, Stamp | None, Left]:
            stamp = stamp_of(path)  # of before it is read: what is written meanwhile is seen
            return open_project(path, self.studio.sources, check), stamp, self.left_off.of(path)

        self.tasks.add(f"Opening {path.name}…", work, *together.one(path, done))

    def _replace(self, project: Project, path: Path | None, at: Left = BEGINNING) -> None:
        """The present work, with all that was done to it meanwhile, goes into its journal first."""
        self._leave()
        self._retire(self.studio.project, self.studio.path, dirty=self.studio.dirty)
        self.kept = project
        self.studio.replace_project(project, path, saved=True, at=at)

    def _leave(self) -> None:
        kept_at, left = self._kept_at(), self.studio.left()
        self.tasks.add("", lambda check: self._note(kept_at, left), must=True)

    def _kept_at(self) -> Path | None:
        """Where the project is found again: its file, or the journal of one that was never saved."""
        return self.studio.path or (self.journal.folder if self.studio.project.plates else None)

    def _note(self, kept_at: Path | None, left: Left) -> None:
        if kept_at is not None:
            _without_trouble(lambda: self.left_off.note(kept_at, left))

    def close_project(self) -> None:
        """An empty project in the place of this one, whose unsaved changes are kept."""
        project, unsaved = self.studio.project, self.studio.dirty and bool(self.studio.project.plates)
        self._replace(Project(), None)
        if unsaved:
            words = f"{project.name} is put away. What was not saved of it is back at the next start."
            self.studio.told.emit(words, "good")

    def open_made(self, make: Callable[[SourceStore], Project], words: str, step: str = "") -> None:
        """Open a project that is made here and now, such as the demo, with a step of the first plate chosen."""

        def done(project: Project) -> None:
            line = project.line(project.plates[0].id) if project.plates else ()
            self._replace(project, None, Left(step=next((s.uid for s in line if s.kind == step), "")))

        self.tasks.add(words, lambda check: make(self.studio.sources), done, self._failed)

    # -- writing -------------------------------------------------------------------

    def write_soon(self, path: Path, data: bytes) -> None:
        """Keep something small of this machine's; a folder that refuses only means that it is forgotten."""

        def work() -> None:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_bytes(path, data)

        self.tasks.add("", lambda check: _without_trouble(work), must=True)

    def save_to(self, path: Path, *, over: bool = False) -> None:
        """Save the project as it is now; the old file stands until the new one is whole.

        A file that another window has saved since it was opened here is left alone, unless it goes ``over`` it.
        """
        if path.suffix != EXTENSION:
            path = path.with_name(path.name + EXTENSION)
        project = self.studio.project
        named = project.model_copy(update={"name": path.stem}) if project.name == "Untitled" else project
        sources, opening = self.studio.sources, self.studio.opening
        mine = path == self.studio.path and not over

        def work(check: Watch) -> None:
            now = stamp_of(path)
            if mine and now is not None and now != self._stamps.get(path, now):
                raise EngraverError(
                    f"{path.name} was saved by another window since it was opened here", "saving would undo that",
                    "Save under another name (Ctrl+Shift+S), or open it again",
                )  # fmt: skip
            save(named, path, sources, check)
            self._stamps[path] = stamp_of(path)

        def done(_: object) -> None:
            self.studio.told.emit(f"Saved {path.name}", "good")
            if self.studio.opening != opening:  # another project is open by now
                return
            if self.studio.project is project and named is not project:
                self.studio.edit(named, "Name the project")
            self.studio.mark_saved(named, path)
            self.opened.emit(str(path))
            self.keep()

        self.tasks.add(f"Saving {path.name}…", work, done, self._failed, must=True)


def _without_trouble(work: Callable[[], None]) -> None:
    with suppress(OSError, EngraverError):
        work()


def _back_words(name: str, more: int) -> str:
    rest = f" {more} more can be found at the next starts." if more else ""
    return f"Your unsaved work on {name} is back.{rest}"
