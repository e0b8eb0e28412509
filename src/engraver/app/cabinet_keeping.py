"""Keeping the plate in the hand in the cabinet, in one key, at any desk."""

from __future__ import annotations

from engraver.core.cabinet import Cabinet, Entry
from engraver.core.cabinet.to_keep import of_plate
from engraver.core.errors import EngraverError, Watch

from .host import Host


def keep_in_cabinet(host: Host) -> None:
    """The chosen plate as it is finished, or the brush in the hand; keeping again refreshes the same entry."""
    studio, plate, brush = host.studio, host.studio.plate, host.brushes.current
    if plate is None:
        studio.told.emit("There is no plate to keep: open or begin one first.", "look")
        return
    project, engine, folder = studio.project, studio.engine, host.places.cabinet

    def work(check: Watch) -> Entry:
        made = of_plate(project, plate.id, engine, brush=brush, check=check)
        with Cabinet(folder) as cabinet:
            return cabinet.keep(made)

    def done(entry: Entry) -> None:
        what = "the brush " if entry.kind == "brush" else ""
        studio.told.emit(f"Kept in the cabinet: {what}{entry.name}.", "good")

    def failed(error: EngraverError) -> None:
        studio.told.emit(error.sentence(), "fault")

    host.filing.tasks.add(f"Keeping {plate.name}…", work, done, failed, must=True)
