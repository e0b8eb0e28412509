"""The cabinet's parts in their places: drawers, the wall under its bar, the chosen piece."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint
from PySide6.QtGui import QDrag, QImage, QPixmap, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from engraver.core.cabinet import moving, upkeep
from engraver.core.files.names import file_stem
from engraver.core.words import counted

from ...cabinet_filling import fill_with_demo
from ...cabinet_mime import dragged
from ...cabinet_state import STANDING
from ...host import Host
from ...icon_making import icon_of_piece
from ...question import sure
from ...ui import literal, named
from ...views.cabinet_bar import CabinetBar
from ...views.cabinet_panel import SCOPES, CabinetPanel
from ...views.cabinet_wall import TAGS, CabinetWall
from ...views.cast_view import LargeView
from ...views.drawer_list import DrawerList
from ...views.rename_sheet import RenameSheet
from .drawer_acts import DrawerActs

_USES = ("cabinet-place", "cabinet-strew", "cabinet-tip", "cabinet-tooth", "cabinet-try")
_OF_ONE = (
    "cabinet-open", "cabinet-try", None, "cabinet-place", "cabinet-strew", "cabinet-tip", "cabinet-tooth", None,
    "cabinet-near", "cabinet-large", "cabinet-copy", "cabinet-icon", "cabinet-write", None, "cabinet-favourite",
    "cabinet-rename", "cabinet-mend", "cabinet-forget",
)  # fmt: skip
# Less room than this for the wall, and the drawers go into its bar.
_LEAST_WALL = 330


class CabinetDesk(QWidget):
    """Holds no truth: what it shows lies in the cabinet, how it shows it in the desk's state."""

    def __init__(self, host: Host, parent: QWidget) -> None:
        super().__init__(parent)
        self.host, self.ui, self.active = host, host.ui, host.cabinet
        ui, active = host.ui, host.cabinet
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.drawers = DrawerList(ui, active)
        row.addWidget(self.drawers)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        self.bar, self.wall = CabinetBar(ui, active), CabinetWall(ui, active)
        middle.addWidget(self.bar)
        middle.addWidget(self.wall, 1)
        self.working = self._progress()
        middle.addWidget(self.working)
        row.addLayout(middle, 1)
        self.panel = CabinetPanel(ui, active)
        row.addWidget(self.panel)
        self.large = LargeView(ui, active.casts, self.wall)
        self.empty = self._empty()
        self.wall.opened.connect(lambda id: host.commands["cabinet-open"].do())
        self.wall.large.connect(lambda _: self.show_large())
        self.wall.menu_for.connect(lambda _, place: self.menu().exec(place))
        self.wall.dragged.connect(self._drag)
        self.large.stepped.connect(self._step_large)
        self.large.closed.connect(self.wall.setFocus)
        self.panel.use.clicked.connect(self._use)
        self.bar.take_in.connect(self.take_in)
        acts = self.drawer_acts = DrawerActs(
            active, self, lambda said: host.studio.told.emit(said, "good"), self.export
        )  # fmt: skip
        self.drawers.new_drawer.connect(lambda: acts.new())
        self.drawers.kept_search.connect(acts.keep_search)
        self.drawers.filled.connect(acts.fill)
        self.drawers.menu_for.connect(lambda id, place: acts.menu(id).exec(place))
        self.drawers.to_rename.connect(acts.rename)
        self.drawers.to_remove.connect(acts.remove)
        active.looked.connect(self.follow)
        active.found_changed.connect(self.follow)
        active.chest_changed.connect(self.follow)
        active.working.connect(self._work)
        self.follow()

    def _progress(self) -> QWidget:
        """What is being taken in, with a way to stop it."""
        line = named(QWidget(), "panel")
        row = QHBoxLayout(line)
        row.setContentsMargins(self.ui.px(12), self.ui.px(4), self.ui.px(12), self.ui.px(4))
        self.work_words = QLabel()
        stop = named(QPushButton("Stop"), "link")
        stop.setToolTip("What was taken in until now stays")
        stop.clicked.connect(lambda: self.active.taking.stop())
        self.work_share = QProgressBar()
        self.work_share.setTextVisible(False)
        self.work_share.setFixedHeight(self.ui.px(6))
        row.addWidget(self.work_words)
        row.addWidget(self.work_share, 1)
        row.addWidget(stop)
        line.hide()
        return line

    def _empty(self) -> QWidget:
        """What stands where nothing is found."""
        inside = QWidget(self.wall)
        box = QVBoxLayout(inside)
        box.setSpacing(self.ui.px(10))
        self.empty_words = QLabel()
        self.empty_words.setWordWrap(True)
        self.empty_words.setStyleSheet(f"color: {self.ui.theme.on_bar};")
        box.addWidget(self.empty_words)
        self.ways = QWidget()
        ways = QVBoxLayout(self.ways)
        ways.setContentsMargins(0, 0, 0, 0)
        for id, words in (
            ("cabinet-take-in", "Take in a folder…"),
            ("cabinet-demo", "Try it with Saltmarrow Quay's"),
        ):
            button = QPushButton(words)
            button.clicked.connect(lambda _=False, i=id: self.host.commands[i].do())
            ways.addWidget(button)
        box.addWidget(self.ways)
        return inside

    # -- following -----------------------------------------------------------------

    def follow(self) -> None:
        """Fold what the state says; say what is to do where nothing is found."""
        active = self.active
        self._fold()
        found = active.found
        self.empty.setVisible(not found.listed and (active.asked or bool(found.trouble)))
        nothing = not active.chest.counts.get("all", 0)
        self.ways.setVisible(nothing and not found.trouble and not found.read_only)
        self.empty_words.setText(found.trouble or self._nothing(nothing))
        self._place_empty()
        if self.large.isVisible():
            self._show_in_large()

    def _fold(self) -> None:
        """The panel as it is asked for; the drawers go into the bar where they would leave no room for the wall."""
        self.panel.setVisible(self.active.state.panel)
        panel = self.panel.width() if self.active.state.panel else 0
        narrow = self.width() - panel - self.drawers.width() < self.ui.px(_LEAST_WALL)
        self.drawers.setVisible(not narrow)
        self.bar.show_drawer(narrow)

    def _nothing(self, empty: bool) -> str:
        state = self.active.state
        if empty:
            return (
                "Nothing is kept yet. At any desk Ctrl+B keeps the plate or brush in your hand here, for always "
                "and for every project; a folder of old alphas can be taken in."
            )
        if state.query.words or self.bar.words():
            return "Nothing here answers to that. Fewer letters, or another drawer, may find it."
        return "This drawer is empty. Drop pieces from the wall into it." if state.drawer not in STANDING else (
            f"Nothing lies in {STANDING[state.drawer].name}."
        )  # fmt: skip

    def _place_empty(self) -> None:
        room, px = self.wall.rect(), self.ui.px
        self.empty_words.setFixedWidth(min(px(360), max(px(120), room.width() - px(48))))
        self.empty.adjustSize()
        self.empty.move((room.width() - self.empty.width()) // 2, max(0, (room.height() - self.empty.height()) // 2))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fold()
        self._place_empty()
        if self.large.isVisible():
            self.large.setGeometry(self.wall.rect())

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.active.come()
        self._place_empty()
        self.wall.setFocus()

    def _work(self, words: str) -> None:
        self.working.setVisible(bool(words))
        self.work_words.setText(words)
        share = words.rpartition(" ")[0].rpartition(" ")[2]
        self.work_share.setRange(0, 100 if share.isdigit() else 0)
        if share.isdigit():
            self.work_share.setValue(int(share))

    # -- one piece -----------------------------------------------------------------

    def show_large(self) -> None:
        """The chosen piece over all of the wall."""
        if self.active.shown is not None:
            self._show_in_large()
            self.large.open()

    def _show_in_large(self) -> None:
        shown = self.active.shown
        if shown is not None:
            self.large.show_picture(shown.picture, shown.zero)

    def _step_large(self, by: int) -> None:
        self.wall.step(by)
        self._show_in_large()

    def menu(self) -> QMenu:
        """What can be done with the chosen pieces."""
        menu, commands = QMenu(self), self.host.commands
        for id in _OF_ONE:
            if id is None:
                menu.addSeparator()
            else:
                menu.addAction(commands[id].name, partial(self.host.run, commands[id]))
        colours = menu.addMenu("Colour")
        for colour in (*TAGS, ""):
            colours.addAction(colour.capitalize() or "None", partial(self._set, "Colour", colour=colour))
        scopes = menu.addMenu("Keep it")
        for scope, words in SCOPES:
            scopes.addAction(words, partial(self._set, "How long it is kept", scope=scope))
        mine = [d for d in self.active.chest.drawers if d.query is None]
        into = menu.addMenu("Into a drawer")
        for drawer in mine:
            into.addAction(literal(drawer.name), partial(self.drawer_acts.fill, drawer.id, self.active.chosen))
        into.addAction("New drawer…", lambda: self.drawer_acts.new(self.active.chosen))
        if any(d.id == self.active.state.drawer for d in mine):
            menu.addAction("Take out of this drawer", self.drawer_acts.take_out)
        return menu

    def _set(self, label: str, **changes: object) -> None:
        self.active.set_entries(self.active.chosen, label, **changes)

    def _use(self) -> None:
        menu = QMenu(self)
        for id in _USES:
            command = self.host.commands[id]
            menu.addAction(command.name, partial(self.host.run, command))
        menu.exec(self.panel.use.mapToGlobal(QPoint(0, self.panel.use.height())))

    def _drag(self, ids: tuple[str, ...]) -> None:
        """The files go with the pointer, for other programs; the entries, for the desks."""
        self.host.using.finish(ids, partial(self.start_drag, ids))

    def start_drag(self, ids: tuple[str, ...], files: list[Path]) -> None:
        """Drag entries with their finished files."""
        drag = QDrag(self.wall)
        drag.setMimeData(dragged(ids, files))
        shown = self.active.shown
        cast = self.active.casts.at_hand(self.wall._key(shown)) if shown is not None else None
        if cast is not None:
            grey = cast[..., 2].copy()
            image = QImage(grey.data, grey.shape[1], grey.shape[0], grey.shape[1], QImage.Format.Format_Grayscale8)
            drag.setPixmap(QPixmap.fromImage(image.copy()).scaledToHeight(self.ui.px(64)))
        drag.exec()

    def rename(self) -> None:
        """One, or many by a pattern, seen before it is done."""
        ids = self.active.chosen
        names = {one.id: one.name for one in self.active.found.listed}
        sheet = RenameSheet(self.ui, self.host.widget, [names[id] for id in ids if id in names])
        made = sheet.names() if sheet.exec() else []
        sheet.deleteLater()
        if made:
            pairs = [(id, name) for id, name in zip(ids, made, strict=True) if names.get(id) != name]
            changes = [(id, {"name": name}) for id, name in pairs]
            self.active.change(
                lambda cabinet: cabinet.change_each(changes), label=f"Rename {counted(len(pairs), 'piece')}"
            )

    def icon(self) -> None:
        """The icon maker, for the chosen piece."""
        shown = self.active.shown
        if shown is not None:
            icon_of_piece(self.host, shown.id, shown.name)

    def forget(self) -> None:
        """Out of the cabinet, after a question that says what it does."""
        ids = self.active.chosen
        shown = self.active.shown
        what = shown.name if len(ids) == 1 and shown is not None else counted(len(ids), "piece")
        goes = "Its picture, notes and history go with it; Undo brings them back until you close Engraver."
        words = f"Take {what} out of the cabinet?"
        title = "Take out of the cabinet"
        if sure(self.host.widget, title, words, "Take out", more=goes, leave="Keep", for_good=True):
            self.active.change(lambda cabinet: cabinet.forget(ids), label=f"Take {what} out")

    def write_files(self) -> None:
        """The finished files of the chosen pieces into a folder."""
        folder = self.ui.files.folder(self.host.widget, "Save the finished files", "finished")
        if folder is not None:
            told, ids = self.host.studio.told, self.active.chosen
            self.host.using.write(
                ids, folder, lambda paths: told.emit(f"{counted(len(paths), 'file')} in {folder}", "good")
            )

    # -- the whole -----------------------------------------------------------------

    def take_in(self) -> None:
        """Choose a folder of finished files."""
        folder = self.ui.files.folder(self.host.widget, "Take in a folder of finished files", "finished")
        if folder is not None:
            self.host.using.take_in(folder)

    def fill_demo(self) -> None:
        """The demo's pieces, to try the cabinet with."""
        fill_with_demo(self.active)

    def export(self, drawer: str = "") -> None:
        """A drawer, or all, to one file."""
        id = drawer or self.active.state.drawer
        mine = next((d.name for d in self.active.chest.drawers if d.id == id), "")
        start = f"{file_stem(mine or STANDING['all' if id not in STANDING else id].name)}{moving.EXTENSION}"
        typed, _ = self.ui.files.save(
            self.host.widget, "Move house", "cabinet", start, f"Cabinets (*{moving.EXTENSION})"
        )
        if typed is not None:
            path = typed if typed.name.endswith(moving.EXTENSION) else typed.with_name(typed.name + moving.EXTENSION)
            query, told = self.active.drawer_query(id), self.host.studio.told
            self.active.change(
                lambda cabinet: moving.export(cabinet, path, query),
                lambda count: told.emit(f"{count} pieces written to {path.name}.", "good"), f"Writing {path.name}…",
            )  # fmt: skip

    def join(self) -> None:
        """Another cabinet's file, without doubles."""
        path = self.ui.files.open(
            self.host.widget, "Join another cabinet", "cabinet", f"Cabinets (*{moving.EXTENSION});;All files (*)"
        )
        if path is not None:
            told = self.host.studio.told
            self.active.change(
                lambda cabinet: moving.join(cabinet, path),
                lambda came: told.emit(f"{came[0]} came, {came[1]} were there.", "good"), "Joining…",
                f"Join {path.name}",
            )  # fmt: skip

    def check(self) -> None:
        """Look the cabinet over, and tell."""
        told = self.host.studio.told

        def done(report: upkeep.Report) -> None:
            more = f" {report.told[0]} Run `engraver cabinet check` for all of it." if report.told else ""
            words = f"{report.entries} pieces and {report.pictures} pictures looked over."
            told.emit(f"{words}{more or ' All is well.'}", "good" if report.sound else "fault")
            if report.removed:
                self.host.cabinet_undo.forget()

        self.active.change(upkeep.check, done, "Looking the cabinet over…")
