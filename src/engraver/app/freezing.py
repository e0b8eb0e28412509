"""Plates that others follow: taken over as they are now, also when they are removed."""

from __future__ import annotations

from collections.abc import Callable

from engraver.core.engine.frozen import frozen, with_frozen
from engraver.core.errors import EngraverError, Watch
from engraver.core.recipe import Project, Source, edits
from engraver.core.recipe.references import followers, repointed, tried_in

from .pictures import Pictures
from .studio import Studio


def _frozen_then(
    studio: Studio, pictures: Pictures, plate_id: str, label: str, then: Callable[[Project, str], Project],
    failed: Callable[[EngraverError], None] | None = None,
) -> None:  # fmt: skip
    """Compute a plate off the window's thread; its picture becomes a plate, and ``then`` says who follows that.

    All of it is one entry of the history. Where the plate is gone by then nothing happens.
    """
    project, engine = studio.project, studio.engine
    plate = project.plate(plate_id)

    def work(check: Watch) -> Source:
        return frozen(engine, project, plate_id, check)

    def done(source: Source) -> None:
        if any(p.id == plate_id for p in studio.project.plates):
            added, new = with_frozen(studio.project, plate_id, source, engine.sources)
            studio.attempt(lambda: studio.edit(then(added, new), label))

    pictures.ask(f"Taking over {plate.name}", work, done, failed)


def take_over(studio: Studio, pictures: Pictures, uid: str, field: str) -> None:
    """A step of the chosen plate that follows another follows a picture of it from now on."""
    host = studio.plate
    step = next((s for s in studio.steps if s.uid == uid), None)
    followed = getattr(step.params, field, "") if step is not None else ""
    known = {p.id: p.name for p in studio.project.plates}
    if host is None or followed not in known:
        return
    _frozen_then(
        studio, pictures, followed, f"Take over {known[followed]}",
        lambda project, new: edits.set_params(project, host.id, uid, **{field: new}),
    )  # fmt: skip


def remove(studio: Studio, pictures: Pictures) -> None:
    """Take the chosen plate away; plates that follow it, and trials, keep a picture of it as it was."""
    plate = studio.plate
    if plate is None:
        return
    needed = [p.name for p in followers(studio.project, plate.id)]
    names = ", ".join(needed + [t.name for t in tried_in(studio.project, plate.id)])
    if not names:
        studio.remove_plate()
        return

    def then(project: Project, new: str) -> Project:
        studio.told.emit(f"{plate.name} is gone; {names} now follow it as it was, a picture of its own.", "look")
        return edits.remove_plate(repointed(project, plate.id, new), plate.id)

    def failed(error: EngraverError) -> None:
        if studio.plate is not None and studio.plate.id == plate.id:
            studio.remove_plate()
        studio.told.emit(f"{plate.name} is gone, and {names} followed it: {error.sentence()}", "fault")

    _frozen_then(studio, pictures, plate.id, f"Remove {plate.name}", then, failed)
