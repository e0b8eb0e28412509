"""Plates that others follow: taken over as they are now, also when they are removed."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence

from engraver.core.engine.frozen import frozen, with_frozen
from engraver.core.errors import EngraverError, Watch
from engraver.core.recipe import Project, Source, edits
from engraver.core.recipe.changed import beside
from engraver.core.recipe.references import followers, repointed, tried_in

from .pictures import Pictures
from .studio import Studio


def _frozen_then(
    studio: Studio, pictures: Pictures, plate_ids: Sequence[str], label: str,
    then: Callable[[Project, Mapping[str, str]], Project], failed: Callable[[EngraverError], None] | None = None,
) -> None:  # fmt: skip
    """Compute plates off the window's thread; each becomes a plate of its picture, ``then`` says who follows those.

    All of it is one entry of the history. Where a plate is gone by then nothing happens.
    """
    project, engine = studio.project, studio.engine
    words = ", ".join(project.plate(id).name for id in plate_ids)

    def work(check: Watch) -> dict[str, Source]:
        return {id: frozen(engine, project, id, check) for id in plate_ids}

    def done(sources: dict[str, Source]) -> None:
        if not set(plate_ids) <= {p.id for p in studio.project.plates}:
            return
        added, new = studio.project, {}
        for id, source in sources.items():
            added, new[id] = with_frozen(added, id, source, engine.sources)
        studio.attempt(lambda: studio.edit(then(added, new), label))

    pictures.ask(f"Taking over {words}", work, done, failed)


def take_over(studio: Studio, pictures: Pictures, uid: str, field: str) -> None:
    """A step of the chosen plate that follows another follows a picture of it from now on."""
    host = studio.plate
    step = next((s for s in studio.steps if s.uid == uid), None)
    followed = getattr(step.params, field, "") if step is not None else ""
    known = {p.id: p.name for p in studio.project.plates}
    if host is None or followed not in known:
        return
    _frozen_then(
        studio, pictures, (followed,), f"Take over {known[followed]}",
        lambda project, new: edits.set_params(project, host.id, uid, **{field: new[followed]}),
    )  # fmt: skip


def remove(studio: Studio, pictures: Pictures, plate_ids: Collection[str]) -> None:
    """Take plates away, and say so; plates that follow them, and trials, keep a picture of them as they were."""
    project, gone = studio.project, set(plate_ids)
    names = [p.name for p in project.plates if p.id in gone]
    if not names:
        return
    words = names[0] if len(names) == 1 else f"{len(names)} plates"
    is_gone = f"{words} is gone" if len(names) == 1 else f"{words} are gone: {', '.join(names)}"
    by_plate = {
        p.id: [f.name for f in followers(project, p.id) if f.id not in gone]
        + [t.name for t in tried_in(project, p.id)]
        for p in project.plates if p.id in gone
    }  # fmt: skip

    def without(before: Project) -> Project:
        """The project without them; what stands beside them is chosen."""
        studio.plate_id, studio.step_uid = beside(studio.project, gone), ""
        return edits.remove_plates(before, gone)

    needed = tuple(id for id, who in by_plate.items() if who)
    who = ", ".join(dict.fromkeys(name for id in needed for name in by_plate[id]))
    label = f"Remove {words}"
    if not needed:
        studio.edit(without(project), label)
        studio.told.emit(f"{is_gone}. Ctrl+Z brings back what was removed.", "good")
        return

    def then(added: Project, new: Mapping[str, str]) -> Project:
        as_it_was = "it as it was" if len(needed) == 1 else "them as they were"
        studio.told.emit(f"{is_gone}; {who} now follow {as_it_was}, in pictures of their own.", "look")
        for id in needed:
            added = repointed(added, id, new[id])
        return without(added)

    def failed(error: EngraverError) -> None:
        if gone <= {p.id for p in studio.project.plates}:
            studio.edit(without(studio.project), label)
        studio.told.emit(f"{is_gone}, and {who} followed: {error.sentence()}", "fault")

    _frozen_then(studio, pictures, needed, label, then, failed)
