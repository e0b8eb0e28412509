"""What in a project needs what: sources and plates named by steps, circles told, and what nobody needs any more."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from .. import limits
from ..errors import BadValue
from ..params import referring
from .models import Plate, Project, Step, Trial


def _named(step: Step, own: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    """What a step names, with the plate's own values in place; without making its parameters anew."""
    for name, of in referring(step.declared.params).items():
        yield from of(own[name] if name in own else getattr(step.params, name))


def referred(project: Project, plates: Iterable[Plate], what: str) -> dict[str, None]:
    """Ids of the sources or plates that the steps of these plates name, in order."""
    recipes = {r.id: r for r in project.recipes}
    return {
        id: None
        for plate in plates
        for step in recipes[plate.recipe].steps
        for kind, id in _named(step, plate.own.get(step.uid, {}))
        if kind == what
    }


def trials_of(project: Project, plate: Plate) -> tuple[Trial, ...]:
    """The trials that a plate is made of; those that are gone are left out."""
    known = {t.id: t for t in project.trials}
    named = [
        id for name, of in referring(type(plate.reading)).items()
        for what, id in of(getattr(plate.reading, name)) if what == "trial"
    ]  # fmt: skip
    return tuple(known[id] for id in named if id in known)


def needed(project: Project, plate: Plate) -> dict[str, None]:
    """Ids of the plates that a plate needs: those its steps follow, and those pressed in the trial it is made of."""
    found = referred(project, [plate], "plate")
    for trial in trials_of(project, plate):
        found.update(dict.fromkeys(trial.plates))
    return found


def followers(project: Project, plate_id: str) -> tuple[Plate, ...]:
    """The plates whose steps follow this one."""
    return tuple(p for p in project.plates if p.id != plate_id and plate_id in referred(project, [p], "plate"))


def tried_in(project: Project, plate_id: str) -> tuple[Trial, ...]:
    """The trials in which a plate was pressed."""
    return tuple(t for t in project.trials if plate_id in t.plates)


def repointed(project: Project, old: str, new: str) -> Project:
    """The project with every step that follows one plate following another in its place."""

    def changed(step: Step, values: Mapping[str, Any]) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for name, of in referring(step.declared.params).items():
            value = values.get(name)
            if value is None or ("plate", old) not in of(value):
                continue
            found[name] = new if value == old else tuple(
                s.but(tip_plate=new) if s.tip_plate == old else s for s in value
            )  # fmt: skip
        return found

    recipes = tuple(
        r.model_copy(update={"steps": tuple(
            s.with_params(**more) if (more := changed(s, s.params.values())) else s for s in r.steps
        )}) for r in project.recipes
    )  # fmt: skip
    steps = {s.uid: s for r in recipes for s in r.steps}
    plates = tuple(
        p.model_copy(update={"own": {
            uid: {**own, **changed(steps[uid], own)} if uid in steps else own for uid, own in p.own.items()
        }}) for p in project.plates
    )  # fmt: skip
    trials = tuple(t.follows(old, new) if old in t.plates else t for t in project.trials)
    brushes = tuple(
        b.model_copy(update={
            "steps": tuple(s.with_params(**more) if (more := changed(s, s.params.values())) else s for s in b.steps),
            "settings": b.settings.follows(old, new),
        }) for b in project.brushes
    )  # fmt: skip
    return project.model_copy(update={"recipes": recipes, "plates": plates, "trials": trials, "brushes": brushes})


def pruned(project: Project) -> Project:
    """The project without recipes that no plate has, and without sources that neither a plate nor a step names."""
    recipes = {p.recipe for p in project.plates}
    sources = {p.source for p in project.plates} | set(referred(project, project.plates, "source"))
    sources |= {t.own for t in project.trials}
    for brush in project.brushes:  # what is kept can be brought back
        sources.add(brush.plate.source)
        sources.update(id for step in brush.steps for what, id in _named(step, {}) if what == "source")
    return project.model_copy(
        update={
            "recipes": tuple(r for r in project.recipes if r.id in recipes),
            "sources": tuple(s for s in project.sources if s.id in sources),
        }
    )


def round_words(project: Project, way: tuple[str, ...]) -> str:
    """A circle of plates in words."""
    names = {p.id: p.name for p in project.plates}
    return "Plates cannot follow each other in a circle: " + " → ".join(names.get(id, "?") for id in way)


def without_circles(project: Project) -> Project:
    """The project itself.

    Raises
    ------
    BadValue
        Plates follow each other in a circle; its words name the way round.
    """
    needs = {p.id: tuple(needed(project, p)) for p in project.plates}
    if not any(needs.values()):
        return project
    clear: set[str] = set()

    def visit(id: str, trail: tuple[str, ...]) -> None:
        if id in trail:
            raise BadValue(round_words(project, (*trail[trail.index(id) :], id)), "", "Let one of them go")
        if id in clear:
            return
        if len(trail) >= limits.FOLLOWING:
            raise BadValue(f"More than {limits.FOLLOWING} plates follow each other", "", "Take over the tones of one")
        for other in needs.get(id, ()):
            visit(other, (*trail, id))
        clear.add(id)

    for id in needs:
        visit(id, ())
    return project
