"""GIF, TGA, Netpbm, PFM, AVIF and JPEG XL, as other libraries write them; cut anywhere they give one sentence."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import imagecodecs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from engraver.core.errors import BadPicture
from engraver.core.files import avif_jxl
from engraver.core.files.picture import Reading
from engraver.core.files.read import facts, is_picture, load

RNG = np.random.default_rng(9)
GREY = RNG.integers(0, 256, (37, 53), dtype=np.uint8)
DEEP = RNG.integers(0, 65536, (37, 53), dtype=np.uint16)
RGB = RNG.integers(0, 256, (37, 53, 3), dtype=np.uint8)
RGBA = RNG.integers(0, 256, (37, 53, 4), dtype=np.uint8)
FLOAT = RNG.normal(0, 3, (37, 53)).astype(np.float32)


def _pillow(array: np.ndarray, kind: str, **more: Any) -> bytes:
    out = io.BytesIO()
    Image.fromarray(array).save(out, kind, **more)
    return out.getvalue()


def _opencv(array: np.ndarray, ending: str, *more: int) -> bytes:
    return cv2.imencode(ending, array if array.ndim == 2 else array[..., ::-1], more)[1].tobytes()


WRITTEN: dict[str, tuple[bytes, np.ndarray]] = {
    "grey.tga": (_pillow(GREY, "TGA"), GREY), "packed.tga": (_pillow(RGB, "TGA", compression="tga_rle"), RGB),
    "clear.tga": (_pillow(RGBA, "TGA"), RGBA), "grey.gif": (_pillow(GREY, "GIF"), GREY),
    "grey.pgm": (_opencv(GREY, ".pgm"), GREY), "deep.pgm": (_opencv(DEEP, ".pgm"), DEEP),
    "rgb.ppm": (_pillow(RGB, "PPM"), RGB),
    "typed.pgm": (_opencv(GREY, ".pgm", cv2.IMWRITE_PXM_BINARY, 0), GREY),
    "typed.ppm": (_opencv(RGB, ".ppm", cv2.IMWRITE_PXM_BINARY, 0), RGB),
    "bits.pbm": (_pillow(GREY > 99, "PPM"), (GREY > 99).astype(np.uint8)),
    "grey.jxl": (imagecodecs.jpegxl_encode(GREY, lossless=True), GREY),
    "deep.jxl": (imagecodecs.jpegxl_encode(DEEP, lossless=True), DEEP),
    "clear.jxl": (imagecodecs.jpegxl_encode(RGBA, lossless=True), RGBA),
}  # fmt: skip


@pytest.mark.parametrize("name", WRITTEN)
def test_every_pixel_is_read_as_it_was_written(name: str) -> None:
    data, stored = WRITTEN[name]
    top = 1 if name == "bits.pbm" else np.iinfo(stored.dtype).max
    raster, known = load(data, name), facts(data, name)
    colours = stored[..., :3] if stored.ndim == 3 else stored
    found = raster.pixels if raster.channels == (3 if stored.ndim == 3 else 1) else raster.pixels[..., 0]
    assert (known.width, known.height) == (53, 37)
    assert np.abs(found - colours / np.float32(top)).max() < 1e-6
    if stored.shape[2:] == (4,):
        assert raster.coverage is not None
        assert np.abs(raster.coverage - stored[..., 3] / np.float32(255)).max() < 1e-6


@pytest.mark.parametrize("order", ["<", ">"])
def test_pfm_is_float_from_the_bottom_up(order: str) -> None:
    """By P. Debevec's description, and as OpenCV writes it."""
    scale = b"-1.0" if order == "<" else b"1.0"
    data = b"Pf\n53 37\n" + scale + b"\n" + FLOAT[::-1].astype(f"{order}f4").tobytes()
    written = cv2.imencode(".pfm", FLOAT)[1].tobytes()
    lo, hi = float(FLOAT.min()), float(FLOAT.max())
    for file in (data, written):
        raster = load(file, "slab.pfm", Reading(lo=lo, hi=hi))
        assert facts(file, "slab.pfm").samples == "float"
        assert np.abs(raster.pixels - (FLOAT - lo) / (hi - lo)).max() < 1e-5


@pytest.mark.parametrize("bits", [8, 10, 12])
def test_avif_keeps_its_bits(bits: int) -> None:
    y, x = np.mgrid[0:37, 0:53]
    stored = np.round((x + y) / 88 * (2**bits - 1)).astype(np.uint8 if bits == 8 else np.uint16)
    data = bytes(imagecodecs.avif_encode(stored, level=100, bitspersample=bits))
    raster = load(data, "ramp.avif")
    assert facts(data, "ramp.avif").depth == (8 if bits == 8 else 16)
    pixels = raster.pixels if raster.channels == 1 else raster.pixels.mean(axis=2)
    assert np.abs(pixels - stored / np.float32(2**bits - 1)).max() < 1.5 / (2**bits - 1)


def test_of_several_pictures_the_first_is_read() -> None:
    out = io.BytesIO()
    frames = [Image.fromarray(one) for one in (GREY, 255 - GREY)]
    frames[0].save(out, "GIF", save_all=True, append_images=frames[1:], optimize=False)
    raster = load(out.getvalue(), "turning.gif")
    first = raster.pixels if raster.channels == 1 else raster.pixels[..., 0]
    assert np.abs(first - GREY / np.float32(255)).max() < 1e-6


@given(st.integers(1, 3000), st.integers(1, 3000))
def test_the_header_of_jpeg_xl_tells_its_size(width: int, height: int) -> None:
    """ISO/IEC 18181-1, 6.3; the reference is libjxl, which writes it."""
    small = (max(1, width // 40), max(1, height // 40)) if width * height > 40_000 else (width, height)
    data = bytes(imagecodecs.jpegxl_encode(np.zeros(small[::-1], np.uint8), lossless=True))
    assert avif_jxl.jxl_size(data, "x.jxl") == small


@pytest.mark.parametrize("name", WRITTEN)
@given(share=st.floats(0.0, 0.98))
def test_cut_files_give_one_sentence(name: str, share: float) -> None:
    data = WRITTEN[name][0]
    cut = data[: int(len(data) * share)]
    try:
        raster = load(cut, name)
    except BadPicture as error:
        assert name in error.sentence()
    else:  # such a decoder fills up what is missing: never with anything but numbers
        assert np.isfinite(raster.pixels).all()


@pytest.mark.parametrize("head", [
    b"P5\n0 9\n255\n", b"P5\n9 9\n70000\n", b"P5\n99999 99999\n255\n", b"P2\n2 2\n9\n1 2 3 44", b"Pf\n4 4\n0\n",
    b"P6\n", b"P5 # no end",
])  # fmt: skip
def test_wrong_headers_are_told(head: bytes) -> None:
    with pytest.raises(BadPicture, match=r"slab\.pnm"):
        load(head, "slab.pnm")


def test_words_and_mesh_files_are_no_tga(tmp_path: Path) -> None:
    makers: tuple[Callable[[], bytes], ...] = (
        lambda: b"\0" * 80, lambda: b"words, words and words again, of no picture", lambda: bytes(range(64)),
    )  # fmt: skip
    for make in makers:
        assert not is_picture(make())
