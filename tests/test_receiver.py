"""The practice receiver: planted faults are named, sound files pass, and what cannot be read is told."""

from __future__ import annotations

import io
import json
import struct
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data
import tifffile
from click.testing import CliRunner
from PIL import Image
from scipy import ndimage

from engraver.cli.main import main
from engraver.core.errors import BadValue
from engraver.core.files import exr
from engraver.core.readiness import destinations
from engraver.standins.receiver import ball_picture, habit, habit_for, habit_from, habits, receive
from engraver.standins.receiver.reading import Unreadable, read

SIDE = 256
OPEN = ("coins", "moon", "brick", "grass", "gravel", "camera", "page")


def png(tones: np.ndarray, bits: int = 16) -> bytes:
    kind = np.uint16 if bits == 16 else np.uint8
    stored = np.round(np.clip(tones, 0, 1) * np.iinfo(kind).max).astype(kind)
    return cv2.imencode(".png", stored)[1].tobytes()


def plates() -> Iterator[tuple[str, np.ndarray]]:
    """Heights 0..1 that fade to nothing at the border: analytic ones, noise, and pictures that scikit-image ships."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[-1 : 1 : SIDE * 1j, -1 : 1 : SIDE * 1j]
    r, a = np.hypot(x, y), np.arctan2(y, x)
    soft = np.clip((1 - r) / 0.3, 0, 1)
    soft = soft * soft * (3 - 2 * soft)
    yield "cone", np.clip(0.7 - r, 0, 1)
    yield "dome", np.sqrt(np.clip(0.5 - r * r, 0, 1))
    yield "star", np.clip(0.6 - r * (1 + 0.3 * np.cos(6 * a)), 0, 1)
    yield "ring", np.exp(-(((r - 0.4) / 0.12) ** 2)) * (r < 0.95)
    yield "bell", np.exp(-((r / 0.25) ** 2))
    yield "box", np.clip((0.6 - np.maximum(abs(x), abs(y))) / 0.11, 0, 1)
    for scale in (4, 9, 16):
        made = ndimage.gaussian_filter(rng.normal(size=r.shape), scale)
        yield f"noise {scale}", np.clip(made / made.std() / 4 + 0.5, 0, 1) * soft
    for name in OPEN:
        array = cv2.resize(
            getattr(skimage.data, name)().astype(np.float32), (SIDE, SIDE), interpolation=cv2.INTER_AREA
        )
        made = ndimage.gaussian_filter((array - array.min()) / np.ptp(array), 0.8)
        # Turned four ways and averaged: open pictures with their weight in the middle, as a stamp has.
        yield name, sum(np.rot90(made, n) for n in range(4)) / 4 * soft


def cases() -> Iterator[tuple[str, str, str, np.ndarray]]:
    """Name, habit, and heights as they are meant: raised alone, and both raised and cut."""
    for n, (name, made) in enumerate(plates()):
        high = (made / made.max()).astype(np.float32)
        yield name, "stamps-16", "black", high
        way = np.where(ndimage.gaussian_filter(np.random.default_rng(n).normal(size=high.shape), 20) > 0, 1, -0.6)
        yield name, "mid-grey", "mid", ndimage.gaussian_filter(high * way, 1.5).astype(np.float32)


def tones(high: np.ndarray, zero: str) -> np.ndarray:
    return (high + 1) / 2 if zero == "mid" else high


def shifted(high: np.ndarray, by: tuple[int, int]) -> np.ndarray:
    return ndimage.shift(high, by, order=1)


def raised(high: np.ndarray, zero: str) -> np.ndarray:
    """On a ground that is not quite even, as a scan's."""
    return tones(high, zero) + (0.05 + 0.1 * np.linspace(0, 1, high.shape[1]))[None, :]


