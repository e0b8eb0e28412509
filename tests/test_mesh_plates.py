"""Plates of meshes: through the engine, projects, links that moved, and several captures of one mesh."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from click.testing import CliRunner

from conftest import band_limited
from engraver.cli.main import main
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import BadValue, EngraverError, FileTrouble
from engraver.core.files.read import facts
from engraver.core.project.project_file import open_project, save
from engraver.core.recipe import Project, Step, edits, many
from engraver.core.recipe.first_mesh import first_capture, first_mesh_steps
from engraver.core.sources.mesh import facts_at_hand, known_frame, shape_of
from engraver.demo.casts import frieze_pot
from solids import sheet


def panel() -> bytes:
    """A binary STL of a bumpy panel 40 units wide."""
    mesh = sheet(2 * band_limited(81, 81, 0.05, 4).astype(np.float64), 0.5)
    return trimesh.Trimesh(mesh.points + mesh.origin, mesh.faces, process=False).export(file_type="stl")


def plate_of(store: SourceStore, link: Path | None = None) -> tuple[Project, str]:
    source = store.add(panel(), "panel.stl", link)
    reading = first_capture(shape_of(source, store)).but(side=128)
    return edits.add_plate(Project(), source, "Panel", first_mesh_steps("detail"), reading=reading, read_as="detail")


def picture(project: Project, plate: str, store: SourceStore) -> np.ndarray:
    return Engine(store).evaluate(resolve(project, plate, store), Request(exact=True)).raster.flat()


def test_a_mesh_plate_keeps_its_scale_down_the_line_until_a_tone_step() -> None:
    store = SourceStore()
    project, plate = plate_of(store)
    result = Engine(store).evaluate(resolve(project, plate, store), Request(exact=True)).raster
    assert (result.width, result.height, result.zero) == (128, 128, "mid")
    line = resolve(project, plate, store)
    found = known_frame(line.source, line.reading, store)  # type: ignore[arg-type]
    assert found is not None and line.facts[-1].units == pytest.approx(found.units)
    project = edits.insert_step(project, plate, Step.make("levels"), 0)
    toned = resolve(project, plate, store)
    assert toned.facts[0].units is not None and toned.facts[-1].units is None


def test_how_fine_a_mesh_is_is_told_of_its_plate_before_anybody_asks_for_it() -> None:
    """The panel's squares are 0.5 wide, in frames of 40: of triangles with two such sides and their diagonal."""
    store = SourceStore()
    project, plate = plate_of(store)
    result = Engine(store).evaluate(resolve(project, plate, store), Request(exact=True))
    found = known_frame(*_read(project, plate), store)
    assert found is not None and facts_at_hand(project.sources[0], store) is None
    edge = 0.5 * (2 + np.sqrt(2)) / 3
    assert found.edge == pytest.approx(edge, rel=0.02)
    assert result.facts.detail == pytest.approx(found.frame.width / found.edge / 128)


def _read(project: Project, plate: str) -> tuple[Any, Any]:
    return project.source(project.plate(plate).source), project.plate(plate).reading


def test_preview_and_full_size_of_a_capture_agree() -> None:
    """Design, section 5, as for a step that scales: 99 % within 0.005."""
    store = SourceStore()
    project, plate = plate_of(store)
    project = edits.set_reading(project, plate, side=512)
    line, engine = resolve(project, plate, store), Engine(store)
    full = engine.evaluate(line, Request(upto="", exact=True)).raster.flat()
    preview = engine.evaluate(line, Request(upto="", side=128)).raster.flat()
    reduced = full.reshape(128, 4, 128, 4).mean(axis=(1, 3))
    assert np.percentile(np.abs(preview - reduced), 99) <= 0.005


@pytest.mark.parametrize("linked", [False, True])
def test_a_project_keeps_its_mesh(tmp_path: Path, linked: bool) -> None:
    """Embedded or linked, the plate is the same pixels after it has been saved and opened."""
    path = tmp_path / "panel.stl"
    path.write_bytes(panel())
    store = SourceStore()
    project, plate = plate_of(store, path if linked else None)
    before = picture(project, plate, store)
    save(project, tmp_path / "made.engraver", store)
    assert ((tmp_path / "made.engraver").stat().st_size > len(panel())) != linked
    fresh = SourceStore()
    again = open_project(tmp_path / "made.engraver", fresh)
    assert again.plate(plate).reading == project.plate(plate).reading
    assert np.array_equal(picture(again, plate, fresh), before)


def test_a_moved_mesh_is_told_and_found_again(tmp_path: Path) -> None:
    path = tmp_path / "panel.stl"
    path.write_bytes(panel())
    store = SourceStore()
    project, plate = plate_of(store, path)
    save(project, tmp_path / "made.engraver", store)
    moved = tmp_path / "elsewhere" / "renamed.stl"
    moved.parent.mkdir()
    shutil.move(path, moved)
    fresh = SourceStore()
    project = open_project(tmp_path / "made.engraver", fresh)
    source = project.sources[0]
    assert fresh.missing(source)
    with pytest.raises(EngraverError, match="Find it again"):
        picture(project, plate, fresh)
    other = tmp_path / "other.stl"
    other.write_bytes(panel()[:-50])
    with pytest.raises(FileTrouble, match="not the same file"):
        fresh.relink(source, other)
    project = edits.set_link(project, source.id, fresh.relink(source, moved))
    assert not fresh.missing(project.sources[0])
    assert picture(project, plate, fresh).shape == (128, 128)


def test_several_captures_share_one_mesh() -> None:
    store = SourceStore()
    project, plate = plate_of(store)
    project, back = many.plate_from_source(project, plate)
    project = edits.set_reading(project, back, view="bottom", frame="whole")
    assert len(project.sources) == 1 and project.plate(plate).source == project.plate(back).source
    assert not np.allclose(picture(project, plate, store), picture(project, back, store), atol=0.05)


def test_bad_values_of_a_capture_are_told() -> None:
    store = SourceStore()
    project, plate = plate_of(store)
    with pytest.raises(BadValue, match="Side"):
        edits.set_reading(project, plate, side=100000)
    cut = edits.set_reading(project, plate, depth="set", lo=2.0, hi=1.0)
    assert np.isfinite(picture(cut, plate, store)).all()
    away = edits.set_reading(project, plate, frame="set", frame_x=1.0, frame_size=0.01)
    with pytest.raises(EngraverError, match="Nothing lies in the frame"):
        picture(away, plate, store)


def test_a_mesh_is_read_as_something_from_a_terminal(tmp_path: Path) -> None:
    path = tmp_path / "pot.ply"
    path.write_bytes(frieze_pot(40, 160).file())
    words = ["make", str(path), "--as", "rolled", "--side", "256", "--for", "stroke-strip", "-o"]
    done = CliRunner().invoke(main, [*words, str(tmp_path / "s.png")])
    assert done.exit_code == 0 and "pot.ply: read as rolled out" in done.output, done.output
    assert "at fault" not in done.output and facts((tmp_path / "s.png").read_bytes(), "s.png").width == 256
    done = CliRunner().invoke(main, ["make", str(path), "--as", "drawing", "-o", str(tmp_path / "t.png")])
    assert done.exit_code == 2 and "its ways are object, detail, rolled" in done.output
