"""Plates that others follow: taken over as they are now, also when they are removed."""

from __future__ import annotations

from engraver.core.engine import resolve
from engraver.core.engine.frozen import frozen, with_frozen
from engraver.core.errors import Watch
from engraver.core.recipe import Source, edits
from engraver.core.recipe.references import followers

from .pictures import Pictures
from .studio import Studio


def take_over(studio: Studio, pictures: Pictures, plate_id: str, *, remove: bool = False) -> None:
    """Whoever follows a plate follows a picture of it from now on; with ``remove`` the plate itself goes.

    It is computed off the window's thread and becomes one entry of the history.
    """
    project, engine = studio.project, studio.engine
    if all(p.id != plate_id for p in project.plates):
        return
    plate = project.plate(plate_id)
    zero = resolve(project, plate_id, engine.sources).facts[-1].zero

    def work(check: Watch) -> Source:
        return frozen(engine, project, plate_id, check)

    def done(source: Source) -> None:
        now = studio.project
        if all(p.id != plate_id for p in now.plates):
            return
        names = ", ".join(p.name for p in followers(now, plate_id))
        changed, _ = with_frozen(now, plate_id, source, engine.sources, zero)
        if remove:
            changed = edits.remove_plate(changed, plate_id)
        studio.edit(changed, f"{'Remove' if remove else 'Take over'} {plate.name}")
        gone = f"{plate.name} is gone; " if remove else ""
        studio.told.emit(f"{gone}{names} now follow {plate.name} as it was, a picture of its own.", "look")

    pictures.ask(f"Taking over {plate.name}", work, done)


def remove(studio: Studio, pictures: Pictures) -> None:
    """Take the chosen plate away; those that follow it keep it as it was."""
    plate = studio.plate
    if plate is not None and followers(studio.project, plate.id):
        take_over(studio, pictures, plate.id, remove=True)
    else:
        studio.remove_plate()
