"""Files that mean harm: projects changed at random in their structure, and damaged files of this machine's."""

from __future__ import annotations

import copy
import io
import json
import random
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import EngraverError
from engraver.core.project.bundle import Bundle
from engraver.core.project.project_file import open_project

STRANGE: tuple[Any, ...] = (
    None, True, -1, 0, 10**30, 1e308, -1e308, "", "x" * 5000, "../../etc", [], {}, [[[[]]]], {"kind": "hologram"},
    "NaN", [0] * 3000, "p" * 79, 1.5, [None, None],
)  # fmt: skip


def places(values: Any, way: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Every place of a JSON value, as the way to it."""
    if way:
        yield way
    inner = values.items() if isinstance(values, dict) else enumerate(values) if isinstance(values, list) else ()
    for key, value in inner:
        yield from places(value, (*way, key))


def _parent(values: Any, way: tuple[Any, ...]) -> Any:
    for key in way[:-1]:
        values = values[key]
    return values


def harmed(values: dict[str, Any], chance: random.Random) -> dict[str, Any]:
    """A project's JSON with one to three places changed, taken out, doubled or exchanged."""
    values = copy.deepcopy(values)
    for _ in range(chance.randint(1, 3)):
        ways = list(places(values))
        if not ways:
            break
        way = chance.choice(ways)
        parent, key, roll = _parent(values, way), way[-1], chance.random()
        if roll < 0.55:
            parent[key] = copy.deepcopy(chance.choice(STRANGE))
        elif roll < 0.7:
            del parent[key]
        elif roll < 0.85:
            other = chance.choice(ways)
            try:
                parent[key] = copy.deepcopy(_parent(values, other)[other[-1]])
            except (KeyError, IndexError, TypeError):
                continue
        elif isinstance(parent, list):
            parent.append(copy.deepcopy(parent[key]))
        elif isinstance(parent, dict):
            parent[f"{key}-again"] = copy.deepcopy(parent[key])
    return values


@dataclass(frozen=True, slots=True)
class Harm:
    """How many hostile projects were tried, opened after all, and what surprised."""

    tried: int
    opened: int
    surprises: tuple[str, ...]

    def words(self) -> str:
        head = f"hostile projects: {self.tried}, opened all the same: {self.opened}"
        lines = [f"{head}, surprises: {len(self.surprises)}"]
        return "\n".join([*lines, *(f"  {s}" for s in self.surprises[:20])])


def hostile(folder: Path, project: Path, seed: int, count: int) -> Harm:
    """Open changed copies of a project file, and look at the first plate of those that open."""
    chance, surprises, opened = random.Random(seed), [], 0
    bundle = Bundle(project)
    values = json.loads(bundle.read("project.json", 10**9))
    with zipfile.ZipFile(project) as whole:
        rest = {info.filename: whole.read(info) for info in whole.infolist() if info.filename != "project.json"}
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / "hostile.engraver"
    for n in range(count):
        changed = harmed(values, chance)
        data = io.BytesIO()
        with zipfile.ZipFile(data, "w") as made:
            made.writestr("project.json", json.dumps(changed))
            for name, part in rest.items():
                made.writestr(name, part)
        path.write_bytes(data.getvalue())
        try:
            store = SourceStore()
            found = open_project(path, store)
            opened += 1
            for plate in found.plates[:2]:
                Engine(store).evaluate(resolve(found, plate.id, store), Request(side=64))
        except EngraverError:
            continue
        except Exception as error:  # what a trial looks for
            surprises.append(f"{n}: {type(error).__name__}: {error}"[:300])
    return Harm(count, opened, tuple(surprises))
