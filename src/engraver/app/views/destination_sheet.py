"""Destinations: those that ship to read and copy, the artist's own to change."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from engraver.core.errors import BadValue, EngraverError
from engraver.core.files.names import file_stem
from engraver.core.readiness import Destination, shipped
from engraver.core.readiness.destinations import forget, keep, known, load_folder, make

from ..exporting import Exports
from ..ui import Ui, named
from .destination_rules import DestinationRules
from .sheet import Sheet
from .zone_list import ZoneList

# How the form calls what the file calls otherwise.
_CALLED = {"sizes.smallest": "the smallest side", "sizes.preferred": "the preferred side",
           "sizes.largest": "the largest side", "dpi": "DPI", "name": "the name", "name_pattern": "the file name",
           "purpose": "the purpose", "note": "the note"}  # fmt: skip


class DestinationSheet(Sheet):
    """The list at the left; the chosen one's rules and gauges at the right. What is changed is kept on leaving."""

    def __init__(self, ui: Ui, parent: QWidget, folder: Path, exports: Exports) -> None:
        super().__init__(ui, parent)
        self._folder, self._exports = folder, exports
        self._shown = ""
        self.setWindowTitle("Destinations")
        self.resize(ui.px(960), ui.px(640))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(16), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(10))
        box.addWidget(named(QLabel("Destinations"), "title"))
        middle = QHBoxLayout()
        middle.setSpacing(ui.px(20))
        self.list = QListWidget()
        self.list.setFixedWidth(ui.px(236))
        self.list.currentRowChanged.connect(lambda _: self._chose())
        middle.addWidget(self.list)
        middle.addLayout(self._right(), 1)
        box.addLayout(middle, 1)
        self.words = named(QLabel(), "second")
        self.words.setWordWrap(True)
        box.addWidget(self.words)
        box.addLayout(self._foot())
        self._fill(ui.studio.destination.id)

    # -- building ----------------------------------------------------------------------

    def _right(self) -> QVBoxLayout:
        """Two pages under two buttons: the rules of the file, and its gauges."""
        ui, box = self.ui, QVBoxLayout()
        box.setSpacing(ui.px(12))
        self.rules, self.zones = DestinationRules(ui), ZoneList(ui)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.rules)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.zones)
        self.pages.addWidget(scroll)
        row, self.tabs = QHBoxLayout(), QButtonGroup(self)
        row.setSpacing(ui.px(6))
        for n, words in enumerate(("The file", "Its gauges")):
            button = named(QPushButton(words), "tab")
            button.setCheckable(True)
            self.tabs.addButton(button, n)
            row.addWidget(button)
        row.addStretch(1)
        self.tabs.button(0).setChecked(True)
        self.tabs.idClicked.connect(self.pages.setCurrentIndex)
        box.addLayout(row)
        box.addWidget(self.pages, 1)
        self.rules.changed.connect(self._edited)
        self.zones.changed.connect(self._edited)
        return box

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.copy = QPushButton("Copy as my own")
        self.copy.clicked.connect(self._copy)
        self.remove = QPushButton("Remove")
        self.remove.clicked.connect(self._remove)
        self.save = QPushButton("Keep")
        self.save.clicked.connect(self.keep)
        done = named(QPushButton("Done"), "main")
        done.clicked.connect(self._done)
        row.addWidget(self.copy)
        row.addWidget(self.remove)
        row.addStretch(1)
        row.addWidget(self.save)
        row.addWidget(done)
        return row

    # -- showing -----------------------------------------------------------------------

    def _fill(self, chosen: str) -> None:
        self._own = load_folder(self._folder)[0]
        self._all = dict(known(self._folder))
        self.list.blockSignals(True)
        self.list.clear()
        for words, group in (("COME WITH ENGRAVER", set(self._all) - set(self._own)), ("YOUR OWN", set(self._own))):
            if group:
                heading = QListWidgetItem(words)
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                heading.setFont(self.ui.font(10, 600))
                self.list.addItem(heading)
            for to in (d for d in self._all.values() if d.id in group):
                item = QListWidgetItem(to.name)
                item.setData(Qt.ItemDataRole.UserRole, to.id)
                item.setToolTip(to.purpose)
                self.list.addItem(item)
        self._choose(chosen if chosen in self._all else next(iter(self._all)))
        self.list.blockSignals(False)
        self._show()

    def chosen(self) -> Destination:
        """The destination that is shown."""
        return self._all[self._shown]

    def _chose(self) -> None:
        """Another one of the list: what was changed is kept first, or told and stayed with."""
        item = self.list.currentItem()
        id = self._id(item) if item is not None else ""
        if id in ("", self._shown):
            return
        if not self.changed() or self.keep():
            self._fill(id)
        else:
            self.list.blockSignals(True)
            self._choose(self._shown)
            self.list.blockSignals(False)

    def _choose(self, id: str) -> None:
        rows = (row for row in range(self.list.count()) if self._id(self.list.item(row)) == id)
        self.list.setCurrentRow(next(rows))

    @staticmethod
    def _id(item: QListWidgetItem) -> str:
        return str(item.data(Qt.ItemDataRole.UserRole) or "")

    def _show(self) -> None:
        self._shown = self._id(self.list.currentItem())
        to, own = self.chosen(), self._shown in self._own
        folder = self._exports.folder_for(to.id)
        self.rules.show_destination(to, own, str(folder) if folder else "")
        self.zones.show_destination(to, own)
        self.remove.setVisible(own)
        self.save.setEnabled(False)
        self._tell(
            "" if own else "This one comes with Engraver: copy it to change it. Its folder is yours to choose."
        )

    def _tell(self, words: str, *, wrong: bool = False) -> None:
        self.words.setText(words)
        self.words.setStyleSheet(f"color: {self.ui.theme.fault};" if wrong else "")

    # -- changing ----------------------------------------------------------------------

    def values(self) -> dict[str, Any]:
        """What stands on both pages, on top of what they do not show."""
        return {**self.chosen().model_dump(), **self.rules.values(), **self.zones.values()}

    def _edited(self) -> None:
        self.save.setEnabled(self.changed())
        if self._shown in self._own:
            try:
                self.zones.show_applying(make(self.values(), ""))
            except BadValue:
                return  # half typed: told when it is kept

    def changed(self) -> bool:
        """Whether anything differs from what is kept."""
        kept = self._exports.folder_for(self._shown)
        if self.rules.folder.text().strip() != (str(kept) if kept else ""):
            return True
        if self._shown not in self._own:
            return False
        try:
            return make(self.values(), "") != self.chosen()
        except BadValue:
            return True

    def keep(self) -> bool:
        """Keep what was changed; False, with the words, when it cannot be."""
        to = self.chosen()
        if to.id in self._own:
            try:
                own = make(self.values(), to.name, _CALLED)
            except BadValue as error:
                self._tell(f"This cannot be kept: {error.why}.", wrong=True)
                return False
            if not self._write(own):
                return False
        self._exports.set_folder(to.id, self.rules.folder.text().strip())
        self._fill(to.id)
        self._tell(f"{self.chosen().name} is kept." if to.id in self._own else "The folder is kept for this machine.")
        return True

    def _done(self) -> None:
        if not self.changed() or self.keep():
            self.accept()
        else:
            self._tell(f"{self.words.text()} Or press Esc to leave it as it was.", wrong=True)

    def _copy(self) -> None:
        """A new destination of the artist's own, with the rules of the chosen one."""
        if self.changed() and not self.keep():
            return
        to, n = self.chosen(), 1
        base = file_stem(f"my-{to.id.removeprefix('my-')}")[:34]
        id = base
        while id in self._all:
            n += 1
            id = f"{base}-{n}"
        own = to.model_copy(update={"id": id, "name": f"My {to.name[0].lower()}{to.name[1:]}"[:60]})
        if self._write(own):
            self._fill(id)
            self._tell(f"{own.name} is yours to change.")

    def _write(self, to: Destination) -> bool:
        try:
            keep(to, self._folder)
        except EngraverError as error:
            self._tell(error.sentence(), wrong=True)
            return False
        self.ui.studio.offer_destinations(known(self._folder))
        return True

    def _remove(self) -> None:
        to = self.chosen()
        try:
            forget(to.id, self._folder)
        except EngraverError as error:
            self._tell(error.sentence(), wrong=True)
            return
        self._fill(to.id if to.id in shipped() else next(iter(shipped())))
        self.ui.studio.offer_destinations(known(self._folder))
