"""Models to JSON and back: checked on the way in, a newer version refused with a clear word."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from ..errors import BadProject, EngraverError
from ..recipe.models import FORMAT_VERSION, Project, Recipe, settled

KIND = "engraver"
MAX_JSON = 64_000_000


def project_json(project: Project) -> tuple[bytes, dict[str, bytes]]:
    """A project's JSON, and the strokes it names by the SHA-256 of their points."""
    blobs: dict[str, bytes] = {}
    values = project.model_dump(mode="json", context={"blobs": blobs})
    return json.dumps({"made_by": KIND, **values}, indent=1).encode(), blobs


def recipe_json(recipe: Recipe) -> bytes:
    return json.dumps(
        {"made_by": KIND, "version": FORMAT_VERSION, **recipe.model_dump(mode="json")}, indent=1
    ).encode()


def _parsed(data: bytes, name: str, what: str) -> dict[str, Any]:
    try:
        values = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise BadProject(f"{name} cannot be opened", f"it is not {what}, or it is damaged", "") from error
    if not isinstance(values, dict) or values.pop("made_by", None) != KIND:
        raise BadProject(f"{name} cannot be opened", f"it is not {what}", "")
    version = values.get("version")
    if not isinstance(version, int):
        raise BadProject(f"{name} cannot be opened", "it does not say its version", "")
    if version > FORMAT_VERSION:
        raise BadProject(f"{name} cannot be opened", "it was made by a newer Engraver", "Update Engraver to open it")
    return values


def _reason(error: ValidationError) -> str:
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"])
    return f"{place}: {first['msg']}" if place else str(first["msg"])


def read_project(data: bytes, name: str, blobs: Mapping[str, bytes] | None = None) -> Project:
    """A project from its JSON and the strokes kept beside it.

    Raises
    ------
    BadProject
        Not a project, damaged, from a newer version, or holding a value out of range.
    """
    values = _parsed(data, name, "an Engraver project")
    try:
        return settled(Project.model_validate(values, context={"blobs": blobs or {}}), blobs)
    except ValidationError as error:
        raise BadProject(f"{name} cannot be opened", _reason(error)) from error
    except EngraverError as error:
        raise BadProject(f"{name} cannot be opened", error.sentence().rstrip(".")) from error


def read_recipe(data: bytes, name: str) -> Recipe:
    """A recipe from its JSON; raises BadProject as :func:`read_project` does."""
    values = _parsed(data, name, "an Engraver recipe")
    values.pop("version")
    try:
        return Recipe.model_validate(values)
    except ValidationError as error:
        raise BadProject(f"{name} cannot be used", _reason(error)) from error
    except EngraverError as error:
        raise BadProject(f"{name} cannot be used", error.sentence().rstrip(".")) from error
