"""Edits that make several plates of one, or one recipe serve several plates."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..errors import BadValue
from ..params import specs
from .edits import check_room, free_name, insert_step, is_only_here
from .models import Plate, Project, Recipe, Source, Step, new_id
from .references import pruned, without_circles

Box = tuple[float, float, float, float]
MOST = 64


def _added(project: Project, plate: Plate, after: str | None = None) -> Project:
    """A plate put behind another, or at the end."""
    check_room(project)
    plates = list(project.plates)
    place = next((n + 1 for n, p in enumerate(plates) if p.id == after), len(plates))
    plates.insert(place, plate)
    return project.model_copy(update={"plates": tuple(plates)})


def _copied_recipe(project: Project, recipe_id: str, name: str) -> tuple[Project, Recipe]:
    recipe = project.recipe(recipe_id).model_copy(update={"id": new_id("r"), "name": name})
    return project.model_copy(update={"recipes": (*project.recipes, recipe)}), recipe


def duplicate_plate(project: Project, plate_id: str) -> tuple[Project, str]:
    """The same plate once more, with a line of its own; returns the project and the new plate's id."""
    plate = project.plate(plate_id)
    name = free_name(project, plate.name)
    project, recipe = _copied_recipe(project, plate.recipe, name)
    twin = plate.model_copy(update={"id": new_id("p"), "name": name, "recipe": recipe.id})
    return _added(project, twin, plate_id), twin.id


def duplicate_plates(project: Project, plate_ids: Sequence[str]) -> tuple[Project, tuple[str, ...]]:
    """As :func:`duplicate_plate`, of several; the new ids in the same order."""
    made = []
    for id in plate_ids:
        project, new = duplicate_plate(project, id)
        made.append(new)
    return project, tuple(made)


def plate_from_source(project: Project, plate_id: str) -> tuple[Project, str]:
    """Another plate of the same source that shares the recipe: a crop of its own, the rest together."""
    plate = project.plate(plate_id)
    other = plate.model_copy(update={"id": new_id("p"), "name": free_name(project, plate.name)})
    return _added(project, other, plate_id), other.id


def replace_source(project: Project, plate_id: str, source: Source) -> Project:
    """Another picture of the same thing in the plate's place; all steps are kept."""
    changed = project.plate(plate_id).model_copy(update={"source": source.id})
    plates = tuple(changed if p.id == plate_id else p for p in project.plates)
    return pruned(project.model_copy(update={"plates": plates, "sources": (*project.sources, source)}))


def share_recipe(project: Project, plate_id: str, others: Sequence[str]) -> Project:
    """Let other plates follow this plate's recipe: from now on they change together.

    What belongs to one picture (its crop, its marks) they keep where they have such a step,
    and start from this plate's own otherwise.
    """
    plate = project.plate(plate_id)
    changed = []
    for other in project.plates:
        if other.id not in others or other.id == plate_id:
            changed.append(other)
            continue
        theirs = {s.kind: s for s in project.line(other.id) if s.declared.only_here}
        own: dict[str, dict[str, Any]] = {}
        for step in project.recipe(plate.recipe).steps:
            if step.declared.only_here:
                mine = theirs.get(step.kind)
                own[step.uid] = mine.params.values() if mine is not None else type(step.params)().values()
        changed.append(other.model_copy(update={"recipe": plate.recipe, "own": own, "read_as": plate.read_as}))
    return without_circles(pruned(project.model_copy(update={"plates": tuple(changed)})))


def part_from_recipe(project: Project, plate_id: str) -> Project:
    """Give the plate a line of its own again, as it is now."""
    plate = project.plate(plate_id)
    if sum(p.recipe == plate.recipe for p in project.plates) < 2:
        return project
    project, recipe = _copied_recipe(project, plate.recipe, plate.name)
    changed = plate.model_copy(update={"recipe": recipe.id})
    return project.model_copy(update={"plates": tuple(changed if p.id == plate_id else p for p in project.plates)})


def sharing(project: Project, plate_id: str) -> tuple[Plate, ...]:
    """The plates that follow the same recipe, this one among them."""
    recipe = project.plate(plate_id).recipe
    return tuple(p for p in project.plates if p.recipe == recipe)


