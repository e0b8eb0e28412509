"""Destinations: their files, and what is delivered for each, read back by independent readers."""

from __future__ import annotations

import io
import json
from datetime import datetime
from pathlib import Path

import numpy as np
import OpenEXR
import png as pypng
import pytest
from PIL import Image

from engraver.core.errors import BadValue
from engraver.core.files.write import Signed
from engraver.core.raster import Raster
from engraver.core.readiness import Destination, deliver, destination, shipped
from engraver.core.readiness.deliver import fitting_side, zero_level
from engraver.core.readiness.destinations import forget, keep, known, load_folder, parse, to_json

ALL = list(shipped().values())
OWN = {
    "id": "sand-belt",
    "name": "Sand belt",
    "zero": "mid",
    "sizes": {"smallest": 64, "largest": 640, "preferred": 512},
}


def plate(side: int = 256) -> Raster:
    """A dome on zero ground, fading by coverage."""
    y, x = (np.mgrid[0:side, 0:side] + 0.5) / side - 0.5
    away = np.hypot(x, y)
    dome = np.clip(1 - 2.2 * away, 0, 1).astype(np.float32)
    return Raster.of(dome, np.clip((0.46 - away) / 0.1, 0, 1).astype(np.float32))


def read(data: bytes, to: Destination, shape: tuple[int, int]) -> np.ndarray:
    """Tones 0..1 as stored, by readers that are not ours; over white where there is transparency."""
    if to.format == "exr":
        with OpenEXR.File(io.BytesIO(data)) as file:
            return np.array(file.channels()["Y"].pixels)
    if to.format == "raw":
        return np.frombuffer(data, "<u2").reshape(shape) / 65535
    if to.format == "png":
        width, height, rows, info = pypng.Reader(bytes=data).asDirect()
        values = np.vstack([np.array(r) for r in rows]).reshape(height, width, info["planes"]) / (
            2 ** info["bitdepth"] - 1
        )
        assert info["bitdepth"] == int(to.depth) and info["greyscale"] and info["alpha"] == (info["planes"] == 2)
        if info["planes"] == 2:
            return 1 - values[..., 1] * (1 - values[..., 0])
        return values[..., 0]
    with Image.open(io.BytesIO(data)) as picture:
        assert picture.mode == "L" and picture.format == "JPEG"
        return np.asarray(picture) / 255


@pytest.mark.parametrize("to", ALL, ids=lambda d: d.id)
def test_a_file_read_back_is_what_its_destination_promises(to: Destination) -> None:
    """Depth, size, polarity, DPI and zero, pixel by pixel against the plate."""
    raster = plate(300)
    side = fitting_side(raster, to)
    made = deliver(raster, to, side=side)
    assert to.sizes.fits(made.side)
    files = dict(made.files("dome", Signed("A. Quay", datetime(2026, 11, 2, 9, 30))))
    assert list(files) == made.names("dome") and f"dome{to.extension}" in files
    stored = read(files[f"dome{to.extension}"], to, made.pixels.shape)
    assert stored.shape == made.pixels.shape
    # The destination's convention by hand: heights to 0.5 + v / 2, or turned round.
    flat = made.pixels if to.raises == "white" else 1 - made.pixels
    heights = flat * 2 - 1 if to.zero == "mid" else flat
    if side is None:
        assert np.abs(heights - raster.pixels * raster.coverage).max() < 1e-6
    expected = 0.5 + heights / 2 if to.zero == "mid" else heights
    expected = 1 - expected if to.raises == "black" else expected
    step = {"8": 0.5 / 255, "16": 0.5 / 65535, "float": 1e-7}[to.depth]
    if to.format == "jpeg":
        step *= 4
    if to.channels == "grey+alpha":
        step *= 2.1
    assert np.abs(stored - np.clip(expected, 0, 1)).max() <= step * 1.001 + 1e-7
    ring = np.concatenate([stored[0], stored[-1], stored[:, 0], stored[:, -1]])
    assert np.abs(ring - zero_level(to)).max() <= (0.5 / 255 if to.depth == "8" else 1e-5)
    if to.dpi:
        with Image.open(io.BytesIO(files[f"dome{to.extension}"])) as picture:
            assert picture.info["dpi"] == pytest.approx((to.dpi, to.dpi), abs=0.5)
    if to.format in ("png", "jpeg"):
        with Image.open(io.BytesIO(files[f"dome{to.extension}"])) as picture:
            said = picture.text if to.format == "png" else picture.getexif()  # type: ignore[attr-defined]
            assert "A. Quay" in dict(said).values()
    if to.twin is not None:
        twin = read(files["dome.png"], to.model_copy(update={"format": "png", "depth": "16"}), stored.shape)
        assert np.abs(twin - stored).max() <= 0.5 / 65535 + 1e-6 and twin[0, 0] == 32768 / 65535
    if to.format == "raw":
        assert "little-endian" in files["dome.txt"].decode() and str(made.side) in files["dome.txt"].decode()


