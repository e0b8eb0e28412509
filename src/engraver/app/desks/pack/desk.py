"""The pack's parts in their places: what is not in it yet, the pages under their bar, what it says."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from engraver.core.cabinet import Cabinet
from engraver.core.errors import EngraverError, Watch
from engraver.core.files.names import file_stem
from engraver.core.pack import open_pack
from engraver.core.pack.build import Built, preview
from engraver.core.pack.compare import Difference, compared
from engraver.core.pack.opened import Report, check_pack
from engraver.core.pack.read_me import read_me
from engraver.core.pack.taking import pieces_of
from engraver.core.words import counted

from ...host import Host
from ...question import sure
from ...ui import literal
from ...views.pack_arrivals import PackArrivals
from ...views.pack_bar import PackBar
from ...views.pack_panel import PackPanel
from ...views.pack_sheet import PackSheet
from ...views.pack_shelf import PackShelf
from ...views.rename_sheet import RenameSheet

_LEAST_PAGES = 380


class PackDesk(QWidget):
    """Holds no truth: the pack lies in the project."""

    def __init__(self, host: Host, parent: QWidget) -> None:
        super().__init__(parent)
        self.host, self.ui, self.active = host, host.ui, host.pack
        ui, active = host.ui, host.pack
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.bar = PackBar(ui, active)
        column.addWidget(self.bar)
        row = QHBoxLayout()
        row.setSpacing(0)
        self.shelf, self.sheet, self.panel = PackShelf(ui, active), PackSheet(ui, active), PackPanel(ui, active)
        row.addWidget(self.shelf)
        row.addWidget(self.sheet, 1)
        row.addWidget(self.panel)
        column.addLayout(row, 1)
        self.bar.write.connect(self.write)
        self.sheet.menu_for.connect(lambda _, place: self.menu().exec(place))
        active.changed.connect(self._read_me)
        self._read_me()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.active.come()
        self._fold()
        self.sheet.setFocus()

    def hideEvent(self, event: QHideEvent) -> None:
        self.active.go()
        super().hideEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fold()

    def _fold(self) -> None:
        """What is not in the pack yet gives way where the pages have no room."""
        room = self.width() - self.panel.width() - self.shelf.width()
        needed = bool(self.shelf.list.count()) or not self.active.pack.items
        self.shelf.setVisible(needed and (room >= self.ui.px(_LEAST_PAGES) or not self.active.pack.items))

    def _read_me(self) -> None:
        """The text of the last page, as far as it is known before anything is computed."""
        self.sheet.read_me = read_me(preview(self.host.studio.project, self.active.planned)).split("\n")
        self.sheet.viewport().update()
        self._fold()

    # -- a piece -------------------------------------------------------------------

    def menu(self) -> QMenu:
        """What can be done with the chosen pieces."""
        menu, active = QMenu(self), self.active
        one = next((p for p in active.planned.pieces if active.chosen and p.id == active.chosen[-1]), None)
        if one is not None:
            menu.addAction("Type another name over it", partial(self._type_over, one.id))
            menu.addAction("Open at the bench", partial(self._open, one.plate.id))
            menu.addAction("Its icon…", partial(self.host.make_icon, one.plate.id))
            for to in active.planned.destinations:
                words = "Leave it out for" if one.goes_to(to.id) else "Put it back for"
                menu.addAction(literal(f"{words} {to.name}"), partial(self._toggle, to.id))
        menu.addSeparator()
        menu.addAction("Rename many…", self.rename)
        menu.addAction("Take out of the pack", lambda: active.remove(active.chosen))
        return menu

    def _type_over(self, id: str) -> None:
        self.sheet.type_over([p.id for p in self.sheet.pieces].index(id))

    def _open(self, plate: str) -> None:
        self.host.studio.choose_plate(plate)
        self.host.go_to("bench")

    def _toggle(self, to: str) -> None:
        pieces = {p.id: p for p in self.active.planned.pieces}
        for id in self.active.chosen:
            self.active.leave_out(id, to, "By choice" if pieces[id].goes_to(to) else "")

    def rename(self) -> None:
        """The chosen pieces, or all, by a pattern, seen before it is done."""
        pieces = self.active.planned.pieces
        some = [p for p in pieces if len(self.active.chosen) < 2 or p.id in self.active.chosen]
        sheet = RenameSheet(
            self.ui, self.host.widget, [p.name for p in some], self.active.pack.prefix, "{prefix} {name} {nn}"
        )
        made = sheet.names() if sheet.exec() else []
        sheet.deleteLater()
        pack = self.active.pack
        for piece, name in zip(some if made else [], made, strict=True):
            pack = pack.but(piece.id, name=name)
        self.active.put(pack, "Rename in the pack")

    def leave_faults(self) -> None:
        """What has a fault stays out, with its word."""
        count = self.active.leave_out_faults()
        self.host.studio.told.emit(f"{count} left out; the read-me says why.", "look" if count else "good")

    # -- the whole -----------------------------------------------------------------

    def write(self) -> None:
        """Choose where, and write it."""
        pack, project = self.active.pack, self.host.studio.project
        title = "Write the pack: a name that ends with .zip makes one file, any other a folder"
        start = f"{file_stem(pack.name or project.name)}.zip"
        out, _ = self.ui.files.save(self.host.widget, title, "finished", start, "Packs (*.zip *)", asks=False)
        if out is not None:
            self.active.write(out, partial(self._written, out))

    def _written(self, out: Path, built: Built) -> None:
        count, left = len(built.listing.pieces), len(built.listing.left_out)
        words = f"{counted(count, 'piece')} packed in {out.name}"
        words += f", {built.kept} as they were" if built.kept else ""
        words += f" · {left} left out, as the read-me says" if left else ""
        notes = list(dict.fromkeys(to.note for to in built.listing.destinations if to.note))
        self.host.studio.told.emit(" · ".join([f"{words}.", *notes]), "good")

    def arrives(self) -> None:
        """The pack's files as programs at the other end read them."""
        sheet = PackArrivals(self.ui, self.host.widget, self.active)
        sheet.exec()
        sheet.end()
        sheet.deleteLater()

    def open_pack(self) -> None:
        """Look over a pack of anybody's, and take it into the cabinet where that is wanted."""
        path = self._ask_pack("Open a pack")
        if path is not None:
            self.host.filing.tasks.add(
                f"Looking over {path.name}…", lambda check: check_pack(path, check), partial(self._looked_over, path),
                self._failed,
            )  # fmt: skip

    def _looked_over(self, path: Path, report: Report) -> None:
        listing = report.listing
        count = len(listing.pieces)
        words = f"{listing.name}: {counted(count, 'piece')}"
        by = [
            f"By {listing.author}." if listing.author else "",
            f"Licence: {listing.licence}" if listing.licence else "",
        ]
        wrong = [f"{len(report.told)} files are not what its list says: {report.told[0]}"] if report.told else []
        more = "\n".join(part for part in [*by, *wrong, "Nothing in it was run or unpacked."] if part)
        if sure(self.host.widget, "A pack", words, "Take into the cabinet", more=more, leave="Close"):
            self._take(path)

    def _take(self, path: Path) -> None:
        def work(cabinet: Cabinet) -> tuple[int, list[str]]:
            told, came = [], 0
            with open_pack(path) as found:
                for _, made in pieces_of(found):
                    if isinstance(made, str):
                        told.append(made)
                    else:
                        cabinet.keep(made)
                        came += 1
            return came, told

        def done(found: tuple[int, list[str]]) -> None:
            came, told = found
            more = f" {len(told)} could not be read: {told[0]}" if told else ""
            self.host.studio.told.emit(f"{came} came into the cabinet.{more}", "look" if told else "good")

        self.host.cabinet.change(work, done, f"Taking in {path.name}…", f"Take in {path.name}")

    def compare(self) -> None:
        """What is another than in a pack that was written before."""
        path = self._ask_pack("Compare with")
        if path is None:
            return
        studio, planned = self.host.studio, self.active.planned
        project = studio.project

        def work(check: Watch) -> Difference:
            with open_pack(path) as found:
                return compared(found.listing, preview(project, planned, studio.sources))

        def done(found: Difference) -> None:
            words = found.words()
            told = " ".join(words[:4]) + (f" And {len(words) - 4} more." if len(words) > 4 else "")
            self.host.studio.told.emit(told or "It lists the same pieces.", "look" if words else "good")

        self.host.filing.tasks.add(f"Comparing with {path.name}…", work, done, self._failed)

    def _ask_pack(self, title: str) -> Path | None:
        path = self.ui.files.open(self.host.widget, title, "finished", "Packs (*.zip pack.json)")
        return path.parent if path is not None and path.name == "pack.json" else path

    def _failed(self, error: EngraverError) -> None:
        self.host.studio.told.emit(error.sentence(), "fault")
