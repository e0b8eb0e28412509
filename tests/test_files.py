"""Reading and writing pictures, against reference decoders and broken files."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import png as pypng
import pytest
import tifffile
from PIL import Image

from conftest import band_limited, png_bytes
from engraver.core.errors import BadPicture, BadValue, FileTrouble
from engraver.core.files import atomic
from engraver.core.files.picture import Reading
from engraver.core.files.png_write import png
from engraver.core.files.read import facts, first_reading, load, read_bytes
from engraver.core.files.write import encode, quantise

SUITE = zipfile.ZipFile(Path(__file__).parent / "data" / "pngsuite.zip")
PICTURES = [n for n in SUITE.namelist() if n.endswith(".png")]


@pytest.mark.parametrize("name", PICTURES)
def test_the_png_suite_is_read_pixel_exact(name: str) -> None:
    """PngSuite by W. van Schaik; reference decoder: pypng, in pure Python."""
    data = SUITE.read(name)
    width, height, rows, info = pypng.Reader(bytes=data).read()
    raw = np.vstack([np.array(row, np.int64) for row in rows]).reshape(height, width, -1)
    top = 2 ** info["bitdepth"] - 1
    alpha: Any = None
    if "palette" in info:
        table = np.array([(*entry, 255)[:4] if len(entry) == 3 else entry for entry in info["palette"]])
        raw, top = table[raw[..., 0]], 255
    if "transparent" in info and "palette" not in info:
        alpha = (raw != np.array(info["transparent"])).any(axis=2).astype(float)
    elif raw.shape[2] in (2, 4):
        alpha = raw[..., -1] / top
        raw = raw[..., :-1]
    raster = load(data, name)
    assert np.array_equal(raster.pixels.reshape(height, width, -1), (raw / top).astype(np.float32))
    expected = None if alpha is None or alpha.min() == 1 else alpha
    assert (raster.coverage is None) == (expected is None)
    if expected is not None:
        assert np.allclose(raster.coverage, expected, atol=1e-6)
    known = facts(data, name)
    assert (known.width, known.height) == (width, height)


def _with_orientation(turn: int, kind: str) -> tuple[bytes, np.ndarray]:
    """Stored pixels and the upright truth, by the definition of the tag (TIFF 6.0, p. 36: 0th row and column)."""
    truth = (np.arange(24, dtype=np.uint8).reshape(4, 6) * 10).astype(np.uint8)
    truth = truth.repeat(8, 0).repeat(8, 1)
    # What has to be stored so that the 0th row and column lie where the tag says.
    stored = {
        1: truth, 2: truth[:, ::-1], 3: truth[::-1, ::-1], 4: truth[::-1],
        5: truth.T, 6: truth.T[:, ::-1][::-1, ::-1], 7: truth.T[::-1, ::-1], 8: truth.T[::-1][::-1, ::-1],
    }[turn]  # fmt: skip
    if turn == 6:  # 0th row at the right: rotated 90 degrees counter-clockwise when stored
        stored = np.rot90(truth, 1)
    if turn == 8:
        stored = np.rot90(truth, -1)
    exif = Image.Exif()
    exif[0x0112] = turn
    out = io.BytesIO()
    if kind == "TIFF":
        tifffile.imwrite(
            out, np.ascontiguousarray(stored), photometric="minisblack", extratags=[(274, 3, 1, turn, True)]
        )
    else:
        more: dict[str, Any] = {"quality": 100} if kind == "JPEG" else {"lossless": True} if kind == "WEBP" else {}
        Image.fromarray(np.ascontiguousarray(stored)).save(out, kind, exif=exif, **more)
    return out.getvalue(), truth


@pytest.mark.parametrize("turn", range(1, 9))
@pytest.mark.parametrize("kind", ["JPEG", "WEBP", "PNG", "TIFF"])
def test_exif_orientation_is_obeyed_once(turn: int, kind: str) -> None:
    data, truth = _with_orientation(turn, kind)
    raster = load(data, "turned")
    grey = raster.pixels if raster.channels == 1 else raster.pixels[..., 1]
    assert grey.shape == truth.shape and np.abs(grey * 255 - truth).max() < 4
    known = facts(data, "turned")
    assert (known.width, known.height) == truth.shape[::-1]


def test_other_kinds_of_picture() -> None:
    rng = np.random.default_rng(1)
    rgb = rng.integers(0, 256, (20, 30, 3), dtype=np.uint8)
    out = io.BytesIO()
    Image.fromarray(rgb).save(out, "BMP")
    assert np.array_equal(load(out.getvalue(), "a.bmp").pixels, (rgb / np.float32(255)).astype(np.float32))
    out = io.BytesIO()
    smooth = np.tile(np.linspace(40, 200, 64, dtype=np.uint8), (64, 1))
    ink = Image.merge("CMYK", [Image.fromarray(smooth)] * 3 + [Image.new("L", (64, 64))])
    ink.save(out, "JPEG", quality=98)
    cmyk = load(out.getvalue(), "ink.jpg")
    assert cmyk.channels == 3 and np.abs(cmyk.pixels[..., 0] - (1 - smooth / 255)).max() < 0.03
    alpha = np.dstack([rgb, np.full((20, 30), 128, np.uint8)])
    out = io.BytesIO()
    Image.fromarray(alpha).save(out, "WEBP", lossless=True)
    webp = load(out.getvalue(), "a.webp")
    assert webp.coverage is not None and np.allclose(webp.coverage, 128 / 255) and webp.lattice is None
    deep = rng.integers(0, 65536, (20, 30, 3), dtype=np.uint16)
    data = cv2.imencode(".png", deep[..., ::-1])[1].tobytes()
    assert np.array_equal(load(data, "deep.png").pixels, (deep / np.float32(65535)).astype(np.float32))
    bits = rng.random((20, 30)) > 0.5
    out = io.BytesIO()
    Image.fromarray(bits).save(out, "TIFF", compression="group4")
    assert np.array_equal(load(out.getvalue(), "fax.tif").pixels, bits.astype(np.float32))


@pytest.mark.parametrize("compression", [None, "zlib", "lzw", "packbits"])
@pytest.mark.parametrize("kind", ["uint8", "uint16", "uint32", "float32", "float64"])
def test_tiffs_of_every_depth(kind: str, compression: str | None) -> None:
    rng = np.random.default_rng(2)
    dtype = np.dtype(kind)
    values = (
        rng.random((17, 23)).astype(dtype)
        if dtype.kind == "f"
        else rng.integers(0, np.iinfo(dtype).max, (17, 23), dtype)
    )
    out = io.BytesIO()
    tifffile.imwrite(out, values, compression=compression, photometric="minisblack")
    expected = values if dtype.kind == "f" else values / float(np.iinfo(dtype).max)
    raster = load(out.getvalue(), "x.tif", first_reading(out.getvalue(), "x.tif"))
    assert np.allclose(raster.pixels, expected, atol=1e-7)


def test_elevation_with_holes_has_a_stated_range_and_coverage() -> None:
    metres = np.linspace(-20, 1480, 400).reshape(20, 20).astype(np.float32)
    metres[3:5, 4:9] = np.nan
    metres[10, 10] = -9999
    out = io.BytesIO()
    tifffile.imwrite(out, metres, extratags=[(42113, 2, 0, "-9999", True)], photometric="minisblack")
    data = out.getvalue()
    reading = first_reading(data, "quay.tif")
    assert reading.lo == pytest.approx(-20) and reading.hi == pytest.approx(1480)
    raster = load(data, "quay.tif", reading)
    assert raster.units == pytest.approx(1500) and raster.coverage is not None
    assert raster.coverage.min() == 0 and (raster.coverage == 0).sum() == 11
    assert raster.flat().max() == 1 and raster.flat()[10, 10] == 0
    wide = load(data, "quay.tif", Reading(lo=0, hi=1000, reversed=True))
    assert wide.pixels[19, 19] == pytest.approx(-0.48)
    short = np.full((6, 6), -32768, np.int16)
    short[2:4, 2:4] = [[5, 6], [7, 8]]
    out = io.BytesIO()
    tifffile.imwrite(out, short)
    raster = load(out.getvalue(), "s.tif", first_reading(out.getvalue(), "s.tif"))
    assert raster.coverage is not None and raster.coverage.sum() == 4 and raster.pixels[3, 3] == 1


def _giant_png() -> bytes:
    head = struct.pack(">IIBBBBB", 60000, 60000, 8, 2, 0, 0, 0)
    chunk = b"IHDR" + head
    return b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + chunk + struct.pack(">I", zlib.crc32(chunk))


def _giant_tiff() -> bytes:
    """A header that claims 60,000 squared; entries are (tag, LONG, 1, value), TIFF 6.0 section 2."""
    tags = {256: 60000, 257: 60000, 258: 8, 259: 1, 262: 1, 273: 200, 277: 1, 278: 60000, 279: 100}
    entries = b"".join(struct.pack("<HHII", tag, 4, 1, value) for tag, value in tags.items())
    return b"II*\0" + struct.pack("<IH", 8, len(tags)) + entries + bytes(300)


def _bad_files() -> dict[str, bytes]:
    good = png_bytes(np.random.default_rng(3).integers(0, 256, (64, 64), dtype=np.uint8))
    jpeg, tiff, nan = io.BytesIO(), io.BytesIO(), io.BytesIO()
    Image.fromarray(np.random.default_rng(4).integers(0, 256, (64, 64, 3), dtype=np.uint8)).save(jpeg, "JPEG")
    tifffile.imwrite(tiff, np.zeros((64, 64), np.uint16), compression="zlib")
    tifffile.imwrite(nan, np.full((4, 4), np.nan, np.float32))
    bmp = io.BytesIO()
    Image.new("RGB", (9, 9)).save(bmp, "BMP")
    return {
        "words.txt": b"barnacles", "empty.png": b"", "cut.png": good[: len(good) // 2], "head.png": good[:20],
        "cut.jpg": jpeg.getvalue()[:900], "cut.tif": tiff.getvalue()[:60], "nan.tif": nan.getvalue(),
        "giant.png": _giant_png(), "cut.bmp": bmp.getvalue()[:80], "flip.png": good[:60] + b"\0\0\0\0" + good[64:],
        "giant.tif": _giant_tiff(),
    }  # fmt: skip


@pytest.mark.parametrize("name", list(_bad_files()))
def test_a_bad_file_gets_one_clear_sentence(name: str) -> None:
    with pytest.raises(BadPicture) as caught:
        load(_bad_files()[name], name)
    sentence = caught.value.sentence()
    assert name in sentence and sentence.endswith(".") and "Error" not in sentence and "Traceback" not in sentence


def test_a_missing_file_and_a_folder_are_told(tmp_path: Path) -> None:
    for path in (tmp_path / "gone.png", tmp_path):
        with pytest.raises(FileTrouble, match="cannot be opened"):
            read_bytes(path)


@pytest.mark.parametrize(("kind", "depth"), [("png", "8"), ("png", "16"), ("tiff", "16"), ("tiff", "float")])
def test_written_files_are_read_back_by_two_independent_readers(kind: Any, depth: Any, tmp_path: Path) -> None:
    """Readers: pypng and Pillow for PNG; OpenCV (libtiff) and Pillow for TIFF."""
    values = np.random.default_rng(5).random((33, 47), dtype=np.float32)
    data = encode(values, kind, depth, dpi=300)
    stored = quantise(values, depth)
    pillow = Image.open(io.BytesIO(data))
    assert np.array_equal(np.asarray(pillow), stored)
    assert pillow.info["dpi"][0] == pytest.approx(300, abs=0.02)
    if kind == "png":
        width, height, rows, info = pypng.Reader(bytes=data).read()
        other = np.vstack([np.array(row) for row in rows])
        assert (width, height, info["bitdepth"], info["greyscale"], info["planes"]) == (47, 33, int(depth), True, 1)
        assert not {b"gAMA", b"sRGB", b"iCCP", b"cHRM"} & {c for c, _ in pypng.Reader(bytes=data).chunks()}
    else:
        other = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    assert np.array_equal(other, stored)
    assert np.array_equal(
        load(data, "x", Reading(lo=0, hi=1)).pixels, stored / np.float32({"8": 255, "16": 65535}.get(depth, 1))
    )


def test_rounding_is_to_the_nearest_level_and_mid_grey_is_exact() -> None:
    values = np.array([[0, 0.5, 1, -3, 7, 0.5 / 255, 1.49 / 255]], np.float32)
    assert quantise(values, "8").tolist() == [[0, 128, 255, 0, 255, 1, 1]]
    assert quantise(values, "16")[0, :3].tolist() == [0, 32768, 65535]
    with pytest.raises(BadValue):
        encode(values, "png", "float")


def test_a_full_disk_or_a_refusing_folder_leaves_the_old_file(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "stamp.png"
    path.write_bytes(b"old")
    with path.open("rb") as reader:  # whoever reads the old file goes on reading all of it
        atomic.write_bytes(path, b"fresh")
        assert reader.read() == b"old" and path.read_bytes() == b"fresh"
    path.write_bytes(b"old")
    for where in ("fsync", "replace"):
        with monkeypatch.context() as patch:

            def refuse(*_: object) -> None:
                raise OSError(28, "No space left on device")

            patch.setattr(f"engraver.core.files.atomic.os.{where}", refuse)
            with pytest.raises(FileTrouble, match="the disk is full"):
                atomic.write_bytes(path, b"new")
        assert path.read_bytes() == b"old" and list(tmp_path.iterdir()) == [path]
    with pytest.raises(FileTrouble, match="that name is there"):
        atomic.write_bytes(path, b"new", overwrite=False)
    with pytest.raises(FileTrouble):
        atomic.write_bytes(tmp_path / "none" / "x.png", b"new")


def exr_rows(data: bytes) -> np.ndarray:
    """A one-channel 32-bit file decoded after "OpenEXR File Layout" alone (ASWF): zip, predictor, halves."""
    assert data[:4] == b"v/1\x01" and struct.unpack("<I", data[4:8])[0] & 0x1A00 == 0
    at, header = 8, {}
    while data[at]:
        name, kind, rest = data[at:].split(b"\0", 2)
        size = struct.unpack("<I", rest[:4])[0]
        at += len(name) + len(kind) + 6
        header[name] = data[at : at + size]
        at += size
    channels = header[b"channels"]
    assert channels[:2] == b"Y\0" and struct.unpack("<I", channels[2:6])[0] == 2 and header[b"compression"] == b"\x03"
    left, top, right, bottom = struct.unpack("<4i", header[b"dataWindow"])
    width, height = right - left + 1, bottom - top + 1
    blocks = -(-height // 16)
    rows = np.empty((height, width), np.float32)
    for place in struct.unpack(f"<{blocks}Q", data[at + 1 : at + 1 + 8 * blocks]):
        y, size = struct.unpack("<iI", data[place : place + 8])
        count = min(16, height - y + top)
        packed = data[place + 8 : place + 8 + size]
        if size < count * width * 4:
            steps = np.frombuffer(zlib.decompress(packed), np.uint8).astype(np.int64)
            steps[1:] -= 128
            plain = (np.cumsum(steps) % 256).astype(np.uint8)
            half = (len(plain) + 1) // 2
            woven = np.empty_like(plain)
            woven[0::2], woven[1::2] = plain[:half], plain[half:]
            packed = woven.tobytes()
        rows[y - top : y - top + count] = np.frombuffer(packed, "<f4").reshape(count, width)
    return rows


def test_exr_is_written_as_its_layout_says_and_read_back() -> None:
    """By a second reader written from the published layout, to the last bit; and by our own, size and all."""
    values = band_limited(75, 41, 0.2, 6) * 3 - 1
    data = encode(values, "exr", "float", 300)
    assert np.array_equal(exr_rows(data), values)
    known = facts(data, "height.exr")
    assert (known.width, known.height, known.channels, known.samples) == (41, 75, 1, "float")
    assert first_reading(data, "height.exr") == Reading(lo=0.0, hi=1.0)
    assert np.array_equal(load(data, "height.exr").pixels, values)
    for part in range(1, 20):
        with pytest.raises(BadPicture, match=r"cut\.exr"):
            load(data[: len(data) * part // 20], "cut.exr", Reading())


def test_exr_of_colour_and_alpha_halves() -> None:
    """Half floats, colour multiplied by alpha as the format keeps it (OpenEXR, "Technical Introduction")."""
    import OpenEXR

    rng = np.random.default_rng(3)
    colour, alpha = rng.random((20, 30, 3)).astype(np.float32), np.full((20, 30), 0.5, np.float16)
    alpha[:, :10] = 0
    planes = {c: (colour[..., i] * alpha).astype(np.float16) for i, c in enumerate("RGB")}
    out = io.BytesIO()
    with OpenEXR.File({"compression": OpenEXR.PIZ_COMPRESSION}, {**planes, "A": alpha}) as file:
        file.write(out)
    raster = load(out.getvalue(), "painted.exr", Reading(lo=0.0, hi=1.0))
    assert raster.channels == 3 and raster.coverage is not None
    assert np.allclose(raster.coverage, alpha)
    assert np.abs(raster.pixels - colour)[:, 10:].max() < 2e-3


@pytest.mark.parametrize(("shape", "kind"), [
    ((1, 1), "u2"), ((7, 1), "u1"), ((1, 9), "u2"), ((33, 47), "u2"), ((64, 40), "u1"), ((40, 33, 2), "u1"),
])  # fmt: skip
@pytest.mark.parametrize("picture", ["noise", "ramp", "steps", "turned"])
def test_png_rows_are_filtered_so_that_other_libraries_read_them(
    shape: tuple[int, ...], kind: str, picture: str
) -> None:
    """Against Pillow (LibPNG's rules of its own) and OpenCV: every pixel, the resolution and the words."""
    top = np.iinfo(kind).max
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]]
    values = {
        "noise": np.random.default_rng(4).integers(0, top + 1, shape[:2]), "ramp": (x * 40 + y) % (top + 1),
        "steps": (x // 3 + 5 * (y // 4)) * 17 % (top + 1), "turned": (3 * y * y + x * y) % (top + 1),
    }[picture]  # fmt: skip
    stored = np.broadcast_to(values.reshape(*shape[:2], *[1] * (len(shape) - 2)), shape).astype(kind)
    data = png(stored, 300.0, [("Author", "Ægir"), ("Title", "縄")])
    seen = Image.open(io.BytesIO(data))
    assert (np.asarray(seen) == stored).all()
    assert seen.info["dpi"] == pytest.approx((300, 300), abs=0.02)
    assert (seen.text["Author"], seen.text["Title"]) == ("Ægir", "縄")  # type: ignore[attr-defined]
    if stored.ndim == 2:
        assert (cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED) == stored).all()
