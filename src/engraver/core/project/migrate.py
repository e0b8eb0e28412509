"""Older project files in today's form, before anything is built of them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..errors import BadValue
from ..recipe.models import FORMAT_VERSION
from ..steps import kind_of


def _listed(values: Mapping[str, Any], name: str) -> list[dict[str, Any]]:
    found = values.get(name, [])
    if not isinstance(found, list) or not all(isinstance(item, dict) for item in found):
        raise BadValue(f"Its {name} cannot be read")
    return found


def _from_1(values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 had one file to a source, a blank's side and grey in its source, and step zero without a tag."""
    blanks: dict[Any, dict[str, Any]] = {}
    kinds: dict[Any, Any] = {}
    sources = []
    for old in _listed(values, "sources"):
        source = dict(old)
        kind, file = source.setdefault("kind", "picture"), {"sha256": source.pop("sha256", "")}
        file["link"] = source.pop("link", None)
        blank: dict[str, Any] = {name: source.pop(name) for name in ("side", "grey") if name in source}
        source["files"] = [] if kind == "blank" else [file]
        id = str(source.get("id"))
        kinds[id], blanks[id] = kind, blank
        sources.append(source)
    plates = []
    for old in _listed(values, "plates"):
        id, reading = str(old.get("source")), old.get("reading", {})
        if not isinstance(reading, Mapping):
            raise BadValue("A plate's reading cannot be read")
        kind = kinds.get(id, "picture")
        told = blanks.get(id, {}) if kind == "blank" else {k: v for k, v in reading.items() if k != "few"}
        plates.append({**old, "reading": {"kind": kind, "version": 1, **told}})
    return {**values, "version": 2, "sources": sources, "plates": plates}


def _from_2(values: dict[str, Any]) -> dict[str, Any]:
    """Version 2 had no trials."""
    return {**values, "version": 3}


def _from_3(values: dict[str, Any]) -> dict[str, Any]:
    """Version 3 had no brushes."""
    return {**values, "version": 4}


def _from_4(values: dict[str, Any]) -> dict[str, Any]:
    """Version 4 had no pack."""
    return {**values, "version": 5}


def _from_5(values: dict[str, Any]) -> dict[str, Any]:
    """Version 5 had nothing along curves."""
    return {**values, "version": 6}


_STEPS = {1: _from_1, 2: _from_2, 3: _from_3, 4: _from_4, 5: _from_5}


def lifted(values: dict[str, Any]) -> dict[str, Any]:
    """A project's values in the form of this version.

    Raises
    ------
    BadValue
        They are not what a project of their version holds.
    """
    for version in range(values["version"], FORMAT_VERSION):
        values = _STEPS[version](values)
    return _with_own_lifted(values)


def _with_own_lifted(values: dict[str, Any]) -> dict[str, Any]:
    """What plates keep for steps of their own is of the version of the recipe's step, and comes up with it."""
    steps: dict[tuple[str, str], tuple[str, Any]] = {}
    for recipe in _listed(values, "recipes"):
        for step in _listed(recipe, "steps"):
            steps[str(recipe.get("id")), str(step.get("uid"))] = str(step.get("kind")), step.get("version")
    plates = []
    for plate in _listed(values, "plates"):
        own = plate.get("own", {})
        if not isinstance(own, dict):
            raise BadValue("What a plate keeps of its own cannot be read")
        changed = {}
        for uid, kept in own.items():
            kind_id, version = steps.get((str(plate.get("recipe")), uid), ("", None))
            if isinstance(kept, dict) and type(version) is int and kind_id:
                kind = kind_of(kind_id)
                kept = kind.migrate(version, dict(kept)) if version < kind.version else kept
            changed[uid] = kept
        plates.append({**plate, "own": changed})
    return {**values, "plates": plates}
