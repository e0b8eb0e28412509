"""What follows the first paint: the window's inside, compiled kernels, and what is opened."""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import cast

from PySide6.QtCore import QCoreApplication, QEventLoop, QObject, QPoint, QRect, Qt, QTimer
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QApplication, QDialog

from engraver.core.errors import Watch
from engraver.core.numeric.split_rows import cores
from engraver.core.ready import PARTS, Helpers, mark_ready

from .desks.proof import ProofDesk
from .lanes import Lane, TaskQueue, wait_idle
from .places import Places
from .prefs import Prefs
from .shell import Shell
from .start_wish import StartWish
from .studio import Studio
from .views.icon_sheet import IconSheet
from .views.splitter import Splitter
from .views.start_board import StartSheet
from .window import Window

# What was last seen of a plate is shown before kernels are made ready, but they wait no longer than so many
# milliseconds; and without a proof to draw, the other ones come so many after the first.
SEEN_MS, REST_MS = 1500, 4000
# Only of signals that come from the window's own thread.
_ONCE = Qt.ConnectionType.SingleShotConnection


class Opening(QObject):
    """What happens after the first paint: kernels, and the demo, files or kept work."""

    def __init__(self, window: Window, wish: StartWish) -> None:
        super().__init__(window)
        self.window, self._wish = window, wish
        self.kernels = TaskQueue("kernels", self)
        self._helpers: Helpers | None = None
        self.wrong = ""
        self._first = QTimer(self, singleShot=True, interval=SEEN_MS)
        self._first.timeout.connect(self._warm_first)
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self._warm_rest)

    @property
    def lanes(self) -> list[Lane]:
        return [self.kernels]

    def begin(self) -> None:
        gc.freeze()  # what the start has made stays: it need not be looked through again
        gc.enable()
        self._helpers = Helpers(max(1, cores() // 2))  # the other cores are the window's
        w = self.window
        if self._wish.demo:
            w.studio.file_changed.connect(self._choose, _ONCE)
            w.open_demo()
        elif self._wish.files:
            w.filing.open_paths(list(self._wish.files))
        else:
            w.filing.recover()
        # This comes from a lane's thread. If it were connected for once, that thread would take the connection apart:
        # it holds Qt's lock then and waits for the interpreter, which this one may hold and wait for the lock.
        w.pictures.seen.answered.connect(self._seen)
        w.pictures.proofed.connect(self._hurry_first, _ONCE)
        self._first.start()

    def _seen(self, found: bool) -> None:
        if not found:
            self._hurry_first()

    def _hurry_first(self) -> None:
        if self._first.isActive():
            self._first.start(0)

    def _warm_first(self) -> None:
        self.kernels.add("", partial(self._make_ready, "proof"), self._warm, self._failed)

    def _make_ready(self, part: str, check: Watch) -> None:
        """On the kernels' lane: wait for the process that compiles a part, if there is one, then fetch it."""
        if self._helpers is not None:
            self._helpers.wait(part, check)
        PARTS[part](check)

    def _choose(self) -> None:
        """Once the demo is open: the plate and the step it begins with."""
        QTimer.singleShot(0, self._chosen)

    def _chosen(self) -> None:
        studio, wish = self.window.studio, self._wish
        plate = next((p.id for p in studio.project.plates if p.name == wish.plate), None)
        if plate is not None:
            studio.choose_plate(plate)
        elif wish.plate:
            self._unknown("plate", wish.plate, [p.name for p in studio.project.plates])
        step = next((s.uid for s in studio.steps if s.kind == wish.step), None)
        if step is None and wish.step not in ("", "source"):
            self._unknown("step", wish.step, ["source", *(s.kind for s in studio.steps)])
        if step is not None or wish.step == "source":
            studio.choose_step(step or "")
        self.window.captures.show_large(wish.large)
        studio.reveal(wish.reveal)
        if wish.surface is not None:
            studio.set_proof(surface=wish.surface, of_trial=False)
        if wish.repeat:
            self.window.bench.plate_view.toggle_overlay("repeat")
        if wish.trial:
            self._tried()
        if wish.desk:
            self._at_desk()
        if wish.sheet == "split":
            self.window.bench.plates.split()
        elif wish.sheet == "starts":
            self.window.commands["new"].run()
        elif wish.sheet:
            self._open_sheet()

    def _unknown(self, what: str, name: str, known: Sequence[str]) -> None:
        """A picture that is drawn of something else than was asked for would deceive; in a window it is told."""
        self.wrong = f"The demo has no {what} {name!r}. It has: {', '.join(known)}."
        self.window.studio.told.emit(self.wrong, "look")

    def _tried(self) -> None:
        """The proof desk with a trial on it."""
        window, wish, active = self.window, self._wish, self.window.trials
        trial = next((t for t in window.studio.project.trials if t.name == wish.trial), None)
        if trial is not None:
            active.show_trial(trial.id)
            active.set(second=wish.beside)
            window.go_to("proof")
            active.choose(trial.gestures[wish.gesture - 1].uid if wish.gesture else "")
            if active.curve.gesture is not None:  # with a point that shows its handles
                active.use("along")
                active.curve.choose_point(len(active.curve.gesture.points) // 2)
            cast(ProofDesk, window.desk("proof")).panel.open_only(wish.group)

    def _at_desk(self) -> None:
        """At a desk, with a piece of it chosen; an empty cabinet is filled with the demo's pieces first."""
        window, active = self.window, self.window.cabinet
        window.go_to(self._wish.desk)
        pack = {p.name: p.id for p in window.pack.planned.pieces}
        window.pack.choose(tuple(pack[n] for n in (self._wish.piece,) if n in pack))
        if self._wish.desk != "cabinet":
            return

        filled: list[bool] = []

        def found() -> None:
            if active.chest.counts.get("all") == 0 and not filled:
                filled.append(True)
                window.commands["cabinet-demo"].do()
            elif active.taking.idle and not active.chosen:
                window.notice.hide()
                active.choose([one.id for one in active.found.listed if one.name == self._wish.piece][:1])
                if active.chosen and self._wish.large:
                    window.commands["cabinet-large"].do()

        active.chest_changed.connect(found)
        active.found_changed.connect(found)

    def _open_sheet(self) -> None:
        """Once the plate is measured."""
        pictures, deliveries = self.window.pictures, self.window.bench.deliveries
        if pictures.full is None:
            pictures.measured.connect(lambda _: QTimer.singleShot(0, self._open_sheet), _ONCE)
        elif self._wish.sheet == "export":
            deliveries.export(("sculpt-stamp-mid", "terrain-grid"))
        elif self._wish.sheet == "arrives":
            deliveries.what_arrives("mid-grey")
        elif self._wish.sheet == "icon":
            self.window.commands["icon"].do()
        else:
            deliveries.edit_destinations()

    def _failed(self, error: object) -> None:
        self.window.tell(str(error), "fault")

    def _warm(self, _: object) -> None:
        pictures = self.window.pictures
        pictures.kernels_ready = True
        self.window.bench.proof_view.canvas.update()
        pictures.refresh()
        self.window.trials.refresh()
        # What is not needed yet waits for the first proof, or for the hand where there is none.
        pictures.proofed.connect(self._hurry_rest, _ONCE)
        self._rest.start()

    def _hurry_rest(self) -> None:
        if self._rest.isActive():
            self._rest.start(0)

    def _warm_rest(self) -> None:
        for part in tuple(PARTS)[1:]:
            self.kernels.add("", partial(self._make_ready, part), failed=self._failed)
        self.kernels.add("", lambda check: mark_ready())

    def end(self) -> None:
        for lane in self.lanes:
            lane.end()
        if self._helpers is not None:
            self._helpers.end()


def _over(window: Window, sheet: QDialog) -> QPixmap:
    """A sheet in the middle of its window, as it stands on the screen."""
    picture, drawn = window.grab(), sheet.grab()
    painter = QPainter(picture)
    place = QPoint((picture.width() - drawn.width()) // 2, (picture.height() - drawn.height()) // 2)
    painter.fillRect(QRect(place, drawn.size()).adjusted(-1, -1, 1, 1), window.ui.colour("ink_2"))
    painter.drawPixmap(place, drawn)
    painter.end()
    return picture


def _shoot_sheet(window: Window, path: Path) -> int:
    """Wait for the sheet that the opening asks for, draw it as large as the window, and close it."""
    loop, code = QEventLoop(), [1]

    def look() -> None:
        sheet = QApplication.activeModalWidget()
        if not isinstance(sheet, QDialog) or not window.pictures.tasks.idle or window.pictures.busy:
            poll.start()
            return
        if isinstance(sheet, Splitter):
            sheet.resize(window.size())
        QCoreApplication.processEvents()
        picture = _over(window, sheet) if isinstance(sheet, StartSheet | IconSheet) else sheet.grab()
        code[0] = 0 if picture.save(str(path)) else 1
        sheet.reject()
        loop.quit()

    poll = QTimer(window, singleShot=True, interval=50)
    poll.timeout.connect(look)
    poll.start()
    loop.exec()
    return code[0]


def everything(window: Window, opening: Opening) -> list[Lane]:
    """Every lane that may have something under way."""
    return [*opening.lanes, *window.pictures.lanes, *window.filing.lanes, *window.cabinet.lanes, *window.pack.lanes]


def furnish(
    shell: Shell, places: Places, prefs: Prefs, wish: StartWish, tell: Callable[[str], None]
) -> tuple[Window, Opening]:
    """Everything that fills the empty shell; what is opened follows its first paint."""
    window = Window(Studio(), places, prefs)
    opening = Opening(window, wish)
    window.painted.connect(opening.begin, _ONCE)
    window.painted.connect(lambda: tell("window drawn"), _ONCE)
    window.pictures.proofed.connect(lambda _: tell("demo drawn"), _ONCE)
    shell.furnish(window)
    return window, opening


def shoot(window: Window, opening: Opening, path: Path, *, sheet: bool) -> int:
    """Draw the window into a PNG once all is done, or a sheet over it; the exit code."""
    code = _shoot_sheet(window, path) if sheet else _shoot(window, opening, path)
    if opening.wrong:
        print(f"engraver: {opening.wrong}", file=sys.stderr)
    return code


def _shoot(window: Window, opening: Opening, path: Path) -> int:
    waiting = {"first": True}
    window.painted.connect(lambda: waiting.update(first=False))
    wait_idle(
        everything(window, opening),
        lambda: waiting["first"] or window.busy or not window.pictures.kernels_ready or not window.bench.still,
        lambda: bool(opening.wrong),
    )
    if opening.wrong:
        return 2
    drawn = window.grab()
    window.pictures.seen.lay_by()
    wait_idle(window.pictures.seen.lanes)
    return 0 if drawn.save(str(path), "PNG") else 1
