"""What the window does with finished plates: export, export again, copy, and the destinations they go to."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QTimer

from engraver.core.errors import Watch
from engraver.core.files.names import file_stem
from engraver.core.files.read import read_bytes
from engraver.core.files.write import UNSIGNED
from engraver.core.readiness.export import Order, delivered
from engraver.core.recipe import Plate
from engraver.standins.receiver import habit_for, habits

from .host import Host
from .measuring import MeasuredPlate
from .views.arrival_sheet import ArrivalSheet
from .views.destination_sheet import DestinationSheet
from .views.export_sheet import ExportSheet
from .views.together_sheet import TogetherSheet


class ExportActions:
    def __init__(self, host: Host) -> None:
        self._w = host

    def export(self, ticked: tuple[str, ...] = ()) -> None:
        """Open the sheet, with some destinations ticked besides the plate's own."""
        if len(self._w.besides.all) > 1:
            self.together()
        else:
            self._w.measured.ask(lambda full, plate: self._export(full, plate, ticked))

    def _export(self, full: MeasuredPlate, plate: Plate, ticked: tuple[str, ...] = ()) -> None:
        sheet = ExportSheet(self._w.ui, self._w.widget, self._w.ui.files.begin("finished"), full, self._w.exports)
        sheet.edit_destinations.connect(lambda: QTimer.singleShot(0, self.edit_destinations))
        for id in ticked:
            sheet.lines[id].tick.setChecked(True)
        wish = sheet.wish() if sheet.exec() else None
        sheet.deleteLater()
        if wish is not None:
            self._w.ui.files.remember("finished", wish.orders[0].folder)
            height = self._w.captures.height_words()
            note = f"white is {height} above zero" if height else ""
            self._w.exports.export(plate.id, full, wish, self._w.pictures.strength, note)

    def together(self) -> None:
        """Export the plates that are chosen together."""
        sheet = TogetherSheet(self._w.ui, self._w.widget, self._w.besides.all, self._w.ui.files.begin("finished"))
        jobs = sheet.jobs() if sheet.exec() else []
        sheet.end()
        sheet.deleteLater()
        if jobs:
            self._w.ui.files.remember("finished", jobs[0][1][0].folder)
            self._w.exports.export_together(jobs)

    def all_together(self) -> None:
        """Export every plate of the project."""
        self._w.besides.choose(p.id for p in self._w.studio.project.plates)
        self.together()

    def export_again(self) -> None:
        """Refresh the files of the plate's last export."""
        self._w.measured.ask(self._export_again)

    def _export_again(self, full: MeasuredPlate, plate: Plate) -> None:
        wish = self._w.exports.last(plate.id)
        if wish is None:
            self._export(full, plate)
        else:
            self._w.exports.export(plate.id, full, wish, self._w.pictures.strength)

    def what_arrives(self, first: str = "") -> None:
        """The files of the last export, else those that one would write, as another program reads them.

        ``first`` is the id of the habit that is shown first, where it is not the destination's own.
        """
        self._w.measured.ask(lambda full, plate: self._what_arrives(full, plate, first))

    def _what_arrives(self, full: MeasuredPlate, plate: Plate, first: str) -> None:
        studio = self._w.studio
        last, to = self._w.exports.last(plate.id), studio.destination
        if last is not None:
            to = last.orders[0].destination
        raster, order = full.result.raster, Order(to, Path(), file_stem(plate.name))

        def read(check: Watch) -> tuple[tuple[str, bytes], ...]:
            written = [p for p in last.paths() if p.is_file()] if last is not None else []
            if written:
                return tuple((p.name, read_bytes(p)) for p in written if p.suffix != ".txt")
            check()
            return tuple((name, data) for name, data in delivered(raster, order).files(order.full_stem, UNSIGNED)
                         if not name.endswith(".txt"))  # fmt: skip

        of = habits()[first] if first else habit_for(to.id)
        sheet = ArrivalSheet(self._w.ui, self._w.widget, plate.name, read, full.height, of)
        sheet.exec()
        sheet.deleteLater()

    def copy_picture(self) -> None:
        self._w.measured.ask(lambda full, _: self._w.exports.copy_picture(full))

    def edit_destinations(self) -> None:
        """The artist's own destinations, and copies of those that ship."""
        sheet = DestinationSheet(self._w.ui, self._w.widget, self._w.places.destinations, self._w.exports)
        sheet.exec()
        sheet.deleteLater()