Plant = Callable[[np.ndarray, str], bytes]
PLANTED: dict[str, Plant] = {
    "upside-down": lambda high, zero: png(1 - tones(high, zero)),
    "wrong-zero": lambda high, zero: png(np.clip(high, 0, 1) if zero == "mid" else (high + 1) / 2),
    "bands": lambda high, zero: png(tones(high, zero), 8),
    "square-shows": lambda high, zero: png(raised(high, zero)),
    "stretched": lambda high, zero: png(cv2.resize(tones(high, zero), (SIDE, 3 * SIDE // 4))),
    "off-centre": lambda high, zero: png(tones(shifted(high, (20, 28)), zero)),
}


@pytest.mark.parametrize("fault", PLANTED)
def test_each_planted_fault_is_named_by_what_was_sent(fault: str) -> None:
    """32 plates and six faults: 192 cases, each by its own name."""
    missed = [
        (name, of) for name, of, zero, high in cases()
        if fault not in [f.id for f in receive(PLANTED[fault](high, zero), "a.png", habit(of), high).faults]
    ]  # fmt: skip
    assert not missed


def test_sound_files_pass_with_and_without_what_was_sent() -> None:
    """Also turned and reduced, and as TIFF and OpenEXR where the habit reads them."""
    for name, of, zero, high in cases():
        for turn, side in ((0, SIDE), (1, SIDE), (0, 192)):
            meant = np.rot90(high, turn)
            small = cv2.resize(tones(meant, zero), (side, side), interpolation=cv2.INTER_AREA)
            assert receive(png(small), "a.png", habit(of), meant).faults == (), (name, of)
        out = io.BytesIO()
        tifffile.imwrite(out, np.round(tones(high, zero) * 65535).astype(np.uint16))
        assert receive(out.getvalue(), "a.tif", habit(of), high).faults == (), (name, of)
    for name, of, zero, high in cases():
        if zero == "black":
            assert [f.id for f in receive(png(high), "a.png", habit(of)).faults] == [], name


@pytest.mark.parametrize("fault", PLANTED)
def test_a_file_alone_tells_what_it_can(fault: str) -> None:
    """Bands only where nothing hides the steps: on smooth forms."""
    smooth = ("cone", "dome", "ring", "bell", "noise 9", "noise 16")
    for name, of, zero, high in cases():
        if zero == "black" and (fault != "bands" or name in smooth):
            found = [f.id for f in receive(PLANTED[fault](high, zero), "a.png", habit(of)).faults]
            assert fault in found, name


def test_every_reader_finds_the_same_heights() -> None:
    high = next(h for n, h in plates() if n == "bell").astype(np.float32)
    stored = np.round(high * 65535).astype(np.uint16)
    tiff = io.BytesIO()
    tifffile.imwrite(tiff, stored)
    grey_alpha = np.dstack([stored, np.full_like(stored, 65535)])
    raw, of = stored.astype("<u2").tobytes(), habit("terrain-16")
    for data, name in (
        (png(high), "a.png"),
        (tiff.getvalue(), "a.tif"),
        (raw, "a.r16"),
        (_png_la(grey_alpha), "b.png"),
    ):
        assert np.array_equal(read(data, name, of).tones, (stored / 65535).astype(np.float32)), name
    floats = read(exr.encode(high * 2 - 0.5), "a.exr", habit("float-heights")).tones
    assert np.array_equal(floats, high * 2 - 0.5)  # nothing is cut off
    jpeg = io.BytesIO()
    Image.fromarray(np.round(high * 255).astype(np.uint8)).save(jpeg, "JPEG", quality=95)
    assert np.abs(read(jpeg.getvalue(), "a.jpg", habit("stamps-8")).tones - high).max() < 0.03
    eight = read(png(high), "a.png", habit("stamps-8")).tones
    assert len(np.unique(eight)) <= 256 and eight.max() == 1 and np.abs(eight - high).max() < 1 / 128


def _png_la(values: np.ndarray) -> bytes:
    """Grey with alpha in 16 bits, by hand (ISO/IEC 15948): colour type 4."""
    rows, columns, _ = values.shape
    lines = b"".join(b"\0" + line.astype(">u2").tobytes() for line in values)

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    head = struct.pack(">IIBBBBB", columns, rows, 16, 4, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(lines)) + chunk(b"IEND", b"")


def test_what_cannot_be_read_is_told_and_nothing_large_is_unpacked() -> None:
    sound = png(np.zeros((8, 8)))
    bomb = bytearray(sound)
    bomb[16:24] = struct.pack(">II", 200_000, 200_000)
    bomb[29:33] = struct.pack(">I", zlib.crc32(bytes(bomb[12:29])))
    cases = {
        b"": "no picture", b"hello": "no picture", sound[:40]: "damaged", bytes(bomb): "damaged",
        b"\xff\xd8\xff" + bytes(99): "and this is jpeg", b"\x76\x2f\x31\x01" + bytes(60): "and this is exr",
    }  # fmt: skip
    for data, words in cases.items():
        found = receive(data, "a.png", habit("stamps-16"))
        assert [f.id for f in found.faults] == ["unreadable"] and words in found.faults[0].says, words
    nan = exr.encode(np.full((8, 8), np.nan, np.float32))
    with pytest.raises(Unreadable, match="not numbers"):
        read(nan, "a.exr", habit("float-heights"))
    assert [f.id for f in receive(bytes(3 * 2), "a.raw", habit("terrain-16")).faults] == ["unreadable"]
    large = receive(png(np.zeros((1100, 40))), "a.png", habit("small-sides"))
    assert [f.id for f in large.faults] == ["too-large"] and "40 × 1100" in large.faults[0].says
    assert large.notes  # and it looks for new files only at its start


def test_tiles_are_judged_by_their_seams_and_a_falloff_fades_what_is_pressed() -> None:
    made = ndimage.gaussian_filter(np.random.default_rng(2).normal(size=(SIDE, SIDE)), 6, mode="wrap")
    tile = ((made - made.min()) / np.ptp(made)).astype(np.float32)
    of = habit("tiles-16")
    assert receive(png(tile), "a.png", of).faults == () and receive(png(tile), "a.png", of, tile).faults == ()
    cut = tile[: SIDE - 60, : SIDE - 60]
    assert [f.id for f in receive(png(cut), "a.png", of).faults] == ["square-shows"]
    bare, faded, plain = (
        ball_picture(tile * by, habit(of).model_copy(update={"strength": 0.1}), 128).astype(int)
        for by, of in ((0, "stamps-16"), (1, "own-falloff"), (1, "stamps-16"))
    )
    away = [np.abs(made - bare).max(axis=-1) > 8 for made in (faded, plain)]
    assert 0.4 * away[1].sum() < away[0].sum() < 0.9 * away[1].sum()


def test_habits_match_our_destinations_and_broken_ones_are_refused() -> None:
    assert len(habits()) == 10 and all(h.id == id for id, h in habits().items())
    for one in habits().values():
        assert set(one.destinations) <= set(destinations.shipped())
    assert habit_for("sculpt-stamp-mid").zero == "mid" and habit_for("of nobody").id == "stamps-16"
    with pytest.raises(BadValue, match="There are: stamps-16"):
        habit("nothing")
    for text in ("", "[]", "{}", '{"id": "a", "name": "A", "bits": 12}', '{"id": "a", "name": "A", "more": 1}'):
        with pytest.raises(BadValue, match="is no habit"):
            habit_from(text.encode(), "mine.json")
    mine = habit_from(b'{"id": "mine", "name": "Mine", "square": "pad"}', "mine.json")
    assert receive(png(np.zeros((40, 80))), "a.png", mine).faults == ()


def test_the_ball_shows_what_stands_up_and_what_is_cut() -> None:
    high = next(h for n, h in plates() if n == "dome").astype(np.float32)
    bare, up, down = (ball_picture(high * n, habit("terrain-16"), 128).astype(int) for n in (0, 1, -1))
    for made in (up, down):
        assert (np.abs(made - bare).max(axis=-1) > 12).mean() > 0.03
    lit = bare[..., 0] - up[..., 0]
    assert np.corrcoef(lit.ravel(), (bare[..., 0] - down[..., 0]).ravel())[0, 1] < 0  # lit from the other side


def test_in_the_terminal(tmp_path: Path) -> None:
    run = CliRunner().invoke
    high = next(h for n, h in plates() if n == "ring").astype(np.float32)
    high /= high.max()
    sound, turned, sent = tmp_path / "sound.png", tmp_path / "turned.png", tmp_path / "sent.exr"
    sound.write_bytes(png(high))
    turned.write_bytes(png(1 - high))
    sent.write_bytes(exr.encode(high))
    one = run(main, ["receive", str(sound), "--habit", "stamps-16", "--sent", str(sent), "--json"])
    assert one.exit_code == 0 and json.loads(one.output)[0]["faults"] == []
    both = run(main, ["receive", str(tmp_path), "--habit", "stamps-16", "--json"])
    found = {f["file"]: [x["id"] for x in f["faults"]] for f in json.loads(both.output)}
    assert both.exit_code == 3 and found["turned.png"] == ["upside-down"] and found["sound.png"] == []
    assert found["sent.exr"] == ["unreadable"]
    said = run(main, ["receive", str(turned), "--habit", "stamps-16", "-o", str(tmp_path / "ball.png")])
    assert said.exit_code == 3 and "upside down" in said.output
    with Image.open(tmp_path / "ball.png") as picture:
        assert picture.size == (512, 512)
    assert run(main, ["receive", str(sound), "--habit", "nobody"]).exit_code == 2
    assert run(main, ["receive", str(tmp_path), "--habit", "stamps-16", "-o", "x.png"]).exit_code == 2
    assert run(main, ["receive", str(tmp_path / "gone.png"), "--habit", "stamps-16"]).exit_code == 1
    listed = json.loads(run(main, ["habits", "--json"]).output)
    assert [h["id"] for h in listed] == list(habits()) and "mid-grey" in run(main, ["habits"]).output
    # What was meant may also come as tones whose mid-grey is zero.
    sent.write_bytes(exr.encode((high + 1) / 2))
    (tmp_path / "mid.png").write_bytes(png((high + 1) / 2))
    mid = run(main, ["receive", str(tmp_path / "mid.png"), "--habit", "mid-grey", "--sent", str(sent), "--json"])
    assert mid.exit_code == 0, mid.output
