"""Using what is kept: at the bench, on a plate, as a tip or a tooth, at the proof desk, or as a file elsewhere."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable
from pathlib import Path
from tempfile import gettempdir
from typing import Any
from uuid import uuid4

import numpy as np
from PySide6.QtCore import QObject
from PySide6.QtGui import QGuiApplication, QImage

from engraver.core.cabinet import Cabinet, Entry
from engraver.core.cabinet.using import Taken, taken
from engraver.core.errors import EngraverError, Watch, file_trouble
from engraver.core.files.names import file_stem
from engraver.core.files.read import load
from engraver.core.pressing.tip import packed_tip
from engraver.core.recipe import Project, Step
from engraver.core.recipe.edits import insert_step, remove_plate, set_params
from engraver.core.recipe.placing import place_for

from .active_brush import ActiveBrush
from .active_cabinet import ActiveCabinet
from .active_trial import ActiveTrial
from .kept_brushes import KeptBrushes
from .studio import Studio


class CabinetUsing(QObject):
    """Brings entries into the project, off the window's thread, each as one entry of the history."""

    def __init__(
        self, studio: Studio, active: ActiveCabinet, hand: ActiveBrush, trials: ActiveTrial, brushes: KeptBrushes,
        parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._studio, self._active, self._hand = studio, active, hand
        self._trials, self._brushes = trials, brushes
        self._out = Path(gettempdir()) / f"engraver-cabinet-{uuid4().hex[:8]}"
        # What cycling brought last: the entry, its plate, and the project as it left it.
        self._cycled: tuple[str, str, Project] | None = None
        self._rounds = 0

    # -- bringing in ---------------------------------------------------------------

    def _read(self, id: str) -> Callable[[Cabinet], tuple[Entry, bytes]]:
        def read(cabinet: Cabinet) -> tuple[Entry, bytes]:
            entry = cabinet.entry(id)
            picture = cabinet.picture(entry)
            if not cabinet.read_only:
                cabinet.change(id, used=time.time())
            return entry, picture

        return read

    def bring(
        self, id: str, then: Callable[[Taken, Entry], object], *, before: Callable[[Project], Project] | None = None
    ) -> None:
        """An entry as a plate of the project; ``then`` puts what became of it in place. ``before`` changes the
        project that it is taken into."""
        studio = self._studio
        project = studio.project
        onto = before(project) if before is not None else project

        def work(cabinet: Cabinet) -> tuple[Entry, Taken]:
            entry, picture = self._read(id)(cabinet)
            return entry, taken(onto, entry, picture, studio.sources)

        def done(made: tuple[Entry, Taken]) -> None:
            if studio.project is not project:  # the hand went on meanwhile: into what it made
                self.bring(id, then, before=before)
                return
            studio.attempt(lambda: then(made[1], made[0]))

        self._active.change(work, done, "Bringing it in…")

    def _came(self, found: Taken, entry: Entry) -> None:
        words = "with all its steps" if found.whole else "as a finished plate: its sources are not at hand"
        self._studio.told.emit(f"{entry.name} came {words}.", "good" if found.whole else "look")

    def open(self, id: str, then: Callable[[], object] = lambda: None) -> None:
        """At the bench, chosen."""

        def put(found: Taken, entry: Entry) -> None:
            self._studio.edit(found.project, f"Bring in {entry.name}")
            self._studio.choose_plate(found.plate)
            self._came(found, entry)
            then()

        self.bring(id, put)

    def try_on(self, id: str, then: Callable[[], object] = lambda: None) -> None:
        """At the proof desk, in the hand; a brush with its settings."""

        def put(found: Taken, entry: Entry) -> None:
            self._studio.edit(found.project, f"Bring in {entry.name}")
            self._studio.choose_plate(found.plate)
            if found.brush:
                self._brushes.pick_up(found.brush)
            self._came(found, entry)
            then()

        self.bring(id, put)

    def place(self, id: str, x: float = 0.5, y: float = 0.5) -> None:
        """On the chosen plate, which follows it."""
        self._onto(id, "place", "plate", lambda plate: {"plate": plate, "x": round(x, 4), "y": round(y, 4)})

    def strew(self, id: str) -> None:
        """Strewn on the chosen plate; a chosen scatter takes it in place of what it strews."""
        step = self._studio.step
        if step is None or step.kind != "scatter":
            self._onto(id, "scatter", "plate", lambda plate: {"kind": "plate", "plate": plate})
            return
        on, uid = self._studio.plate_id or "", step.uid

        def put(found: Taken, entry: Entry) -> None:
            project = set_params(found.project, on, uid, kind="plate", plate=found.plate)
            self._studio.edit(project, f"Strew {entry.name}")

        self.bring(id, put)

    def _onto(self, id: str, kind: str, field: str, values: Callable[[str], dict[str, Any]]) -> None:
        studio, on = self._studio, self._studio.plate_id
        if on is None:
            studio.told.emit("There is no plate to put it on: open or begin one first.", "look")
            return

        def put(found: Taken, entry: Entry) -> None:
            step = Step.make(kind, **values(found.plate))
            project = insert_step(found.project, on, step, place_for(found.project, on, step.declared))
            studio.edit(project, f"{step.title} {entry.name}")
            studio.choose_plate(on)
            studio.choose_step(step.uid)
            self._came(found, entry)

        self.bring(id, put)

    def as_tooth(self, id: str) -> None:
        """The tooth of the next gesture, or of the chosen one."""

        def put(found: Taken, entry: Entry) -> None:
            chosen = self._studio.plate_id
            self._studio.edit(found.project, f"Bring in {entry.name}")
            self._studio.choose_plate(chosen or found.plate)
            self._trials.set_settings(tooth="plate", tooth_plate=found.plate)
            self._studio.told.emit(f"The tooth is {entry.name}.", "good")

        self.bring(id, put)

    def as_tip(self, id: str) -> None:
        """The tip of the bench's hand: its tones are taken over, the project stays as it is."""

        def work(cabinet: Cabinet) -> tuple[Entry, bytes]:
            entry, picture = self._read(id)(cabinet)
            raster = load(picture, f"{entry.name}.png")
            return entry, packed_tip(raster.but(zero=entry.zero))

        def done(made: tuple[Entry, bytes]) -> None:
            entry, tip = made
            self._hand.set(tip=tip, tip_plate="", tip_name=entry.name)
            self._studio.told.emit(f"The tip of the hand is {entry.name}.", "good")

        self._active.change(work, done)

    # -- cycling -------------------------------------------------------------------

    def next(self, by: int, then: Callable[[], object] = lambda: None) -> None:
        """The next piece of the open drawer in the hand; it takes the place of the one that came before it, unless
        something was made of that."""
        ids = [one.id for one in self._active.found.listed]
        if not ids:
            self._studio.told.emit("The open drawer of the cabinet is empty.", "look")
            return
        last = self._cycled
        here = last[0] if last is not None else (self._active.chosen[-1] if self._active.chosen else "")
        n = (ids.index(here) + by) % len(ids) if here in ids else 0
        unused = last is not None and self._studio.project is last[2]

        def without(project: Project) -> Project:
            return remove_plate(project, last[1]) if unused and last is not None else project

        def put(found: Taken, entry: Entry) -> None:
            if not unused:
                self._rounds += 1
            self._studio.edit(found.project, f"Try {entry.name}", f"cabinet {self._rounds}")
            self._studio.choose_plate(found.plate)
            if found.brush:
                self._brushes.pick_up(found.brush)
            self._cycled = (entry.id, found.plate, self._studio.project)
            self._active.choose((entry.id,))
            self._studio.told.emit(f"{entry.name} · {n + 1} of {len(ids)}", "good")
            then()

        self.bring(ids[n], put, before=without)

    # -- elsewhere -----------------------------------------------------------------

    def copy(self, id: str) -> None:
        """The finished picture onto the clipboard."""

        def work(cabinet: Cabinet) -> np.ndarray:
            entry, picture = self._read(id)(cabinet)
            grey = load(picture, f"{entry.name}.png").pixels
            return np.ascontiguousarray(np.round(np.clip(grey, 0, 1) * 65535).astype(np.uint16))

        def done(stored: np.ndarray) -> None:
            rows, columns = stored.shape[:2]
            image = QImage(stored.data, columns, rows, 2 * columns, QImage.Format.Format_Grayscale16).copy()
            QGuiApplication.clipboard().setImage(image)
            self._studio.told.emit(f"Copied: {columns} × {rows}, 16-bit grey.", "good")

        self._active.change(work, done)

    def write(self, ids: tuple[str, ...], folder: Path, told: Callable[[list[Path]], object]) -> None:
        """The finished files of some entries in a folder, under names of their own."""

        def work(cabinet: Cabinet) -> list[Path]:
            paths: list[Path] = []
            try:
                folder.mkdir(parents=True, exist_ok=True)
                for id in ids:
                    entry = cabinet.entry(id)
                    path = _free(folder, file_stem(entry.name))
                    path.write_bytes(cabinet.picture(entry))
                    paths.append(path)
            except OSError as error:
                raise file_trouble("written", folder, error) from error
            return paths

        self._active.change(work, told)

    def finish(self, ids: tuple[str, ...], ready: Callable[[list[Path]], object]) -> None:
        """Finished files for a drag out of the window."""
        self.write(ids, self._out / uuid4().hex[:8], ready)

    def take_in(self, folder: Path) -> None:
        """Keep the finished files of a folder, in the background."""
        active, studio = self._active, self._studio
        shown = [time.monotonic()]

        def work(check: Watch) -> Any:
            from engraver.core.cabinet.take_in import take_in

            with Cabinet(active.folder, active.session) as cabinet:
                return take_in(cabinet, folder, check=check)

        def done(found: Any) -> None:
            wrong = sum(bool(e.wrong) for e in found.kept)
            parts = [f"{len(found.kept)} taken in"]
            parts += [f"{len(found.there)} were there"] if found.there else []
            parts += [f"{wrong} to be mended"] if wrong else []
            said = " · ".join(parts)
            if found.not_taken:
                first = next(iter(found.not_taken.values()))
                said += f" · {len(found.not_taken)} could not be read, the first: {first}"
            studio.told.emit(f"{folder.name}: {said}", "look" if wrong or found.not_taken else "good")
            active.after()

        def stopped() -> None:
            studio.told.emit("Stopped. What was taken in until now stays.", "look")
            active.after()

        def failed(error: EngraverError) -> None:
            studio.told.emit(error.sentence(), "fault")
            active.after()

        def progressed(*_: object) -> None:
            if time.monotonic() - shown[0] > 1.5:  # what is there already is shown while the rest comes
                shown[0] = time.monotonic()
                active.search()

        task = active.taking.add(f"Taking in {folder.name}…", work, done, failed, stopped)
        active.taking.progressed.connect(lambda one, _: progressed() if one is task else None)

    def mend(self, ids: tuple[str, ...]) -> None:
        """Every fix that helps, on many, in the background; what they were stays in their history."""
        active, studio = self._active, self._studio

        def work(check: Watch) -> int:
            from engraver.core.cabinet.mending import mended

            done = 0
            with Cabinet(active.folder, active.session) as cabinet:
                for n, id in enumerate(ids):
                    check(n / len(ids))
                    entry = cabinet.entry(id)
                    if entry.wrong:
                        cabinet.keep(mended(entry, cabinet.picture(entry), check))
                        done += 1
            return done

        def ended(count: int) -> None:
            studio.told.emit(f"{count} mended; what they were stays under Before.", "good")
            active.after()

        def failed(error: EngraverError) -> None:
            studio.told.emit(error.sentence(), "fault")
            active.after()

        active.taking.add(f"Mending {len(ids)}…", work, ended, failed, active.after)

    def end(self) -> None:
        """What was dragged out has been taken over by then."""
        shutil.rmtree(self._out, ignore_errors=True)


def _free(folder: Path, stem: str) -> Path:
    path, number = folder / f"{stem}.png", 2
    while path.exists():
        path, number = folder / f"{stem}-{number}.png", number + 1
    return path