def follow_recipe(project: Project, plate_id: str, recipe: Recipe) -> Project:
    """Replace the plate's line by a recipe's steps, in a recipe of the plate's own."""
    own = Recipe(id=new_id("r"), name=recipe.name, steps=recipe.steps)
    plate = project.plate(plate_id).model_copy(update={"recipe": own.id, "own": {}})
    plates = tuple(plate if p.id == plate_id else p for p in project.plates)
    recipes = (*project.recipes, own)
    return without_circles(pruned(project.model_copy(update={"plates": plates, "recipes": recipes})))


def family(project: Project, plate_id: str, uid: str, field: str, values: Sequence[Any]) -> Project:
    """One parameter over several values: a plate each, sharing the recipe but for that step.

    Raises
    ------
    BadValue
        No value, too many, or one that the step cannot have.
    """
    if not 1 <= len(values) <= MOST:
        raise BadValue("A family needs 1 to 64 values")
    plate = project.plate(plate_id)
    step = next((s for s in project.line(plate_id) if s.uid == uid), None)
    if step is None:
        raise BadValue("That step is no longer in the line")
    spec = specs(step.declared.params)[field]
    after = plate_id
    for value in values:
        changed = step.with_params(**{field: value})
        name = free_name(project, f"{plate.name} {spec.label.lower()} {spec.kind.name(value, spec)}")
        member = plate.model_copy(
            update={"id": new_id("p"), "name": name, "own": {**plate.own, uid: changed.params.values()}}
        )
        project = _added(project, member, after)
        after = member.id
    return project


def split_sheet(
    project: Project, plate_id: str, boxes: Sequence[Box], size: tuple[int, int], *, margin: float, keep: bool
) -> tuple[Project, str]:
    """A plate a box, all with the plate's recipe and each with a crop of its own.

    Parameters
    ----------
    boxes : sequence of (left, top, right, bottom)
        Shares of the picture that enters the crop.
    size : (int, int)
        Width and height of that picture in pixels.
    margin : float
        Free ground left round each box, as a share of its longer side.
    keep : bool
        Whether the page stays as a plate too.

    Returns
    -------
    The project, and the id of the first new plate.
    """
    if not boxes:
        raise BadValue("There is nothing to split", "no box is marked", "Draw a box round each drawing")
    plate = project.plate(plate_id)
    if keep:  # the page goes on without the crop that its parts need
        project, recipe = _copied_recipe(project, plate.recipe, f"{plate.name} parts")
        shared = plate.model_copy(update={"id": new_id("p"), "recipe": recipe.id})
        project = _added(project, shared, plate_id)
        base = shared.id
    else:
        base = plate_id
    crop = crop_of(project, base)
    if crop is None:
        crop = Step.make("crop")
        project = insert_step(project, base, crop, crop_place(project, base))
    width, height = size
    shorter, after, first = min(width, height), base, ""
    for n, (left, top, right, bottom) in enumerate(boxes, 1):
        room = margin * max((right - left) * width, (bottom - top) * height)
        params = crop.with_params(
            shape="free", x=_within((left + right) / 2), y=_within((top + bottom) / 2), angle=0.0,
            width=max(0.005, ((right - left) * width + 2 * room) / shorter),
            height=max(0.005, ((bottom - top) * height + 2 * room) / shorter),
        ).params  # fmt: skip
        part = project.plate(base).model_copy(
            update={"id": new_id("p"), "name": free_name(project, f"{plate.name} {n}"), "own": {
                **{k: v for k, v in plate.own.items() if k != crop.uid}, crop.uid: params.values()}}
        )  # fmt: skip
        project = _added(project, part, after)
        after, first = part.id, first or part.id
    return project.model_copy(update={"plates": tuple(p for p in project.plates if p.id != base)}), first


def _within(value: float) -> float:
    return min(1.0, max(0.0, value))


def crop_of(project: Project, plate_id: str) -> Step | None:
    """The first crop of the plate's line."""
    return next((s for s in project.line(plate_id) if s.kind == "crop" and s.on), None)


def crop_place(project: Project, plate_id: str) -> int:
    """Where a crop goes when there is none: behind turning and straightening at the head of the line."""
    place = 0
    for n, step in enumerate(project.line(plate_id)):
        if step.kind not in ("turn", "straighten"):
            break
        place = n + 1
    return place


def own_values(project: Project, plate_id: str) -> Mapping[str, bool]:
    """Which steps of the line are only here, by uid."""
    plate = project.plate(plate_id)
    return {s.uid: is_only_here(plate, s) for s in project.line(plate_id)}
