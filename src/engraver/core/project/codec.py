"""Models to JSON and back: checked on the way in, a newer version refused with a clear word."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError
from pydantic_core import to_json

from .. import limits
from ..errors import BadProject, BadValue, EngraverError
from ..recipe.models import FORMAT_VERSION, Project, Recipe, settled
from ..recipe.references import without_circles
from ..sources import READINGS, source_kind
from .migrate import lifted

KIND = "engraver"


def project_json(project: Project) -> tuple[bytes, dict[str, bytes]]:
    """A project's JSON, and the strokes it names by the SHA-256 of their points."""
    blobs: dict[str, bytes] = {}
    values = project.model_dump(mode="json", context={"blobs": blobs})
    return _written({"made_by": KIND, **values}), blobs


def recipe_json(recipe: Recipe) -> bytes:
    return _written({"made_by": KIND, "version": FORMAT_VERSION, **recipe.model_dump(mode="json")})


def _written(values: dict[str, Any]) -> bytes:
    # The json module writes indented text in Python, and so would hold up the window whenever work is kept.
    return to_json(values, indent=1)


def _parsed(data: bytes, name: str, what: str) -> dict[str, Any]:
    if len(data) > limits.JSON_BYTES:
        raise BadProject(f"{name} cannot be opened", "it says more than Engraver takes in")
    try:
        values = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise BadProject(f"{name} cannot be opened", f"it is not {what}, or it is damaged", "") from error
    if not isinstance(values, dict) or values.pop("made_by", None) != KIND:
        raise BadProject(f"{name} cannot be opened", f"it is not {what}", "")
    version = values.get("version")
    if type(version) is not int or version < 1:
        raise BadProject(f"{name} cannot be opened", "it does not say its version", "")
    if version > FORMAT_VERSION:
        raise BadProject(f"{name} cannot be opened", "it was made by a newer Engraver", "Update Engraver to open it")
    return values


def _reason(error: ValidationError) -> str:
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"])
    return f"{place}: {first['msg']}" if place else str(first["msg"])


def _count(values: Any, name: str, most: int) -> int:
    found = values.get(name, ()) if isinstance(values, dict) else ()
    count = len(found) if isinstance(found, list) else 0
    if count > most:
        raise BadValue(f"It holds {count:,} {name}, and Engraver takes {most:,}")
    return count


def _bounded(values: dict[str, Any]) -> None:
    """Refuse more of anything than there may be, before any of it is built. Raises BadValue."""
    for name, most in (
        ("sources", limits.SOURCES),
        ("recipes", limits.RECIPES),
        ("plates", limits.PLATES),
        ("trials", limits.TRIALS),
        ("brushes", limits.BRUSHES),
    ):
        _count(values, name, most)
    trials = values.get("trials", ())
    for trial in trials if isinstance(trials, list) else ():
        _count(trial, "gestures", limits.GESTURES)
    _count(values.get("pack", {}), "items", limits.PLATES + limits.BRUSHES)
    steps = 0
    for name in ("recipes", "brushes"):
        lines = values.get(name, ())
        steps += sum(_count(line, "steps", limits.STEPS) for line in lines) if isinstance(lines, list) else 0
    if steps > limits.STEPS_IN_ALL:
        raise BadValue(f"It holds {steps:,} steps in all, and Engraver takes {limits.STEPS_IN_ALL:,}")


def read_project(data: bytes, name: str, blobs: Mapping[str, bytes] | None = None) -> Project:
    """A project from its JSON and the strokes kept beside it.

    Raises
    ------
    BadProject
        Not a project, damaged, from a newer version, or holding a value out of range.
    """
    values = _parsed(data, name, "an Engraver project")
    context = {"blobs": blobs or {}, "readings": READINGS}
    try:
        _bounded(values)
        project = settled(Project.model_validate(lifted(values), context=context), blobs)
        for source in project.sources:
            if (source_kind(source.kind).files == "none") != (not source.files):
                raise BadValue(f"The source {source.name} has not the files of its kind")
        return without_circles(project)
    except ValidationError as error:
        raise BadProject(f"{name} cannot be opened", _reason(error)) from error
    except EngraverError as error:
        raise BadProject(f"{name} cannot be opened", error.sentence().rstrip(".")) from error
    except (RecursionError, OverflowError) as error:
        raise BadProject(f"{name} cannot be opened", "it is damaged") from error


def read_recipe(data: bytes, name: str) -> Recipe:
    """A recipe from its JSON; raises BadProject as :func:`read_project` does."""
    values = _parsed(data, name, "an Engraver recipe")
    values.pop("version")
    try:
        _count(values, "steps", limits.STEPS)
        return Recipe.model_validate(values)
    except ValidationError as error:
        raise BadProject(f"{name} cannot be used", _reason(error)) from error
    except EngraverError as error:
        raise BadProject(f"{name} cannot be used", error.sentence().rstrip(".")) from error
