"""The one window: rim, bar and desks, and what it does with dropped files."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import replace
from pathlib import Path
from typing import cast

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QPaintEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QLineEdit,
    QMainWindow,
    QWidget,
)
from shiboken6 import delete

from engraver.core.project.project_file import EXTENSION
from engraver.demo.kept import kept_demo
from engraver.demo.sheets import SHEETS
from engraver.standins.devices import Scanner
from engraver.standins.flatbed import PracticeScanner

from . import dropping, state
from . import prefs as preferences
from .actions import make_commands
from .active_brush import ActiveBrush
from .active_cabinet import ActiveCabinet
from .active_items import ActiveItems
from .active_pack import ActivePack
from .active_solids import ActiveSolids
from .active_trial import ActiveTrial
from .arrivals import Arrivals
from .beginnings import offer_destinations
from .besides import Besides
from .cabinet_using import CabinetUsing
from .captures import Captures
from .commands import Command
from .desks import DESKS
from .desks.bench import Bench
from .dialogs import ask_files
from .exporting import Exports
from .face import Face
from .file_dialogs import FileDialogs
from .filing import Filing
from .icon_making import icon_of_plate
from .kept_brushes import KeptBrushes
from .keys import DeskKeys
from .left_off import LeftOff
from .pictures import Pictures
from .places import Places
from .prefs import Prefs
from .shell import LEAST
from .stand import SIZE
from .studio import Studio
from .theme import THEMES
from .ui import Ui
from .undo_stacks import CabinetUndo, UndoStack
from .views.bars import Notice, TopBar
from .views.keys_sheet import KeysSheet
from .views.sheets import Finder
from .when_measured import WhenMeasured

__all__ = ["Places", "Window"]


class Window(QMainWindow):
    """Builds the desks, again after a change of look or text size: they hold no truth of their own."""

    painted = Signal()
    _first = True

    def __init__(
        self, studio: Studio, places: Places, prefs: Prefs | None = None, parent: QObject | None = None
    ) -> None:
        super().__init__()
        self.studio, self.places = studio, places
        self.prefs = prefs or preferences.load(places.prefs)
        self.looks = state.Looks(state.read(places.looks), self)
        self.pictures = Pictures(studio, self.looks, places.last_seen, self)
        self.measured = WhenMeasured(self.pictures, self)
        self.hand = ActiveBrush(self)
        self.items = ActiveItems(self)
        self.studio.selection_changed.connect(lambda: self.items.look_at(self.studio.step_uid))
        self.captures = Captures(studio, self.pictures, self)
        self.solids = ActiveSolids(self.studio, self.pictures, self.captures, self)
        self.filing = Filing(studio, places.journals, LeftOff(places.left_off), self)
        self.exports = Exports(studio, self.filing, places.prefs.parent, self)
        self.arrivals = Arrivals(studio, self.filing, places.camera, self)
        self.scanner: Scanner = PracticeScanner(SHEETS)
        self.trials = ActiveTrial(studio, self.pictures, places.proof, self)
        self.brushes = KeptBrushes(studio, self.trials, self)
        self.besides = Besides(studio, self)
        self.cabinet = ActiveCabinet(studio, places.cabinet, places.cabinet_look, self)
        self.using = CabinetUsing(studio, self.cabinet, self.hand, self.trials, self.brushes, self)
        self.cabinet_undo = CabinetUndo(studio, self.cabinet, self)
        self.pack = ActivePack(studio, self.filing, self)
        self.trials.drawing.failed.connect(lambda words: self.tell(words, "look"))
        self.files = FileDialogs(lambda: self.prefs, self.keep_prefs)
        self.commands = make_commands(self)
        self.setWindowTitle("Engraver")
        self.setAcceptDrops(True)
        self.resize(*SIZE)
        self.setMinimumSize(*LEAST)
        self._face: Face | None = None
        self._in_the_making, self._busy_with = False, ""
        self._rebuilding = QTimer(self, singleShot=True, interval=0)
        self._rebuilding.timeout.connect(self._next_piece)
        self._pieces = self._build()
        studio.project_changed.connect(self._gone_on)
        self.keys = DeskKeys(self, self.commands, studio.desk)
        studio.told.connect(self.tell)
        studio.project_changed.connect(self._kept_words)
        studio.file_changed.connect(self._kept_words)
        studio.file_changed.connect(self._go_where_left)
        self.filing.opened.connect(self._opened)
        self.filing.journaled.connect(self._kept_words)
        self.filing.busy_with.connect(self.busy_words)
        self._kept_words()
        offer_destinations(studio, places.destinations, self.tell)
        if self.exports.trouble:
            self.tell(self.exports.trouble, "look")
        self.bench.plate_view.canvas.setFocus()

    # -- building ------------------------------------------------------------------

    def _build(self) -> Generator[None]:
        """Make every view in the present look and text size.

        In pieces, one at a turn of the event loop, so that the hand is never kept waiting for all of them.
        """
        self.setUpdatesEnabled(False)  # what was painted last stands until the end
        old = self.centralWidget()
        if old is not None:  # a new style sheet is worked out for every widget that is there
            old.hide()
            delete(old)
        theme, scale = THEMES[self.prefs.theme], self.prefs.text_size
        self.ui = ui = Ui(
            theme, scale, self.studio, self.pictures, self.looks, self.commands, self.hand, self.items, self.captures,
            self.solids, self.trials, self.brushes, self.besides, self.files, self.exports.finish_files,
        )  # fmt: skip
        ui.dress()
        ground = ui.colour("surround")
        self.pictures.surround = (ground.red(), ground.green(), ground.blue())
        yield
        self._face = face = Face(self)
        face.rim.chosen.connect(self.go_to)
        yield
        face.desk(self.studio.desk)
        yield
        face.show_desk(self.studio.desk)
        yield
        self.setCentralWidget(face)
        self._show_state(face.top)
        self.setUpdatesEnabled(True)

    def desk(self, id: str) -> QWidget:
        """A desk, made when it is first needed."""
        return self.face.desk(id)

    @property
    def face(self) -> Face:
        """What fills the window; where it is still in the making, it is finished first."""
        self._finish_making()
        assert self._face is not None
        return self._face

    def go_to(self, id: str) -> None:
        """Bring a desk to the front."""
        self.studio.desk = id
        self.face.show_desk(id)
        self.keys.go_to(id)

    def _go_where_left(self) -> None:
        """Another project was left at a desk of its own."""
        if self.studio.desk not in DESKS:  # of another edition
            self.studio.desk = next(iter(DESKS))
        if not self._in_the_making and self.face.front != self.studio.desk:
            self.go_to(self.studio.desk)

    @property
    def top(self) -> TopBar:
        return self.face.top

    @property
    def undo_stack(self) -> UndoStack:
        return self.face.undo_stack

    @property
    def notice(self) -> Notice:
        return self.face.notice

    @property
    def bench(self) -> Bench:
        return cast(Bench, self.face.desk("bench"))

    @property
    def widget(self) -> QWidget:
        """What sheets stand over."""
        return self

    @property
    def head(self) -> QWidget:
        """The bar under which menus drop."""
        return self.top

    @property
    def busy(self) -> bool:
        """Something is asked, running, or waits for the hand to rest."""
        return self.making or self.pictures.busy or self.filing.busy or self.bench.busy or self.measured.waiting

    @property
    def making(self) -> bool:
        """Whether parts of the window are still to come."""
        return self._in_the_making or self._rebuilding.isActive()

    def rebuild(self, prefs: Prefs) -> None:
        """Another look or text size, once the press that asked for it has ended."""
        self.keep_prefs(prefs)
        self._finish_making()
        self._pieces = self._rebuild()
        self._rebuilding.start()

    def _next_piece(self) -> None:
        if self._make_piece():
            self._rebuilding.start()

    def _finish_making(self) -> None:
        """All that is left at once: somebody needs it now."""
        if not self._in_the_making:
            while self._make_piece():
                pass

    def _make_piece(self) -> bool:
        """Whether there was one left."""
        self._in_the_making = True
        try:
            more = next(self._pieces, self) is not self
        finally:
            self._in_the_making = False
        if not more:
            self._rebuilding.stop()
        return more

    def _rebuild(self) -> Generator[None]:
        look, full = self.pictures.look, self.pictures.full
        yield from self._build()
        yield
        if look is not None:
            self.bench.plate_view.canvas.show_look(look)
        if full is not None:
            self.pictures.measured.emit(full)
        self.pictures.tray.forget()
        self.pictures.refresh()

    # -- actions -------------------------------------------------------------------

    def run(self, command: Command) -> None:
        """Do what was chosen by its name; what belongs to another desk goes there first."""
        if command.desk and command.desk != self.studio.desk and command.when():
            self.go_to(command.desk)
        command.do()

    def find_command(self) -> None:
        finder = Finder(self.ui, self, {c.id for c in self.commands if c.when()})
        wanted = finder.taken() if finder.exec() else ""
        finder.deleteLater()
        if wanted:
            self.run(self.commands[wanted])

    def open_dialog(self) -> None:
        self.filing.open_paths(ask_files(self))

    def open_demo(self) -> None:
        """Saltmarrow Quay takes the place of an empty project."""
        self.filing.open_made(kept_demo, "Opening Saltmarrow Quay…", "falloff")

    def save(self) -> None:
        if self.studio.path is None:
            self.save_as()
        else:
            self.filing.save_to(self.studio.path)

    def save_as(self) -> None:
        start, at = f"{self.studio.project.name}{EXTENSION}", self.studio.path
        path, _ = self.files.save(
            self, "Save the project", "project", start, f"Engraver projects (*{EXTENSION})",
            begin=at.parent if at else None,
        )  # fmt: skip
        if path is not None:
            self.filing.save_to(path, over=True)

    def make_icon(self, plate: str) -> None:
        icon_of_plate(self, plate)

    def show_keys(self) -> None:
        sheet = KeysSheet(self.ui, self, self.studio.desk, {d.id: d.name for d in DESKS.values()})
        sheet.exec()
        sheet.deleteLater()

    def change_theme(self) -> None:
        self.rebuild(replace(self.prefs, theme="lamp" if self.prefs.theme == "day" else "day"))

    def change_text(self, by: int) -> None:
        sizes = preferences.TEXT_SIZES
        place = sizes.index(self.prefs.text_size) + by
        if 0 <= place < len(sizes):
            self.rebuild(replace(self.prefs, text_size=sizes[place]))

    # -- telling -------------------------------------------------------------------

    def tell(self, sentence: str, kind: str) -> None:
        self.notice.tell(sentence, kind)

    def _gone_on(self) -> None:
        if not self.making:
            self.notice.go_soon()

    def busy_words(self, words: str) -> None:
        self._busy_with = words
        self._kept_words()

    def _show_state(self, top: TopBar) -> None:
        """What is under way, or whether all is kept."""
        if self._busy_with:
            top.show_busy(self._busy_with, stops=self.filing.working)
        else:
            path = self.studio.path
            top.show_kept(self.filing.all_kept(), path.name if path is not None and self.studio.dirty else "")

    def _opened(self, path: str) -> None:
        if path:
            self.keep_prefs(self.prefs.with_recent(Path(path)))
        self._kept_words()

    def keep_prefs(self, prefs: Prefs) -> None:
        """Other preferences, from now on and in the next session."""
        self.prefs = prefs
        self.filing.write_soon(self.places.prefs, preferences.to_json(self.prefs))

    def _kept_words(self) -> None:
        if not self.making:  # told once the bar stands again
            self._show_state(self.top)
        self.setWindowTitle(f"{self.studio.project.name} · Engraver")

    # -- Qt ------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not isinstance(self.focusWidget(), QLineEdit):
            self.studio.peek(True)
            return
        if event.key() == Qt.Key.Key_Escape and self.notice.isVisible():
            self.notice.hide()
            return
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.studio.peek(False)
            return
        super().keyReleaseEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        dropping.welcome(event)

    def dropEvent(self, event: QDropEvent) -> None:
        dropping.drop(self, self.studio.desk, event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.notice.isVisible():
            self.notice.place()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._first:
            self._first = False
            QTimer.singleShot(0, self.painted.emit)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.arrivals.pause()
        self.filing.write_soon(self.places.looks, state.to_json(self.looks.bench))
        for kept in (self.trials.keep(), self.cabinet.keep_state()):
            self.filing.write_soon(*kept)
        for part in (self.cabinet, self.using, self.pack):
            part.end()
        self.filing.end()
        self.exports.end()
        self.pictures.end()
        self.trials.drawing.forget()
        event.accept()
