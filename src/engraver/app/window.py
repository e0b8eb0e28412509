"""The one window: the Bench, its actions, and what it does with dropped files."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QPoint, Qt, QTimer, Signal
from PySide6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QPaintEvent,
    QResizeEvent,
    QShortcut,
)
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QSplitter,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import delete

from engraver.core.project import recipe_file
from engraver.core.project.project_file import EXTENSION
from engraver.core.recipe.first import READ_AS
from engraver.core.sources import EXTENSIONS as SOURCES
from engraver.demo.quay import demo_project
from engraver.demo.sheets import SHEETS
from engraver.standins.devices import Scanner
from engraver.standins.flatbed import PracticeScanner

from . import prefs as preferences
from .actions import make_commands
from .active_brush import ActiveBrush
from .arrivals import Arrivals
from .captures import Captures
from .commands import Command
from .dialogs import PLAIN
from .editor_kinds import is_painted
from .export_actions import ExportActions
from .exporting import Exports
from .filing import Filing
from .pictures import Pictures
from .plate_actions import PlateActions
from .prefs import Prefs
from .studio import Studio
from .theme import THEMES, style_sheet
from .ui import Ui, named
from .views.bars import Notice, Rim, TopBar
from .views.capture_view import CaptureView
from .views.line_view import LineView
from .views.plate_view import PlateView
from .views.proof_view import ProofView
from .views.readiness_row import ReadinessRow
from .views.settings_panel import SettingsPanel
from .views.sheets import AddStep, Finder, KeysSheet
from .views.tray import Tray

NOTICE_MS = 6000


class Places:
    """Where this program keeps things of the user's."""

    def __init__(self, config: Path, state: Path) -> None:
        self.prefs = config / "preferences.json"
        self.destinations = config / "destinations"
        self.journals = state / "journal"
        self.camera = state / "practice-camera"


