"""Edits: each takes a project and returns a new one."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from .. import limits
from ..errors import BadValue
from ..files.picture import Reading
from ..params import StepZero, specs
from .models import Plate, Project, Recipe, Source, Step, checked_params, new_id
from .references import pruned, without_circles

Steps = tuple[Step, ...]


def _with_steps(project: Project, plate_id: str, change: Callable[[Steps], Steps]) -> Project:
    recipe = project.recipe(project.plate(plate_id).recipe)
    changed = Recipe(id=recipe.id, name=recipe.name, steps=change(recipe.steps))
    recipes = tuple(changed if r.id == recipe.id else r for r in project.recipes)
    return project.model_copy(update={"recipes": recipes})


def _with_plate(project: Project, plate: Plate) -> Project:
    return project.model_copy(update={"plates": tuple(plate if p.id == plate.id else p for p in project.plates)})


def _place(steps: Steps, uid: str) -> int:
    for place, step in enumerate(steps):
        if step.uid == uid:
            return place
    raise BadValue("That step is no longer in the line")


def set_params(project: Project, plate_id: str, uid: str, **changes: Any) -> Project:
    """Change parameters of a step: in the plate when the step is only here, else in the recipe.

    Raises
    ------
    BadValue
        A value is out of range, or plates would follow each other in a circle.
    """
    plate = project.plate(plate_id)
    steps = project.line(plate_id)
    step = steps[_place(steps, uid)]
    changed = step.with_params(**changes)
    if is_only_here(plate, step):
        own = {**plate.own, uid: changed.params.values()}
        after = _with_plate(project, plate.model_copy(update={"own": own}))
    else:
        after = _with_steps(project, plate_id, lambda line: tuple(changed if s.uid == uid else s for s in line))
    return without_circles(after) if step.declared.refers_to(changed.params) else after


def reset_params(project: Project, plate_id: str, uid: str) -> Project:
    """Every parameter of a step back to its default."""
    steps = project.line(plate_id)
    step = steps[_place(steps, uid)]
    return set_params(project, plate_id, uid, **checked_params(step.declared, {}).values())


def is_only_here(plate: Plate, step: Step) -> bool:
    """Whether the plate keeps its own parameters for a step: by the step's kind, or by choice."""
    return step.declared.only_here or step.uid in plate.own


def set_only_here(project: Project, plate_id: str, uid: str, on: bool) -> Project:
    """Keep a step's parameters in this plate, or take those of the recipe again.

    Raises BadValue for a kind that always belongs to one picture.
    """
    plate = project.plate(plate_id)
    steps = project.line(plate_id)
    step = steps[_place(steps, uid)]
    if step.declared.only_here:
        raise BadValue(f"{step.title} always belongs to this picture alone")
    own = {key: values for key, values in plate.own.items() if key != uid}
    if on:
        own[uid] = step.params.values()
    return _with_plate(project, plate.model_copy(update={"own": own}))


def set_on(project: Project, plate_id: str, uid: str, on: bool) -> Project:
    return _with_steps(
        project, plate_id,
        lambda line: tuple(s.model_copy(update={"on": on}) if s.uid == uid else s for s in line),
    )  # fmt: skip


def rename_step(project: Project, plate_id: str, uid: str, name: str) -> Project:
    """Give a step a name of its own; an empty one brings back the kind's."""
    return _with_steps(
        project, plate_id,
        lambda line: tuple(s.model_copy(update={"name": name.strip()[:60]}) if s.uid == uid else s for s in line),
    )  # fmt: skip


def insert_step(project: Project, plate_id: str, step: Step, place: int) -> Project:
    """Put a step at a place of the line. Raises BadValue when the line is full."""
    if len(project.recipe(project.plate(plate_id).recipe).steps) >= limits.STEPS:
        raise BadValue(f"A line has at most {limits.STEPS} steps", "", "Remove one first")
    after = _with_steps(project, plate_id, lambda line: (*line[:place], step, *line[place:]))
    return without_circles(after) if step.declared.refers_to(step.params) else after


def remove_step(project: Project, plate_id: str, uid: str) -> Project:
    """Take a step out of the recipe, with what plates that share it keep for it and what only it needed."""
    shared = project.plate(plate_id).recipe
    plates = tuple(
        p.model_copy(update={"own": {k: v for k, v in p.own.items() if k != uid}}) if p.recipe == shared else p
        for p in project.plates
    )
    changed = project.model_copy(update={"plates": plates})
    return pruned(_with_steps(changed, plate_id, lambda line: tuple(s for s in line if s.uid != uid)))


def move_step(project: Project, plate_id: str, uid: str, place: int) -> Project:
    """Put a step before the one now at ``place`` (counted without it)."""

    def moved(line: Steps) -> Steps:
        step = line[_place(line, uid)]
        rest = tuple(s for s in line if s.uid != uid)
        return (*rest[:place], step, *rest[place:])

    return _with_steps(project, plate_id, moved)


