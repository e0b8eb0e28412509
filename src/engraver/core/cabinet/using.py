"""Using what is kept: an entry becomes a plate of a project again, whole where its sources are at hand."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from .. import limits
from ..errors import EngraverError
from ..params import referring
from ..pressing.settings import StrokeSettings
from ..project.codec import read_recipe
from ..recipe import Brush, Plate, Project, Source, Step, brushes, new_id
from ..recipe.edits import add_plate, flip_polarity, set_ready_for
from ..recipe.references import without_circles
from ..sources import READINGS, SourceStore
from .entry import Entry


@dataclass(frozen=True)
class Taken:
    """An entry as a plate of a project; ``whole`` says that it came with all its steps, ``brush`` is the id of the
    brush that came with it, "" for none."""

    project: Project
    plate: str
    whole: bool
    brush: str = ""


def what_made(project: Project, plate: Plate, brush: Brush | None, recipe: Mapping[str, Any]) -> dict[str, Any]:
    """All that makes an entry a plate again, for ``Entry.more``."""
    kept = plate.model_dump(mode="json", include={"reading", "read_as", "raises", "seed"})
    more = {**kept, "recipe": dict(recipe), "source": project.source(plate.source).model_dump(mode="json")}
    if brush is not None:
        more["settings"] = brush.settings.model_dump(mode="json")
    return more


def taken(project: Project, entry: Entry, picture: bytes, sources: SourceStore) -> Taken:
    """A project with an entry as a new plate; not for the window's thread.

    It comes with all its steps where its sources are at hand and what they refer to is in the project, else as a
    finished plate; a brush comes with its settings.

    Raises
    ------
    BadValue
        The project is full.
    BadPicture
        The finished picture is needed and cannot be read.
    """
    found = _whole(project, entry, sources)
    whole = found is not None
    changed, plate = found if found is not None else finished(project, entry, picture, sources)
    settings = settings_of(entry)
    if settings is None:
        return Taken(changed, plate, whole)
    changed, brush = brushes.keep(changed, plate, settings, entry.zero, name=entry.name)
    return Taken(changed, plate, whole, brush)


def settings_of(entry: Entry) -> StrokeSettings | None:
    """The stroke settings of a brush; its tooth is one that ships where its own plate did not come along,
    and what stood at the ends of a curve is not there."""
    values = entry.more.get("settings")
    if not isinstance(values, Mapping):
        return None
    try:
        settings = StrokeSettings.model_validate(dict(values))
    except ValidationError:
        return StrokeSettings()
    alone = settings.but(first_piece="", last_piece="")
    return alone.but(tooth="grit", tooth_plate="") if alone.tooth_plate else alone


def finished(project: Project, entry: Entry, picture: bytes, sources: SourceStore) -> tuple[Project, str]:
    """A project with an entry as a finished plate, and the plate's id. Raises BadValue or BadPicture."""
    source = sources.add(picture, f"{entry.name}.png")
    steps = (Step.make("zero", zero="mid", tones="keep"),) if entry.zero == "mid" else ()
    reading = sources.start(source)
    changed, plate = add_plate(project, source, entry.name, steps, reading=reading, read_as="plain")
    return set_ready_for(changed, plate, entry.destination), plate


def _whole(project: Project, entry: Entry, sources: SourceStore) -> tuple[Project, str] | None:
    """The plate with all its steps; None where something that it needs is not at hand."""
    more = entry.more
    try:
        source = Source.model_validate(more["source"])
        recipe = read_recipe(json.dumps(more["recipe"]).encode(), entry.name)
        plate = Plate.model_validate(
            {"id": new_id("p"), "name": entry.name, "source": source.id, "recipe": recipe.id,
             **{name: more[name] for name in ("reading", "read_as", "raises", "seed")}},
            context={"readings": READINGS},
        )  # fmt: skip
        if plate.reading.kind != source.kind or not _there(project, plate, recipe.steps):
            return None
        for file in source.files:
            sources.read(source, file)
        changed, id = add_plate(
            project, _own(project, source), entry.name, recipe.steps, reading=plate.reading, read_as=plate.read_as,
            seed=plate.seed,
        )  # fmt: skip
    except (KeyError, TypeError, ValueError, EngraverError):
        return None
    if plate.raises == "black":
        changed = flip_polarity(changed, id)
    changed = set_ready_for(changed, id, entry.destination)
    try:
        return without_circles(changed), id
    except EngraverError:
        return None


def _there(project: Project, plate: Plate, steps: tuple[Step, ...]) -> bool:
    """Whether all that step zero and the steps refer to is in the project."""
    known = {
        "plate": {p.id for p in project.plates}, "source": {s.id for s in project.sources},
        "trial": {t.id for t in project.trials},
    }  # fmt: skip
    models = (plate.reading, *(step.params for step in steps))
    return all(
        id in known.get(what, ())
        for model in models
        for name, of in referring(type(model)).items()
        for what, id in of(getattr(model, name))
    )


def _own(project: Project, source: Source) -> Source:
    """The project's own source with the same files; else this one, under an id that is free."""
    same = next((s for s in project.sources if (s.kind, s.digests) == (source.kind, source.digests)), None)
    if same is not None and source.files:
        return same
    taken = any(s.id == source.id for s in project.sources)
    return source.model_copy(update={"id": new_id("src")[: limits.ID]}) if taken else source
