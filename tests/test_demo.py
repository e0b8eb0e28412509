"""The demo: made from a seed, the same everywhere, ready for its brush; and its pictures."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.files.read import facts, load
from engraver.core.readiness import deliver, destination, measure
from engraver.core.recipe.first import guess, ring_share
from engraver.core.steps.frame import Crop, crop_box
from engraver.demo import photos, props, quay, shots


def test_props_come_from_their_seed() -> None:
    for make in (lambda seed: props.barnacles(160, seed), lambda seed: props.ripples(120, 160, seed)):
        first, again, other = make(5), make(5), make(6)
        assert np.array_equal(first, again) and np.abs(first - other).max() > 0.1
        assert first.min() >= 0 and first.max() <= 1 and first.std() > 0.05 and first.dtype == np.float32


def test_photos_are_what_a_phone_would_take() -> None:
    """Uneven light, a colour cast, a board round the slab, noise: each of them is there."""
    slab = photos.barnacle_slab(400)
    left, top, width, height = slab.kept
    inside = slab.rgb[top : top + height, left : left + width].astype(float)
    board = slab.rgb[: top // 2].astype(float)
    assert board.mean() > 1.5 * inside.mean()
    red, green, blue = (slab.rgb[..., c].mean() for c in range(3))
    assert red > green > blue * 1.05
    assert slab.light.max() / slab.light.min() > 1.8
    assert slab.heights.shape == (height, width)
    sand = photos.sand_ripples(300, 420)
    quarter = sand.rgb.shape[1] // 4
    assert sand.rgb[:, :quarter].mean() > 1.25 * sand.rgb[:, -quarter:].mean()
    known = facts(sand.file(), sand.name)
    assert (known.format, known.width, known.height, known.lossy) == ("JPEG", 420, 300, True)
    assert np.abs(load(sand.file(), sand.name).pixels * 255 - sand.rgb).mean() < 3


def test_the_ring_tells_relief_from_surface() -> None:
    slab = photos.barnacle_slab(400)
    left, top, width, height = slab.kept
    store = SourceStore()
    source = store.add(slab.file(), slab.name)
    raster = load(store.bytes_of(source), slab.name)
    kept = raster.but(pixels=raster.pixels[top : top + height, left : left + width])
    assert guess(kept) == "relief" and ring_share(kept) < 1 / 3
    sand = photos.sand_ripples(300, 420)
    assert guess(load(sand.file(), sand.name)) == "surface"


def test_photos_are_kept_once_made_and_a_refusing_cache_only_costs_time(tmp_path: Path) -> None:
    made = []

    def make() -> photos.Photo:
        made.append(1)
        return photos.sand_ripples(60, 80)

    first = quay.photo_file(make, "sand.jpg", tmp_path / "cache")
    assert quay.photo_file(make, "sand.jpg", tmp_path / "cache") == first and len(made) == 1
    (tmp_path / "file").write_bytes(b"")
    assert quay.photo_file(make, "sand.jpg", tmp_path / "file") == first and len(made) == 2


@pytest.fixture(scope="module")
def demo() -> tuple[object, SourceStore]:
    store = SourceStore()
    return quay.demo_project(store), store


def test_both_demo_plates_are_ready_for_a_sculpting_brush(demo: tuple[quay.Project, SourceStore]) -> None:
    project, store = demo
    assert project.name == "Saltmarrow Quay" and [p.read_as for p in project.plates] == ["relief", "surface"]
    to = destination("sculpt-stamp")
    for plate in project.plates:
        raster = Engine(store).evaluate(resolve(project, plate.id, store), Request(exact=True)).raster
        assert {g.id: g.verdict for g in measure(deliver(raster, to).pixels, to)} == dict.fromkeys(
            ("size", "range", "border", "lift", "steepness"), "good"
        )


def test_the_demos_crop_leaves_the_board_out(demo: tuple[quay.Project, SourceStore]) -> None:
    project, store = demo
    plate = project.plates[0]
    line = resolve(project, plate.id, store)
    crop = line.steps[0].params
    assert isinstance(crop, Crop)
    left, top, width, height = crop_box(crop, line.facts[0])
    photo = photos.barnacle_slab()
    x, y, kept_w, kept_h = photo.kept
    assert x <= left and y <= top and left + width <= x + kept_w and top + height <= y + kept_h
    assert width > 0.9 * kept_w
    # Only here: the recipe itself knows nothing of this photo's board.
    assert project.recipe(plate.recipe).steps[0].params == Crop()
    assert quay.demo_project(SourceStore()).recipes[0].steps == project.recipes[0].steps


def test_the_pictures_in_the_docs_are_those_the_command_makes() -> None:
    folder = Path(__file__).parent.parent / "docs" / "screenshots"
    assert {p.stem for p in folder.glob("*.png")} == {name for name, _, _ in shots.SHOTS}
    readme = (folder.parent.parent / "README.md").read_text(encoding="utf-8")
    for name, _, _ in shots.SHOTS:
        known = facts((folder / f"{name}.png").read_bytes(), name)
        assert (known.width, known.height) == (1280, 800) and f"{name}.png" in readme
