"""What holds heights already is read as it is, and nothing is done to it; photographs are not taken for that."""

from __future__ import annotations

import io
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data
import tifffile
import trimesh
from PIL import Image

from conftest import png_bytes, settle
from engraver.app.window import Window
from engraver.core.engine import Engine, Request, SourceStore
from engraver.core.engine.line import assemble
from engraver.core.readiness import deliver, destination
from engraver.core.readiness.deliver import fitting_side
from engraver.core.recipe import Step
from engraver.core.recipe.first import first_steps
from lines import line_of
from solids import elevations

PHOTOS = ("brick", "grass", "gravel", "moon", "coins", "camera", "cell", "page", "text", "clock", "cat", "retina",
          "hubble_deep_field", "rocket", "coffee")  # fmt: skip


def first(data: bytes, name: str) -> tuple[str, tuple[str, ...], str]:
    """As what a file is read, by which steps, and for what."""
    store = SourceStore()
    found = store.first(store.add(data, name), None, None)
    return found.read_as, tuple(step.kind for step in found.steps), found.ready_for


@pytest.mark.parametrize("to", ["sculpt-stamp", "sculpt-stamp-mid", "brush-form", "terrain-stamp", "tiling-height"])
@pytest.mark.parametrize("photo", ["brick", "gravel", "coins"])
def test_what_was_delivered_comes_back_as_it_is(photo: str, to: str) -> None:
    tones = getattr(skimage.data, photo)()[:200, :200].astype(np.float32) / 255
    steps = () if to == "tiling-height" else first_steps("surface", line_of(tones)[0].facts[0])
    steps = (*(s for s in steps if s.kind != "size"), Step.make("size", side=256))
    if to == "sculpt-stamp-mid":
        steps = (*steps, Step.make("zero", zero="mid"))
    line, engine = line_of(tones, *steps)
    raster = engine.evaluate(line, Request(exact=True)).raster
    told = deliver(raster, destination(to), side=fitting_side(raster, destination(to)))
    for name, data in told.files("stamp"):
        store = SourceStore()
        source = store.add(data, name)
        found = store.first(source, None, None)
        assert found.read_as == "plain", name
        again = assemble(source, found.reading, found.steps, 1, store)
        back = Engine(store).evaluate(again, Request(exact=True)).raster
        written = told.pixels if name.endswith(".exr") else np.clip(told.pixels, 0, 1)
        apart = float(np.abs(back.flat() - written).max())
        assert apart < 1 / 65000, name
        assert back.zero == raster.zero, name


def test_elevations_are_heights_in_every_format_and_so_are_eight_bits_on_mid_grey() -> None:
    """An open elevation model (USGS, ships with matplotlib)."""
    metres = elevations()
    whole = np.round((metres - metres.min()) / np.ptp(metres) * 60000).astype(np.uint16)
    assert first(png_bytes(whole), "valley.png") == ("plain", (), "")
    assert first(cv2.imencode(".tif", whole)[1].tobytes(), "valley.tif")[0] == "plain"
    out = io.BytesIO()
    Image.fromarray(metres.astype(np.float32)).save(out, "TIFF")
    assert first(out.getvalue(), "valley.tif")[:2] == ("plain", ())
    share = ((metres - metres.min()) / np.ptp(metres)).astype(np.float32)
    for planes in (share, np.dstack([share] * 3)):  # programs write grey as colour, too
        out = io.BytesIO()
        tifffile.imwrite(out, planes, photometric="minisblack" if planes.ndim == 2 else "rgb")
        assert first(out.getvalue(), "valley.tif")[0] == "plain"
    y, x = np.mgrid[-1:1:200j, -1:1:200j]
    wave = np.sin(20 * x) * np.clip(1 - np.hypot(x, y) / 0.9, 0, 1)
    for grey in (127, 128):
        stamp = np.round(grey + 120 * wave).astype(np.uint8)
        for picture in (stamp, np.dstack([stamp] * 3)):
            read_as, steps, to = first(png_bytes(picture), "wave.png")
            assert (read_as, steps[-1], to) == ("plain", "zero", "sculpt-stamp-mid")


@pytest.mark.parametrize("colour", [(0, 0, 0), (255, 255, 255), (180, 40, 30), (128, 128, 128)])
def test_a_mark_in_its_transparency_is_as_high_as_it_is_opaque(colour: tuple[int, int, int]) -> None:
    """As tips are written, in any colour; what lies under the clear parts does not count."""
    y, x = np.mgrid[-1:1:200j, -1:1:200j]
    opaque = np.round(255 * np.clip(1.2 - np.hypot(x, y) / 0.7, 0, 1)).astype(np.uint8)
    picture = np.empty((200, 200, 4), np.uint8)
    picture[..., :3], picture[..., 3] = colour, opaque
    picture[opaque == 0, :3] = (200, 10, 90)
    store = SourceStore()
    source = store.add(png_bytes(picture), "tip.png")
    found = store.first(source, None, None)
    assert (found.read_as, found.ready_for) == ("plain", "clear-tip")
    assert found.raises == ("black" if sum(colour) < 3 * 120 else "white")
    back = Engine(store).evaluate(assemble(source, found.reading, found.steps, 1, store), Request(exact=True)).raster
    assert np.abs(back.flat() - opaque / 255).max() < 1e-5
    told = deliver(back, destination("clear-tip"), side=fitting_side(back, destination("clear-tip")))
    (_, data), *_ = told.files("tip")
    again = store.first(store.add(data, "again.png"), None, None)
    assert (again.read_as, again.raises) == ("plain", "black")


@pytest.mark.parametrize("name", PHOTOS)
def test_photographs_are_no_finished_heights(name: str) -> None:
    """scikit-image's pictures, also on exactly black, where they are cut out."""
    picture = getattr(skimage.data, name)()
    assert first(png_bytes(picture), "photo.png")[0] != "plain"
    cut = picture.copy()
    y, x = np.mgrid[: cut.shape[0], : cut.shape[1]]
    middle, radius = np.array(cut.shape[:2]) / 2, 0.4 * min(cut.shape[:2])
    cut[np.hypot(y - middle[0], x - middle[1]) > radius] = 0
    if np.median(cut[np.abs(np.hypot(y - middle[0], x - middle[1]) - radius) < 2]) > 40:
        assert first(png_bytes(cut), "cut.png")[0] != "plain"


def test_what_a_plate_is_ready_for_follows_its_reading_until_it_is_chosen(window: Window, tmp_path: Path) -> None:
    path = tmp_path / "body.stl"
    path.write_bytes(trimesh.creation.icosphere(3).export(file_type="stl"))
    window.filing.open_paths([path])
    settle(window)
    studio, read_as = window.studio, window.bench.plates.read_as
    assert studio.destination.id == "brush-form"
    read_as("detail")
    settle(window)
    assert studio.destination.id == "sculpt-stamp-mid"
    studio.set_destination("terrain-stamp")
    read_as("object")
    settle(window)
    assert studio.destination.id == "terrain-stamp"
