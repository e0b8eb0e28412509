"""Keeping the plate in the hand in the cabinet, in one key, at any desk."""

from __future__ import annotations

from dataclasses import replace

from engraver.core.cabinet import Cabinet, Entry
from engraver.core.cabinet.entry import Scope
from engraver.core.cabinet.to_keep import of_plate
from engraver.core.errors import EngraverError, Watch

from .host import Host

# How long, with the words for it.
SCOPES: dict[Scope, str] = {
    "always": "Keep in the cabinet", "project": "Keep in the cabinet for this project",
    "session": "Keep in the cabinet until I close",
}  # fmt: skip


def keep_in_cabinet(host: Host, scope: Scope = "always") -> None:
    """The chosen plate as it is finished, or the brush in the hand; keeping again refreshes the same entry."""
    studio, plate, brush, active = host.studio, host.studio.plate, host.brushes.current, host.cabinet
    if plate is None:
        studio.told.emit("There is no plate to keep: open or begin one first.", "look")
        return
    project, engine, session = studio.project, studio.engine, active.session

    def work(check: Watch) -> Entry:
        made = of_plate(project, plate.id, engine, brush=brush, check=check)
        with Cabinet(active.folder, session) as cabinet:
            return cabinet.keep(replace(made, entry=made.entry.model_copy(update={"scope": scope})))

    def done(entry: Entry) -> None:
        what = "the brush " if entry.kind == "brush" else ""
        studio.told.emit(f"Kept in the cabinet: {what}{entry.name}.", "good")
        active.after()

    def failed(error: EngraverError) -> None:
        studio.told.emit(error.sentence(), "fault")

    host.filing.tasks.add(f"Keeping {plate.name}…", work, done, failed, must=True)
