"""Projects of earlier versions open as they were: three files that version 1 of the program wrote."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any

import pytest

from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import BadProject
from engraver.core.params import StepZero
from engraver.core.project.codec import project_json, read_project
from engraver.core.project.project_file import open_project, save
from engraver.core.recipe import Project
from engraver.core.recipe.models import FORMAT_VERSION
from engraver.core.sources import READINGS
from engraver.core.sources.blank import Blank

FILES = Path(__file__).parent / "data" / "projects"
# What version 1 made of each plate: its shape, mean and standard deviation.
TRUTH = json.loads((FILES / "truth.json").read_text())


@pytest.mark.parametrize("name", ["bosses-1", "cork-1", "net-1"])
def test_a_project_of_version_1_looks_as_it_did(name: str, tmp_path: Path) -> None:
    store = SourceStore()
    project = open_project(FILES / f"{name}.engraver", store)
    assert project.version == FORMAT_VERSION
    engine = Engine(store)
    for plate in project.plates:
        flat = engine.evaluate(resolve(project, plate.id, store), Request(exact=True)).raster.flat()
        shape, mean, spread = TRUTH[f"{name}/{plate.name}"]
        assert list(flat.shape) == shape
        # Up to version 3 a falloff's margin came out half a pixel wider than typed.
        near = 6e-3 if any(step.kind == "falloff" for step in project.line(plate.id)) else 2e-4
        assert (float(flat.mean()), float(flat.std())) == pytest.approx((mean, spread), abs=near), plate.name
    save(project, tmp_path / "again.engraver", store)
    fresh = SourceStore()
    assert open_project(tmp_path / "again.engraver", fresh) == project
    for source in project.sources:  # facts go with the source from now on
        assert source.kind != "picture" or source.file.facts is not None
        assert [fresh.read(source, f) for f in source.files] == [store.read(source, f) for f in source.files]


def _values(name: str) -> dict[str, Any]:
    with zipfile.ZipFile(FILES / f"{name}.engraver") as bundle:
        values: dict[str, Any] = json.loads(bundle.read("project.json"))
    return values


def test_a_blank_of_version_1_keeps_its_side_and_grey_in_step_zero() -> None:
    project = read_project(json.dumps(_values("bosses-1")).encode(), "bosses")
    readings = [p.reading for p in project.plates if isinstance(p.reading, Blank)]
    assert [(r.side, r.grey) for r in readings] == [(96, 0.5), (64, 0.25)]


def _picture_read_as_a_mesh(values: dict[str, Any]) -> None:
    values["plates"][0]["reading"], values["plates"][3]["reading"] = (
        values["plates"][3]["reading"], values["plates"][0]["reading"]
    )  # fmt: skip


def _listed_version(values: dict[str, Any]) -> None:
    values["recipes"][0]["steps"][0]["version"] = [1]


def _many_steps(values: dict[str, Any]) -> None:
    step = values["recipes"][0]["steps"][0]
    values["recipes"][0]["steps"] = [{**step, "uid": f"s{n}"} for n in range(2000)]


def _long_name(values: dict[str, Any]) -> None:
    values["plates"][0]["name"] = "barnacle " * 2_000_000


def _many_plates(values: dict[str, Any]) -> None:
    values["plates"] = [{**values["plates"][0], "id": f"p{n}"} for n in range(2000)]


def _twins(values: dict[str, Any]) -> None:
    values["plates"].append(dict(values["plates"][0]))


def _strange_source(values: dict[str, Any]) -> None:
    values["sources"][0]["kind"] = "hologram"


def _deep_own(values: dict[str, Any]) -> None:
    deep: Any = 1
    for _ in range(900):
        deep = [deep]
    values["plates"][0]["own"] = {values["recipes"][0]["steps"][0]["uid"]: {"fade": deep}}


@pytest.mark.parametrize(
    "harm",
    [
        _picture_read_as_a_mesh,
        _listed_version,
        _many_steps,
        _long_name,
        _many_plates,
        _twins,
        _strange_source,
        _deep_own,
    ],
    ids=lambda harm: harm.__name__.strip("_"),
)
def test_a_hostile_project_ends_in_a_word(harm: Any) -> None:
    values = _values("bosses-1")
    harm(values)
    with pytest.raises(BadProject) as caught:
        read_project(json.dumps(values).encode(), "hostile.engraver")
    assert "hostile.engraver cannot be opened" in caught.value.sentence() and len(caught.value.sentence()) < 400


@pytest.mark.parametrize("kind", sorted(READINGS))
def test_step_zero_is_tagged_and_a_newer_or_unknown_one_is_refused(kind: str) -> None:
    project = read_project(json.dumps(_values("bosses-1")).encode(), "bosses")
    text, blobs = project_json(project)
    values = json.loads(text)
    # Kinds that came later stand in the place of another's step zero.
    fresh = {"kind": kind, "version": READINGS[kind].version, **READINGS[kind]().model_dump(mode="json")}
    beside = {**values["plates"][0], "reading": fresh}
    plate = next((p for p in values["plates"] if p["reading"]["kind"] == kind), beside)
    assert plate["reading"]["version"] == READINGS[kind].version
    assert read_project(text, "bosses", blobs) == project
    for change in ({"version": 99}, {"kind": "hologram"}, {"version": "1"}, {"surprise": 1}):
        harmed = {**values, "plates": [{**plate, "reading": {**plate["reading"], **change}}]}
        with pytest.raises(BadProject, match=r"step zero|surprise"):
            read_project(json.dumps(harmed).encode(), "bosses", blobs)


def test_an_older_step_zero_is_brought_up() -> None:
    class Later(StepZero):
        kind = "blank"
        version = 2

        @classmethod
        def lifted(cls, version: int, values: dict[str, Any]) -> dict[str, Any]:
            return {}

    project = read_project(json.dumps(_values("bosses-1")).encode(), "bosses")
    values = json.loads(project_json(project)[0])
    values.pop("made_by")
    found = Project.model_validate(values, context={"readings": {**READINGS, "blank": Later}})
    assert isinstance(found.plates[1].reading, Later)