def set_reading(project: Project, plate_id: str, **changes: Any) -> Project:
    plate = project.plate(plate_id)
    return _with_plate(project, plate.model_copy(update={"reading": checked_reading(plate.reading, **changes)}))


def checked_reading(reading: StepZero, **changes: Any) -> StepZero:
    """Step zero with other values. Raises BadValue naming the setting and its range."""
    try:
        return reading.but(**changes)
    except ValidationError as error:
        name = str(error.errors()[0]["loc"][0])
        spec = specs(type(reading)).get(name)
        told = f"It goes from {spec.lo:g} to {spec.hi:g}" if spec is not None and spec.lo is not None else ""
        raise BadValue(f"{spec.label if spec else name} has a value it cannot have", "", told) from None


def set_link(project: Project, source_id: str, path: Path) -> Project:
    """Say where a linked source lies now."""

    def moved(source: Source) -> Source:
        return source.model_copy(update={"files": (source.file.model_copy(update={"link": str(path)}),)})

    sources = tuple(moved(s) if s.id == source_id else s for s in project.sources)
    return project.model_copy(update={"sources": sources})


def set_line(project: Project, plate_id: str, steps: Steps, read_as: str) -> Project:
    """Replace the whole line, as when a source is read as something else."""
    plate = project.plate(plate_id).model_copy(update={"read_as": read_as, "own": {}})
    return _with_steps(_with_plate(project, plate), plate_id, lambda _: steps)


def flip_polarity(project: Project, plate_id: str) -> Project:
    """The same relief in the other convention: what was white is drawn black."""
    plate = project.plate(plate_id)
    raises = "black" if plate.raises == "white" else "white"
    return _with_plate(project, plate.model_copy(update={"raises": raises}))


def set_ready_for(project: Project, plate_id: str, destination: str) -> Project:
    """The destination that a plate is measured for."""
    return _with_plate(project, project.plate(plate_id).model_copy(update={"ready_for": destination}))


def rename_plate(project: Project, plate_id: str, name: str) -> Project:
    clean = name.strip()[:80]
    if not clean:
        raise BadValue("A plate needs a name")
    return _with_plate(project, project.plate(plate_id).model_copy(update={"name": clean}))


def free_name(project: Project, wanted: str) -> str:
    """``wanted``, numbered when a plate of that name is there."""
    names = {plate.name for plate in project.plates}
    if wanted not in names:
        return wanted
    base = re.sub(r" \d+\Z", "", wanted)
    number = 2
    while f"{base} {number}" in names:
        number += 1
    return f"{base} {number}"


def replace_reading(project: Project, plate_id: str, reading: StepZero, read_as: str) -> Project:
    """Step zero for another source in the plate's place; its line stays, its kind follows the source's."""
    plate = project.plate(plate_id)
    kind = plate.read_as if type(plate.reading) is type(reading) else read_as
    return _with_plate(project, plate.model_copy(update={"reading": reading, "read_as": kind}))


def add_plate(
    project: Project, source: Source, name: str, steps: Steps, *,
    reading: StepZero | None = None, read_as: str = "plain", seed: int = 1,
) -> tuple[Project, str]:  # fmt: skip
    """A new plate with a recipe of its own; returns the project and the plate's id.

    Raises BadValue when the project is full.
    """
    check_room(project)
    recipe = Recipe(id=new_id("r"), name=name, steps=steps)
    plate = Plate(
        id=new_id("p"), name=free_name(project, name), source=source.id, reading=reading or Reading(),
        recipe=recipe.id, read_as=read_as, seed=seed,
    )  # fmt: skip
    known = any(s.id == source.id for s in project.sources)
    changed = project.model_copy(
        update={
            "sources": project.sources if known else (*project.sources, source),
            "recipes": (*project.recipes, recipe),
            "plates": (*project.plates, plate),
        }
    )
    return changed, plate.id


def check_room(project: Project, more: int = 1) -> None:
    """Raises BadValue when the project has no room for so many more plates."""
    if len(project.plates) + more > limits.PLATES:
        raise BadValue(f"A project has at most {limits.PLATES} plates", "", "Begin another project, or remove some")


def move_plates(project: Project, plate_ids: Collection[str], place: int) -> Project:
    """Plates together to another place of the tray, counted without them; they keep their order among each other.

    Raises BadValue where one is gone.
    """
    chosen = {project.plate(id).id for id in plate_ids}
    moved = tuple(p for p in project.plates if p.id in chosen)
    rest = tuple(p for p in project.plates if p.id not in chosen)
    place = min(max(0, place), len(rest))
    return project.model_copy(update={"plates": (*rest[:place], *moved, *rest[place:])})


def remove_plates(project: Project, plate_ids: Collection[str]) -> Project:
    """Take plates away, with the recipes and sources that nothing else uses."""
    left = tuple(p for p in project.plates if p.id not in plate_ids)
    return pruned(project.model_copy(update={"plates": left}))


def remove_plate(project: Project, plate_id: str) -> Project:
    """As :func:`remove_plates`, of one."""
    return remove_plates(project, (plate_id,))
