"""Edits of brushes: each takes a project and returns a new one."""

from __future__ import annotations

from typing import Literal

from .. import limits
from ..errors import BadValue
from ..params import specs
from ..pressing.settings import StrokeSettings
from ..raster import Zero
from .edits import check_room
from .models import Brush, Project, Recipe, new_id
from .references import pruned, without_circles

# What can have changed beside settings: the plate, or that it is gone.
PlateChange = Literal["", "plate", "gone"]


def keep(
    project: Project, plate_id: str, settings: StrokeSettings, zero: Zero, *, name: str = "", made_from: str = ""
) -> tuple[Project, str]:
    """A plate with its settings as a new brush; returns the project and the brush's id. Raises BadValue."""
    if len(project.brushes) >= limits.BRUSHES:
        raise BadValue(f"A project keeps at most {limits.BRUSHES} brushes", "", "Remove one first")
    wanted = name.strip()[: limits.NAME] or project.plate(plate_id).name
    brush = _as_it_is(project, plate_id, settings, zero, new_id("b"), _free(project, wanted), made_from)
    return project.model_copy(update={"brushes": (*project.brushes, brush)}), brush.id


def keep_change(project: Project, id: str, settings: StrokeSettings, zero: Zero) -> Project:
    """A brush as its plate and the hand are now. Raises BadValue where its plate is gone."""
    old = project.brush(id)
    return _put(project, _as_it_is(project, old.plate.id, settings, zero, id, old.name, old.made_from))


def back(project: Project, id: str) -> Project:
    """The brush's plate as it was when the brush was kept, brought back where it is gone.

    Its line becomes its own, so that other plates of the same recipe keep theirs. Raises BadValue where there is no
    room, or where plates would follow each other in a circle.
    """
    brush = project.brush(id)
    recipe = Recipe(id=new_id("r"), name=brush.plate.name, steps=brush.steps)
    plate = brush.plate.model_copy(update={"recipe": recipe.id})
    known = any(p.id == plate.id for p in project.plates)
    if not known:
        check_room(project)
    plates = tuple(plate if p.id == plate.id else p for p in project.plates)
    return without_circles(pruned(project.model_copy(update={
        "recipes": (*project.recipes, recipe), "plates": plates if known else (*plates, plate),
    })))  # fmt: skip


def plate_change(project: Project, brush: Brush) -> PlateChange:
    """Whether the brush's plate is another than when it was kept, or gone; its name and seat do not count."""
    now = next((p for p in project.plates if p.id == brush.plate.id), None)
    if now is None:
        return "gone"
    same = (now.source, now.reading, now.seed) == (brush.plate.source, brush.plate.reading, brush.plate.seed)
    return "" if same and project.line(now.id) == brush.steps else "plate"


def settings_changed(brush: Brush, settings: StrokeSettings) -> tuple[str, ...]:
    """Names of the stroke settings, as they are read, that are others than those of the brush."""
    return tuple(
        spec.label for name, spec in specs(StrokeSettings).items()
        if getattr(settings, name) != getattr(brush.settings, name)
    )  # fmt: skip


def rename(project: Project, id: str, name: str) -> Project:
    """A brush under another name; one that another brush has gets a number."""
    brush = project.brush(id)
    wanted = name.strip()[: limits.NAME] or brush.name
    if wanted == brush.name:
        return project
    return _put(project, brush.model_copy(update={"name": _free(project, wanted)}))


def remove(project: Project, id: str) -> Project:
    """A brush less, with the sources that nothing else needs; its plate stays."""
    project.brush(id)
    return pruned(project.model_copy(update={"brushes": tuple(b for b in project.brushes if b.id != id)}))


def _as_it_is(
    project: Project, plate_id: str, settings: StrokeSettings, zero: Zero, id: str, name: str, made_from: str
) -> Brush:
    plate = next((p for p in project.plates if p.id == plate_id), None)
    if plate is None:
        raise BadValue("The brush's plate is gone", "", "Bring it back as it was first")
    return Brush(
        id=id, name=name, plate=plate.model_copy(update={"own": {}}), steps=project.line(plate_id), settings=settings,
        zero=zero, made_from=made_from,
    )  # fmt: skip


def _put(project: Project, brush: Brush) -> Project:
    brushes = tuple(brush if b.id == brush.id else b for b in project.brushes)
    return pruned(project.model_copy(update={"brushes": brushes}))


def _free(project: Project, wanted: str) -> str:
    names, name, number = {b.name for b in project.brushes}, wanted, 2
    while name in names:
        name, number = f"{wanted} {number}", number + 1
    return name
