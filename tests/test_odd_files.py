"""One picture stored in many odd ways reads the same; and no file, however damaged, ends in anything but words."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import pytest
import tifffile
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from conftest import band_limited
from engraver.core.errors import BadPicture, EngraverError
from engraver.core.files.read import facts, first_reading, load
from engraver.core.files.write import encode

RGB = (band_limited(40, 56, 0.1, 5, channels=3) * 255).astype(np.uint8)
DEEP = (band_limited(40, 56, 0.1, 6) * 65535).astype(np.uint16)


def tiff(values: np.ndarray, **how: object) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, values, **how)
    return out.getvalue()


def pillow(picture: Image.Image, kind: str, **how: object) -> bytes:
    out = io.BytesIO()
    picture.save(out, kind, **how)
    return out.getvalue()


STORED: dict[str, Callable[[], bytes]] = {
    "in one piece": lambda: tiff(RGB, photometric="rgb"),
    "channel after channel": lambda: tiff(np.moveaxis(RGB, -1, 0), photometric="rgb", planarconfig="separate"),
    "in tiles": lambda: tiff(RGB, photometric="rgb", tile=(16, 16), compression="zlib"),
    "in strips, predicted": lambda: tiff(RGB, photometric="rgb", rowsperstrip=7, compression="lzw", predictor=True),
    "most significant byte first": lambda: tiff(RGB, photometric="rgb", byteorder=">"),
    "in the large form": lambda: tiff(RGB, photometric="rgb", bigtiff=True),
    "with opaque alpha": lambda: tiff(
        np.dstack([RGB, np.full(RGB.shape[:2], 255, np.uint8)]), photometric="rgb", extrasamples=["unassalpha"]
    ),
}


@pytest.mark.parametrize("way", list(STORED))
def test_a_colour_tiff_reads_the_same_however_it_is_stored(way: str) -> None:
    """TIFF 6.0 (1992); written by tifffile."""
    raster = load(STORED[way](), "net.tif")
    assert np.array_equal(raster.pixels, (RGB / np.float32(255)).astype(np.float32))


def test_white_is_zero_palette_and_ink() -> None:
    """White is zero is turned round; a palette is resolved as Pillow does; ink by (1 - c)(1 - k), as in Pillow."""
    turned = load(tiff(65535 - DEEP, photometric="miniswhite"), "w.tif")
    assert np.allclose(turned.pixels, DEEP / 65535, atol=1e-7)
    few = Image.fromarray(RGB).quantize(17)
    assert np.array_equal(load(pillow(few, "TIFF"), "p.tif").pixels * 255, np.asarray(few.convert("RGB"), np.float32))
    ink = Image.merge("CMYK", [Image.fromarray(RGB[..., n]) for n in (0, 1, 2, 0)])
    c, k = np.asarray(ink)[..., :3] / 255, np.asarray(ink)[..., 3:] / 255
    assert np.abs(load(pillow(ink, "TIFF"), "ink.tif").pixels - (1 - c) * (1 - k)).max() < 1.01 / 255


@pytest.mark.parametrize("kind", ["assocalpha", "unassalpha"])
def test_alpha_that_was_multiplied_in_is_taken_out_again(kind: str) -> None:
    """TIFF 6.0, section 18: associated alpha is stored multiplied, unassociated as it is."""
    share = np.tile(np.linspace(0, 1, 56), (40, 1))
    stored = RGB * share[..., None] if kind == "assocalpha" else RGB
    both = np.dstack([np.round(stored), np.round(share * 255)]).astype(np.uint8)
    raster = load(tiff(both, photometric="rgb", extrasamples=[kind]), "a.tif")
    assert raster.coverage is not None and np.abs(raster.coverage - share).max() < 0.6 / 255
    there = share > 0.3
    assert np.abs(raster.pixels - RGB / 255.0)[there].max() < 3 / 255


def test_pages_are_chosen_and_one_that_is_not_there_is_told() -> None:
    out = io.BytesIO()
    with tifffile.TiffWriter(out) as file:
        for page in (DEEP, DEEP[::-1]):
            file.write(page, photometric="minisblack")
    data = out.getvalue()
    assert facts(data, "two.tif").pages == 2
    reading = first_reading(data, "two.tif")
    second = load(data, "two.tif", reading.model_copy(update={"page": 1}))
    assert np.allclose(second.pixels, DEEP[::-1] / 65535, atol=1e-7)
    with pytest.raises(BadPicture, match="it has 2 pages, and page 5"):
        load(data, "two.tif", reading.model_copy(update={"page": 4}))


def test_a_tag_for_holes_that_is_no_number_is_passed_over() -> None:
    values = DEEP.astype(np.float32)
    data = tiff(values, extratags=[(42113, 2, 0, "none", True)], photometric="minisblack")
    assert load(data, "h.tif", first_reading(data, "h.tif")).coverage is None


def exr(path: Path, **channels: np.ndarray) -> bytes:
    with OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, channels) as file:
        file.write(str(path))
    return path.read_bytes()


def test_an_exr_whose_channels_have_other_names(tmp_path: Path) -> None:
    """A depth alone, a height by name, colour beside something else; alpha alone is no picture."""
    height = band_limited(24, 32, 0.1, 7)
    assert np.array_equal(load(exr(tmp_path / "z.exr", Z=height), "z.exr").pixels, height)
    assert np.array_equal(load(exr(tmp_path / "h.exr", height=height), "h.exr").pixels, height)
    more = exr(tmp_path / "m.exr", R=height, G=height**2, B=height / 2, height=1 - height)
    assert np.array_equal(load(more, "m.exr").pixels, np.dstack([height, height**2, height / 2]))
    with pytest.raises(BadPicture, match="it holds no picture"):
        load(exr(tmp_path / "a.exr", A=height), "a.exr")


def test_the_emptiness_of_a_depth_picture_is_a_hole_not_a_depth(tmp_path: Path) -> None:
    """Common practice: what no ray met is written as 1e10, as infinity or as the largest number."""
    depth = (3 + band_limited(24, 32, 0.1, 8)).astype(np.float32)
    for far in (1e10, np.inf, np.finfo(np.float32).max):
        behind = depth.copy()
        behind[:6] = far
        data = exr(tmp_path / f"{far}.exr", Z=behind)
        reading = first_reading(data, "depth.exr")
        assert (reading.lo, reading.hi) == (pytest.approx(depth[6:].min()), pytest.approx(depth[6:].max()))
        raster = load(data, "depth.exr", reading)
        assert raster.coverage is not None and np.array_equal(raster.coverage[:, 0] == 0, np.arange(24) < 6)
        assert raster.flat().min() >= 0 and raster.flat().max() <= 1


GOOD: dict[str, bytes] = {
    "a.png": cv2.imencode(".png", DEEP)[1].tobytes(),
    "b.png": pillow(Image.fromarray(RGB).quantize(9), "PNG"),
    "c.jpg": pillow(Image.fromarray(RGB), "JPEG"),
    "d.tif": tiff(RGB, photometric="rgb", tile=(16, 16), compression="zlib"),
    "e.tif": tiff(DEEP, photometric="minisblack"),
    "f.webp": pillow(Image.fromarray(RGB), "WEBP", lossless=True),
    "g.bmp": pillow(Image.fromarray(RGB), "BMP"),
    "h.exr": encode(band_limited(24, 32, 0.1, 7), "exr", "float"),
}


@pytest.mark.parametrize("name", list(GOOD))
@settings(max_examples=150, deadline=None)
@given(data=st.data())
def test_whatever_is_cut_off_or_flipped_is_read_or_told(name: str, data: st.DataObject) -> None:
    """A file cut anywhere, or with bytes put elsewhere, gives a sound picture or one of our errors; nothing else."""
    whole = bytearray(GOOD[name])
    for _ in range(data.draw(st.integers(0, 6))):
        # Headers decide more than pixels do: they are hit more often.
        top = data.draw(st.sampled_from([64, 200, len(whole)]))
        whole[data.draw(st.integers(0, min(top, len(whole)) - 1))] = data.draw(st.integers(0, 255))
    cut = bytes(whole[: data.draw(st.integers(0, len(whole)))]) if data.draw(st.booleans()) else bytes(whole)
    try:
        raster = load(cut, name, first_reading(cut, name))
    except EngraverError as error:
        assert name in error.sentence() and len(error.sentence()) < 400
    else:
        assert raster.pixels.dtype == np.float32 and raster.pixels.size and np.isfinite(raster.pixels).all()
        assert raster.coverage is None or (raster.coverage.min() >= 0 and raster.coverage.max() <= 1)