class Window(QMainWindow):
    """Builds the views, again after a change of look or text size: they hold no truth of their own."""

    painted = Signal()
    _first = True

    def __init__(
        self, studio: Studio, places: Places, prefs: Prefs | None = None, parent: QObject | None = None
    ) -> None:
        super().__init__()
        self.studio, self.places = studio, places
        self.prefs = prefs or preferences.load(places.prefs)
        self.pictures = Pictures(studio, self)
        self.hand = ActiveBrush(self)
        self.captures = Captures(studio, self.pictures, self)
        self.filing = Filing(studio, places.journals, self)
        self.exports = Exports(studio, self.filing, places.prefs.parent, self)
        self.arrivals = Arrivals(studio, self.filing, places.camera, self)
        self.scanner: Scanner = PracticeScanner(SHEETS)
        self.plates, self.deliveries = PlateActions(self), ExportActions(self)
        self.commands = make_commands(self)
        self.export_folder = Path.home()
        self._view = 0
        self.setWindowTitle("Engraver")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1140, 680)
        self._rebuilding = QTimer(self, singleShot=True, interval=0)
        self._rebuilding.timeout.connect(self._rebuild)
        self._notice_timer = QTimer(self, singleShot=True, interval=NOTICE_MS)
        self.build()
        self._notice_timer.timeout.connect(lambda: self.notice.hide())
        self._shortcuts()
        studio.told.connect(self.tell)
        studio.project_changed.connect(self._kept_words)
        studio.file_changed.connect(self._kept_words)
        self.filing.opened.connect(self._opened)
        self.filing.journaled.connect(self._kept_words)
        self.filing.busy_with.connect(self.busy_words)
        self.captures.large_changed.connect(self._apply_view)
        self._kept_words()
        self.deliveries.load_destinations()
        if self.exports.trouble:
            self.tell(self.exports.trouble, "look")
        self.plate_view.canvas.setFocus()

    # -- building ------------------------------------------------------------------

    def build(self) -> None:
        """Make every view in the present look and text size."""
        theme, scale = THEMES[self.prefs.theme], self.prefs.text_size
        self.ui = ui = Ui(
            theme, scale, self.studio, self.pictures, self.commands, self.hand, self.captures,
            self.exports.finish_files,
        )  # fmt: skip
        app = QApplication.instance()
        if isinstance(app, QApplication):
            app.setStyleSheet(style_sheet(theme, scale))
            app.setFont(ui.font())
        ground = ui.colour("surround")
        self.pictures.surround = (ground.red(), ground.green(), ground.blue())
        root = named(QWidget(), "paper")
        outer = QHBoxLayout(root)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.rim = Rim(ui)
        outer.addWidget(self.rim)
        column = QVBoxLayout()
        column.setSpacing(0)
        outer.addLayout(column, 1)
        self.top = TopBar(ui)
        column.addWidget(self.top)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.tray = Tray(ui)
        self.plate_view = PlateView(ui)
        self.proof_view = ProofView(ui)
        self.views = QSplitter(Qt.Orientation.Horizontal)
        self.views.setHandleWidth(2)
        self.views.setChildrenCollapsible(False)
        self.capture_view = CaptureView(ui, self.captures, large=True)
        self.views.addWidget(self.capture_view)
        self.views.addWidget(self.plate_view)
        self.views.addWidget(self.proof_view)
        self.views.setSizes([500, 500, 500])
        self.settings = SettingsPanel(ui)
        self.settings.find_again.connect(self.plates.find_again)
        middle.addWidget(self.tray)
        middle.addWidget(self.views, 1)
        middle.addWidget(self.settings)
        column.addLayout(middle, 1)
        self.readiness = ReadinessRow(ui)
        self.line = LineView(ui)
        column.addWidget(self.readiness)
        column.addWidget(self.line)
        self.notice = Notice(ui, root)
        self.setCentralWidget(root)
        self.tray.new_plate.connect(self.open_dialog)
        self.readiness.export.connect(self.deliveries.export)
        self.line.add_step.connect(self.add_step)
        self.line.use_on_more.connect(self.plates.share)
        self.line.only_here.connect(self.plates.only_here)
        self.line.read_as.connect(self.plates.read_as)
        self.tray.menu_for.connect(self._plate_menu)
        self._apply_view()

    def rebuild(self, prefs: Prefs) -> None:
        """Another look or text size, once the press that asked for it has ended."""
        self.prefs = prefs
        self._keep_prefs()
        self._rebuilding.start()

    def _rebuild(self) -> None:
        look, full = self.pictures.look, self.pictures.full
        old = self.centralWidget()
        if old is not None:  # a new style sheet is worked out for every widget that is there
            old.hide()
            delete(old)
        self.build()
        self._kept_words()
        if look is not None:
            self.plate_view.canvas.show_look(look)
        if full is not None:
            self.pictures.measured.emit(full)
        self.pictures.forget_tray()
        self.pictures.refresh()

    def _shortcuts(self) -> None:
        for command in self.commands:
            if command.shortcut and not command.hold:
                shortcut = QShortcut(QKeySequence(command.shortcut), self)
                shortcut.activated.connect(lambda c=command: self.run(c))

    @property
    def busy(self) -> bool:
        """Something is asked, running, or waits for the hand to rest."""
        return self.pictures.busy or self.filing.busy or self.settings.filling or self._rebuilding.isActive()

    # -- actions -------------------------------------------------------------------

    def possible(self, command: Command) -> bool:
        """Whether an action has what it needs."""
        studio = self.studio
        return {
            "nothing": True,
            "plate": studio.plate is not None,
            "step": studio.step is not None,
            "strokes": is_painted(studio.step),
            "mesh": self.captures.chosen() is not None,
            "reveal": studio.step is not None and studio.step.declared.reveal is not None,
            "undo": studio.history.undo_label is not None,
            "redo": studio.history.redo_label is not None,
        }[command.needs]

    def run(self, command: Command) -> None:
        if self.possible(command):
            command.run()

    def find_command(self) -> None:
        finder = Finder(self.ui, self, {c.id for c in self.commands if self.possible(c)})
        wanted = finder.taken() if finder.exec() else ""
        finder.deleteLater()
        if wanted:
            self.run(self.commands[wanted])

    def add_step(self) -> None:
        sheet = AddStep(self.ui, self)
        wanted = sheet.taken() if sheet.exec() else ""
        sheet.deleteLater()
        if wanted:
            self.studio.add_step(wanted)

    def open_dialog(self) -> None:
        kinds = " ".join(f"*{e}" for e in (*SOURCES, EXTENSION, recipe_file.EXTENSION))
        files, _ = QFileDialog.getOpenFileNames(
            self, "Open", "", f"Pictures, meshes, projects and recipes ({kinds});;All files (*)", options=PLAIN
        )
        if files:
            self.filing.open_paths([Path(f) for f in files])

    def open_demo(self) -> None:
        """Saltmarrow Quay takes the place of an empty project."""
        self.filing.open_made(demo_project, "Opening Saltmarrow Quay…", "falloff")

    def save(self) -> None:
        if self.studio.path is None:
            self.save_as()
        else:
            self.filing.save_to(self.studio.path)

    def save_as(self) -> None:
        start = f"{self.studio.project.name}{EXTENSION}"
        name, _ = QFileDialog.getSaveFileName(
            self, "Save the project", start, f"Engraver projects (*{EXTENSION})", options=PLAIN
        )
        if name:
            self.filing.save_to(Path(name))

    def show_keys(self) -> None:
        sheet = KeysSheet(self.ui, self)
        sheet.exec()
        sheet.deleteLater()

    def change_theme(self) -> None:
        self.rebuild(replace(self.prefs, theme="lamp" if self.prefs.theme == "day" else "day"))

    def change_text(self, by: int) -> None:
        sizes = preferences.TEXT_SIZES
        place = sizes.index(self.prefs.text_size) + by
        if 0 <= place < len(sizes):
            self.rebuild(replace(self.prefs, text_size=sizes[place]))

    def next_view(self) -> None:
        """Both views, plate only, proof only, in turn."""
        self._view = (self._view + 1) % 3
        self._apply_view()

    def _apply_view(self, _: object = None) -> None:
        large = self.captures.large
        self.capture_view.setVisible(large and self._view in (0, 1))
        self.plate_view.setVisible(not large and self._view in (0, 1))
        self.proof_view.setVisible(self._view in (0, 2))

    def choose_beside(self, by: int) -> None:
        """Choose the step before or after the chosen one."""
        uids = ["", *(s.uid for s in self.studio.steps)]
        place = uids.index(self.studio.step_uid) + by
        if 0 <= place < len(uids):
            self.studio.choose_step(uids[place])

    def plate_menu(self, plate_id: str) -> QMenu:
        """What can be done with a plate of the tray; it is chosen first."""
        self.studio.choose_plate(plate_id)
        menu = QMenu(self)
        menu.addAction("Rename…", lambda: self.tray.items[plate_id].rename())
        for id in ("duplicate", "from-source", "family", "replace-source", "split", "share", "remove-plate"):
            menu.addAction(self.commands[id].name, partial(self.run, self.commands[id]))
        if self.studio.plate is not None and self.studio.source(self.studio.plate)[1].referable:
            recipes = menu.addMenu("Follow a recipe that ships")
            for kind, words in READ_AS.items():
                recipes.addAction(words, partial(self.plates.follow_shipped, kind))
        return menu

    def _plate_menu(self, plate_id: str, place: QPoint) -> None:
        self.plate_menu(plate_id).exec(place)

    # -- telling -------------------------------------------------------------------

    def tell(self, sentence: str, kind: str) -> None:
        self.notice.tell(sentence, kind)
        if kind == "fault":
            self._notice_timer.stop()
        else:
            self._notice_timer.start()

    def busy_words(self, words: str) -> None:
        if words:
            self.top.show_busy(words, stops=self.filing.working)
        else:
            self._kept_words()

    def _opened(self, path: str) -> None:
        if path:
            self.prefs = self.prefs.with_recent(Path(path))
            self._keep_prefs()
        self._kept_words()

    def _keep_prefs(self) -> None:
        self.filing.write_soon(self.places.prefs, preferences.to_json(self.prefs))

    def _kept_words(self) -> None:
        self.top.show_kept(self.filing.all_kept())
        self.setWindowTitle(f"{self.studio.project.name} · Engraver")

    # -- Qt ------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not isinstance(self.focusWidget(), QLineEdit):
            self.studio.peek(True)
            return
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.studio.peek(False)
            return
        super().keyReleaseEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.source() is None and event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        event.acceptProposedAction()
        self.filing.open_paths(paths)

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
        self.filing.end()
        self.exports.end()
        self.pictures.end()
        event.accept()
