"""The raster's own contract, and sources at every scale."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import band_limited, png_bytes
from engraver.core.engine import SourceStore
from engraver.core.errors import BadPicture, EngraverError, FileTrouble, file_trouble
from engraver.core.files.names import file_stem
from engraver.core.files.picture import Reading
from engraver.core.numeric import resample
from engraver.core.raster import Facts, Raster
from engraver.core.recipe import Source
from engraver.core.sources.blank import Blank


def test_a_raster_seals_what_it_is_given() -> None:
    given_array = np.arange(12, dtype=np.float64).reshape(3, 4)
    raster = Raster.of(given_array)
    assert raster.pixels.dtype == np.float32 and raster.pixels.flags.c_contiguous
    with pytest.raises(ValueError):
        raster.pixels[0, 0] = 5
    whole = np.zeros((8, 8), np.float32)
    part = Raster.of(whole[2:6, 2:6])
    whole[:] = 9  # a raster made from a view does not follow the array it was cut from
    assert part.pixels.max() == 0
    turned = Raster.of(np.zeros((4, 6, 3), np.float32)).but(pixels=np.ones((5, 2), np.float32).T)
    assert turned.pixels.flags.c_contiguous and (turned.height, turned.width, turned.channels) == (2, 5, 1)


@pytest.mark.parametrize("bad", [np.nan, np.inf, -np.inf])
def test_a_raster_refuses_what_is_no_number(bad: float) -> None:
    pixels = np.zeros((40, 40), np.float32)
    pixels[17, 3] = bad
    with pytest.raises(BadPicture, match="not numbers"):
        Raster.of(pixels)
    with pytest.raises(BadPicture, match="not numbers"):
        Raster.of(np.zeros((40, 40)), pixels)


@pytest.mark.parametrize("shape", [(0, 4), (4,), (2, 2, 4), (2, 2, 2, 2)])
def test_a_raster_refuses_other_shapes(shape: tuple[int, ...]) -> None:
    with pytest.raises(BadPicture, match="shape"):
        Raster.of(np.zeros(shape, np.float32))
    with pytest.raises(BadPicture, match="another size"):
        Raster.of(np.zeros((3, 3), np.float32), np.zeros((3, 4), np.float32))


@pytest.mark.parametrize(("zero", "level"), [("black", 0.0), ("mid", 0.5)])
def test_flat_is_zero_where_nothing_is_and_the_pixel_where_all_is(zero: str, level: float) -> None:
    pixels = np.array([[0.2, 0.9, -1.0]], np.float32)
    cover = np.array([[0.0, 1.0, 0.25]], np.float32)
    flat = Raster.of(pixels, cover, zero=zero).flat()
    assert flat[0, 0] == level and flat[0, 1] == np.float32(0.9)
    assert flat[0, 2] == pytest.approx(level + 0.25 * (-1.0 - level))
    colour = Raster.of(np.dstack([pixels] * 3), cover, zero=zero).flat()
    assert np.array_equal(colour[..., 1], flat)


def test_facts_of_a_raster_are_what_it_carries() -> None:
    raster = Raster.of(
        np.zeros((3, 5)),
        np.ones((3, 5)),
        wrap=(True, False),
        zero="mid",
        units=2.0,
        source_per_pixel=4.0,
        lattice=0.1,
    )
    assert raster.facts() == Facts(5, 3, 1, True, (True, False), "mid", 2.0, 4.0, 0.1)
    assert raster.facts().shorter == raster.shorter == 3 and raster.nbytes == 2 * 15 * 4


@pytest.mark.parametrize("size", [(400, 300), (200, 150), (97, 73), (33, 25), (7, 5)])
def test_a_source_is_reduced_by_area_from_its_pyramid(size: tuple[int, int]) -> None:
    """Against one direct area average of the whole picture."""
    pixels = (band_limited(400, 300, 0.02, 4) * 255).astype(np.uint8)
    store = SourceStore()
    source = store.add(png_bytes(pixels), "a.png")
    raster = store.raster(source, Reading(), size)
    direct = resample.area((pixels / np.float32(255)).astype(np.float32), *size)
    assert (raster.height, raster.width) == size and np.abs(raster.pixels - direct).max() < 0.004


def test_sources_are_known_by_their_bytes(tmp_path: Path) -> None:
    store = SourceStore()
    data = png_bytes(np.zeros((4, 6), np.uint8))
    first, second = store.add(data, "a.png"), store.add(data, "b.png")
    assert first.digests == second.digests and first.id != second.id
    assert store.facts(first, Reading()) == Facts(6, 4, lattice=1 / 255)
    assert store.key(first, Reading()) != store.key(first, Reading(reversed=True))
    with pytest.raises(FileTrouble, match="missing"):
        SourceStore().bytes_of(first)
    blank, even = Source(id="b", kind="blank", name="Blank"), Blank(side=16, grey=0.25)
    assert store.facts(blank, even) == Facts(16, 16)
    assert store.key(blank, even) != store.key(blank, Blank(side=16))
    assert store.raster(blank, even, (4, 4)).pixels.tolist() == [[0.25] * 4] * 4


@given(st.text(max_size=200))
def test_any_name_makes_a_file_name(name: str) -> None:
    stem = file_stem(name)
    assert stem and "/" not in stem and stem not in (".", "..") and len(stem) <= 80 and stem == stem.strip("-_ ")
    assert file_stem(stem) == stem


@pytest.mark.parametrize(
    ("number", "says"), [(28, "full"), (13, "rights"), (30, "read-only"), (2, "not there"), (5, "Input/output")]
)
def test_the_systems_refusals_are_told_in_words(number: int, says: str) -> None:
    trouble = file_trouble("written", "stamp.png", OSError(number, os.strerror(number)))
    sentence = trouble.sentence()
    assert sentence.startswith("stamp.png cannot be written: ") and sentence.endswith(".") and ".." not in sentence
    assert says in sentence or says in trouble.fix
    assert str(trouble) == sentence and isinstance(trouble, EngraverError) and isinstance(trouble, OSError)