def test_the_other_polarity_is_the_reverse() -> None:
    for to in ALL:
        raster = plate()
        side = fitting_side(raster, to)
        one, other = (deliver(raster, to, side=side, reverse=r).pixels for r in (False, True))
        assert np.abs(one + other - 1).max() < 1e-6


def test_sides_follow_the_rules() -> None:
    grid, stamp, tip = (destination(i).sizes for i in ("terrain-grid", "sculpt-stamp", "paint-tip"))
    assert grid.nearest(1024) == 1025 and grid.fits(513) and not grid.fits(512) and grid.nearest(20) == 129
    assert stamp.nearest(1500) == 1024 and stamp.nearest(9000) == 4096 and not stamp.fits(1000)
    assert tip.nearest(3000) == 2500 and tip.fits(777)
    wide = Raster.of(np.zeros((100, 300), np.float32))
    assert deliver(wide, destination("layer-mask"), side=600).pixels.shape == (200, 600)


def test_an_own_destination_is_kept_found_and_removed(tmp_path: Path) -> None:
    own = Destination.model_validate(OWN)
    folder = tmp_path / "new" / "destinations"
    path = keep(own, folder)
    assert known(folder)["sand-belt"] == own and list(known(folder))[: len(ALL)] == [d.id for d in ALL]
    assert parse(to_json(own), "x") == own and json.loads(path.read_text())["zero"] == "mid"
    changed = own.model_copy(update={"id": "paint-tip", "name": "My tip"})
    keep(changed, folder)
    assert known(folder)["paint-tip"].name == "My tip"
    forget("paint-tip", folder)
    assert known(folder)["paint-tip"] == destination("paint-tip")
    assert own.stem("Net Weave", 512) == "net-weave"
    named = own.model_copy(update={"name_pattern": "{plate}_{side}_{destination}"})
    assert named.stem("Net Weave", 512) == "net-weave_512_sand-belt"


@pytest.mark.parametrize(("change", "words"), [
    ({"sizes": {"smallest": 100, "largest": 50, "preferred": 60}}, "preferred side"),
    ({"sizes": {"smallest": 64, "largest": 512, "preferred": 100, "rule": "power-of-two"}}, "follow the rule"),
    ({"zones": {"weight": {"good": [0, 1], "look": [0, 1]}}}, "no gauge"), ({"left_out": ["weight"]}, "no gauge"),
    ({"format": "jpeg", "depth": "16"}, "cannot hold"), ({"depth": "11"}, "depth"),
    ({"name_pattern": "../{plate}"}, "pattern"), ({"name_pattern": "{folder}"}, "pattern"),
    ({"zones": {"lift": {"good": [0.4, 0.2], "look": [0, 1]}}}, "good zone"), ({"colour": 3}, "colour"),
    ({"channels": "grey+alpha", "depth": "16"}, "8-bit PNG"), ({"id": "../../x"}, "id"),
    ({"dpi": float("nan")}, "dpi"),
])  # fmt: skip
def test_nonsense_in_a_destination_is_told(tmp_path: Path, change: dict[str, object], words: str) -> None:
    (tmp_path / "bad.json").write_text(json.dumps({**OWN, **change}))
    (tmp_path / "good.json").write_text(json.dumps(OWN))
    found, wrong = load_folder(tmp_path)
    assert list(found) == ["sand-belt"] and len(wrong) == 1
    assert "bad.json is not a destination" in wrong[0].sentence() and words in wrong[0].sentence()


def test_files_that_are_no_destinations_are_passed_over(tmp_path: Path) -> None:
    for name, data in (("a.json", b"\xff\x00"), ("b.json", b"[" * 50_000), ("c.json", b"[1]"), ("d.json", b"")):
        (tmp_path / name).write_bytes(data)
    (tmp_path / "e.json").write_bytes(b" " * 100_000)
    (tmp_path / "f.json").mkdir()
    found, wrong = load_folder(tmp_path)
    assert not found and len(wrong) == 6
    with pytest.raises(BadValue, match="There are: sculpt-stamp"):
        destination("nowhere")
