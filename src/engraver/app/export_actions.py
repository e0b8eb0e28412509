"""What the window does with finished plates: export, export again, copy, and the destinations they go to."""

from __future__ import annotations

from PySide6.QtCore import QTimer

from .host import Host
from .measuring import MeasuredPlate
from .views.destination_sheet import DestinationSheet
from .views.export_sheet import ExportSheet


class ExportActions:
    def __init__(self, host: Host) -> None:
        self._w = host

    def _measured(self) -> MeasuredPlate | None:
        """The finished plate, or None with a word why there is none yet."""
        full = self._w.pictures.full
        if full is None or self._w.studio.plate is None:
            self._w.studio.told.emit("The plate is still being measured.", "look")
            return None
        return full

    def export(self, ticked: tuple[str, ...] = ()) -> None:
        """Open the sheet, with some destinations ticked besides the plate's own."""
        full, plate = self._measured(), self._w.studio.plate
        if full is None or plate is None:
            return
        sheet = ExportSheet(self._w.ui, self._w.widget, self._w.export_folder, full, self._w.exports)
        sheet.edit_destinations.connect(lambda: QTimer.singleShot(0, self.edit_destinations))
        for id in ticked:
            sheet.lines[id].tick.setChecked(True)
        wish = sheet.wish() if sheet.exec() else None
        sheet.deleteLater()
        if wish is not None:
            self._w.export_folder = wish.orders[0].folder
            height = self._w.captures.height_words()
            note = f"white is {height} above zero" if height else ""
            self._w.exports.export(plate.id, full, wish, self._w.pictures.strength, note)

    def export_again(self) -> None:
        """Refresh the files of the plate's last export."""
        full, plate = self._measured(), self._w.studio.plate
        if full is None or plate is None:
            return
        wish = self._w.exports.last(plate.id)
        if wish is None:
            self.export()
        else:
            self._w.exports.export(plate.id, full, wish, self._w.pictures.strength)

    def copy_picture(self) -> None:
        full = self._measured()
        if full is not None:
            self._w.exports.copy_picture(full)

    def edit_destinations(self) -> None:
        """The artist's own destinations, and copies of those that ship."""
        sheet = DestinationSheet(self._w.ui, self._w.widget, self._w.places.destinations, self._w.exports)
        sheet.exec()
        sheet.deleteLater()
