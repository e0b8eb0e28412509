"""Keeping the chosen plates in the cabinet, in one key, at any desk."""

from __future__ import annotations

from dataclasses import replace

from engraver.core.cabinet import Cabinet, Entry
from engraver.core.cabinet.entry import Scope
from engraver.core.cabinet.to_keep import of_plate
from engraver.core.errors import Cancelled, EngraverError, Watch

from .host import Host

# How long, with the words for it.
SCOPES: dict[Scope, str] = {
    "always": "Keep in the cabinet", "project": "Keep in the cabinet for this project",
    "session": "Keep in the cabinet until I close",
}  # fmt: skip


def keep_in_cabinet(host: Host, scope: Scope = "always") -> None:
    """The chosen plates as they are finished, or one with the brush in the hand; keeping again refreshes its entry.

    What of several cannot be kept is told; the others are.
    """
    studio, chosen, active = host.studio, host.besides.all, host.cabinet
    if not chosen:
        studio.told.emit("There is no plate to keep: open or begin one first.", "look")
        return
    brush = host.brushes.current if len(chosen) == 1 else None
    project, engine, session = studio.project, studio.engine, active.session

    def work(check: Watch) -> tuple[list[Entry], list[EngraverError]]:
        kept: list[Entry] = []
        wrong: list[EngraverError] = []
        with Cabinet(active.folder, session) as cabinet:
            for id in chosen:
                check()
                try:
                    made = of_plate(project, id, engine, brush=brush, check=check)
                    kept.append(cabinet.keep(replace(made, entry=made.entry.model_copy(update={"scope": scope}))))
                except Cancelled:
                    raise
                except EngraverError as error:
                    wrong.append(error)
        return kept, wrong

    def done(found: tuple[list[Entry], list[EngraverError]]) -> None:
        kept, wrong = found
        if len(kept) == 1:
            what = "the brush " if kept[0].kind == "brush" else ""
            studio.told.emit(f"Kept in the cabinet: {what}{kept[0].name}.", "good")
        elif kept:
            studio.told.emit(f"Kept in the cabinet: {len(kept)} plates.", "good")
        for error in wrong:
            studio.told.emit(error.sentence(), "fault")
        if kept:
            active.after()

    def failed(error: EngraverError) -> None:
        studio.told.emit(error.sentence(), "fault")

    name = project.plate(chosen[0]).name if len(chosen) == 1 else f"{len(chosen)} plates"
    host.filing.tasks.add(f"Keeping {name}…", work, done, failed, must=True)
