"""Several plates exported together: each for what it is made ready for, or all for the same uses."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from engraver.core.engine import resolve
from engraver.core.errors import EngraverError, Watch
from engraver.core.files.names import file_stem, is_folder, is_there, typed_path
from engraver.core.files.naming import by_pattern
from engraver.core.pack import Piece
from engraver.core.pack.ready import Ready, ready
from engraver.core.readiness import Destination
from engraver.core.readiness.export import Order, clashes, orders_for

from ..lanes import LatestLane
from ..studio import Studio
from ..ui import Ui, named
from .dialog_foot import dialog_foot
from .pack_sheet import MARKS
from .sheet import Sheet

Job = tuple[str, tuple[Order, ...]]
# Of the columns of files and destinations, in pixels at text size 100 %.
_WIDEST = (160, 200)


class TogetherSheet(Sheet):
    """Lists every file that will be written, with its readiness as it becomes known."""

    def __init__(self, ui: Ui, parent: QWidget, ids: tuple[str, ...], folder: Path) -> None:
        super().__init__(ui, parent)
        self._studio = ui.studio
        self._plates = [p for p in self._studio.project.plates if p.id in ids]
        self._ready: dict[tuple[str, str], Ready] = {}
        self.setWindowTitle("Export together")
        self.resize(ui.px(880), ui.px(520))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(8))
        box.addWidget(named(QLabel(f"Export {len(self._plates)} plates together"), "title"))
        row = QHBoxLayout()
        row.setSpacing(ui.px(14))
        column = QVBoxLayout()
        self.own = QCheckBox("Each for what it is made ready for")
        self.own.setChecked(True)
        self.own.toggled.connect(self._follow)
        column.addWidget(self.own)
        column.addWidget(named(QLabel("And all of them for"), "second"))
        self.uses = QListWidget()
        self.uses.setAccessibleName("Uses for all of them")
        self.uses.setFixedWidth(ui.px(230))
        for to in self._studio.destinations.values():
            item = QListWidgetItem(to.name)
            item.setData(Qt.ItemDataRole.UserRole, to.id)
            item.setToolTip(to.purpose)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.uses.addItem(item)
        self.uses.itemChanged.connect(self._follow)
        column.addWidget(self.uses, 1)
        row.addLayout(column)
        self.files = QTreeWidget()
        self.files.setHeaderLabels(["File", "For", "Ready"])
        self.files.setRootIsDecorated(False)
        self.files.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        row.addWidget(self.files, 1)
        box.addLayout(row, 1)
        where = QHBoxLayout()
        self.folder = QLineEdit(str(folder))
        self.folder.setAccessibleName("Folder")
        self.folder.textChanged.connect(self._follow)
        choose = QPushButton("Choose…")
        choose.clicked.connect(self._choose)
        self.pattern = QLineEdit("{name}")
        self.pattern.setFixedWidth(ui.px(130))
        self.pattern.setAccessibleName("Names")
        self.pattern.setToolTip("{name} the plate's name · {nn} a number: 01, 02, …")
        self.pattern.textChanged.connect(self._follow)
        for widget in (QLabel("Folder"), self.folder, choose, QLabel("Names"), self.pattern):
            where.addWidget(widget)
        box.addLayout(where)
        self.told = QLabel()
        self.told.setWordWrap(True)
        box.addWidget(self.told)
        foot, self.go = dialog_foot(self, "Export")
        box.addLayout(foot)
        self._lane = LatestLane("together", stop_old=True, parent=self)
        self._follow()
        self.go.setFocus()

    def end(self) -> None:
        """Nobody waits for its readiness any more."""
        self._lane.end()

    def _choose(self) -> None:
        folder = self.ui.files.folder(self, "Export to", "finished", typed_path(self.folder.text()))
        if folder is not None:
            self.folder.setText(str(folder))

    def destinations(self, plate_id: str) -> tuple[Destination, ...]:
        """What a plate is exported for."""
        studio = self._studio
        items = [self.uses.item(n) for n in range(self.uses.count())]
        ticked = [str(i.data(Qt.ItemDataRole.UserRole)) for i in items if i.checkState() == Qt.CheckState.Checked]
        plate = studio.project.plate(plate_id)
        own = studio.destination_of(plate)
        wanted = [own.id] if self.own.isChecked() else []
        return tuple(studio.destinations[id] for id in dict.fromkeys([*wanted, *ticked]))

    def jobs(self) -> list[Job]:
        """For each plate the files that it is written to. Raises BadValue for a pattern that cannot be used."""
        folder = typed_path(self.folder.text())
        names = by_pattern(self.pattern.text(), [p.name for p in self._plates])
        found = []
        for plate, name in zip(self._plates, names, strict=True):
            facts = _size(self._studio, plate.id)
            orders = orders_for(self.destinations(plate.id), file_stem(name), facts, lambda _: folder)
            found.append((plate.id, orders))
        return found

    def _follow(self, _: object = None) -> None:
        self.files.clear()
        trouble, jobs = "", list[Job]()
        try:
            jobs = self.jobs()
        except EngraverError as error:
            trouble = error.sentence()
        orders = [order for _, some in jobs for order in some]
        names = {p.id: p.name for p in self._plates}
        for id, some in jobs:
            for order in some:
                item = QTreeWidgetItem([order.paths()[0].name, order.destination.name, ""])
                item.setToolTip(0, f"{names[id]} → {order.paths()[0]}")
                self.files.addTopLevelItem(item)
        for column, widest in enumerate(_WIDEST):  # as wide as what they say: the rest is for how ready they are
            wanted = self.files.sizeHintForColumn(column) + self.ui.px(14)
            self.files.setColumnWidth(column, min(max(wanted, self.ui.px(60)), self.ui.px(widest)))
        twice = clashes(orders)
        there = sum(is_there(path) for order in orders for path in order.paths())
        if twice:
            trouble = f"Two would be written to {twice[0].name}: add {{nn}} to the names."
        elif not orders and not trouble:
            trouble = "Choose what they are for."
        elif not trouble and not is_folder(typed_path(self.folder.text())):
            trouble = "There is no such folder: it is made."
        files = sum(len(order.paths()) for order in orders)
        words = f"{files} files" + (f", {there} of them are there and are replaced" if there else "")
        self.told.setText(trouble or words)
        made = trouble.endswith("it is made.")
        colour = self.ui.theme.look if there or made else self.ui.theme.fault if trouble else self.ui.theme.ink_2
        self.told.setStyleSheet(f"color: {colour};")
        self.go.setEnabled(bool(orders) and (not trouble or made))
        self._show_ready(jobs)

    def _show_ready(self, jobs: list[Job]) -> None:
        """What is known is shown; the first that is not is measured."""
        row, missing = 0, None
        for id, orders in jobs:
            for order in orders:
                found = self._ready.get((id, order.destination.id))
                item = self.files.topLevelItem(row)
                assert item is not None
                if found is None:
                    missing = missing or (id, order.destination)
                    item.setText(2, "measuring…")
                else:
                    mark, _ = MARKS[found.verdict]
                    item.setText(2, f"{mark}  {found.words()}")
                    item.setToolTip(2, found.words())
                    token = {"unsure": "good"}.get(found.verdict, found.verdict)
                    item.setForeground(2, self.ui.colour(token))
                row += 1
        if missing is not None:
            self._measure(*missing, jobs)

    def _measure(self, id: str, to: Destination, jobs: list[Job]) -> None:
        studio = self._studio
        project, engine = studio.project, studio.engine
        plate = project.plate(id)
        piece = Piece(id, plate.name, file_stem(plate.name), plate)

        def work(check: Watch) -> Ready:
            return ready(project, piece, to, engine, check)

        def done(found: Ready) -> None:
            self._ready[id, to.id] = found
            self._show_ready(jobs)

        self._lane.submit(work, done, _nothing)


def _nothing(error: EngraverError) -> None:
    """Nobody waits for it."""


def _size(studio: Studio, plate_id: str) -> tuple[int, int]:
    facts = resolve(studio.project, plate_id, studio.sources).facts[-1]
    return facts.width, facts.height
