"""Packs of anybody's: no name leads out of them, nothing is unpacked before its size is known, damage is told."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from engraver.core.errors import EngraverError, FileTrouble
from engraver.core.pack import open_pack
from engraver.core.pack import opened as opened_module
from engraver.core.pack.opened import BadPack, check_pack


def zipped(members: dict[str, bytes], change: Callable[[zipfile.ZipInfo], None] = lambda _: None) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, data in members.items():
            info = zipfile.ZipInfo(name)
            info.compress_type = zipfile.ZIP_DEFLATED
            change(info)
            bundle.writestr(info, data)
    return out.getvalue()


LISTED = json.dumps({"kind": "engraver pack", "version": 1, "name": "Theirs"}).encode()


@pytest.mark.parametrize(
    "name",
    [
        "../out.png",
        "/etc/x",
        "a/../../b",
        "a\\..\\b",
        "C:/x",
        ".hidden",
        "a//b",
        "a/./b",
        "con\x00x",
        "a/ b",
        "x" * 500,
    ],
)
def test_no_name_leads_out_of_a_pack(name: str, tmp_path: Path) -> None:
    path = tmp_path / "theirs.zip"
    data = zipped({"pack.json": LISTED, "placeholder": b"x"}).replace(b"placeholder", b"placeholder")
    with zipfile.ZipFile(io.BytesIO(data)) as bundle:
        assert bundle.namelist() == ["pack.json", "placeholder"]
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as bundle:
        bundle.writestr("pack.json", LISTED)
        info = zipfile.ZipInfo("x")
        info.filename = name
        bundle.writestr(info, b"bad")
    path.write_bytes(out.getvalue())
    try:
        with open_pack(path) as found:  # a name that the zip itself has cleaned is harmless
            assert all(not p.startswith(("/", ".")) and ".." not in p.split("/") for p in found.paths)
    except BadPack as error:
        assert "no name that a pack has" in error.sentence()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["theirs.zip"]


def test_bombs_links_and_lies_are_refused_before_anything_is_unpacked(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "theirs.zip"
    path.write_bytes(zipped({"pack.json": LISTED, "bomb.png": bytes(40_000_000)}))
    with pytest.raises(BadPack, match="larger than it can be"):
        open_pack(path)
    path.write_bytes(
        zipped(
            {"pack.json": LISTED, "link": b"/etc/passwd"},
            lambda i: setattr(i, "external_attr", (0o120777 if i.filename == "link" else 0o644) << 16),
        )
    )
    with pytest.raises(BadPack, match="is a link"):
        open_pack(path)
    monkeypatch.setattr(opened_module, "MOST_IN_ALL", 100)
    path.write_bytes(zipped({"pack.json": LISTED, "large.png": bytes(range(200))}))
    with pytest.raises(BadPack, match="more than Engraver takes in"):
        open_pack(path)
    monkeypatch.undo()
    lies = {
        b"no zip at all": "no pack", zipped({"a.png": b"x"}): "holds no pack.json",
        zipped({"pack.json": b"[]"}): "no pack", zipped({"pack.json": b"{"}): "damaged",
        zipped({"pack.json": b'{"kind": "engraver pack", "version": 9, "name": "x"}'}): "newer Engraver",
        zipped({"pack.json": b'{"kind": "engraver pack", "name": 3}'}): "damaged at name",
        zipped({"pack.json": b'{"kind": "engraver pack", "name": "x", "files": [{"path": "../x", "sha256": "'
                + b"0" * 64 + b'", "bytes": 1}]}'}): "damaged at files",
    }  # fmt: skip
    for data, words in lies.items():
        path.write_bytes(data)
        with pytest.raises(BadPack, match=words):
            open_pack(path)
    with pytest.raises(FileTrouble):
        open_pack(tmp_path / "nowhere.zip")


@given(st.integers(0, 10_000), st.integers(1, 255))
def test_a_damaged_pack_is_told_or_reads_as_it_is(at: int, by: int) -> None:
    data = bytearray(zipped({"pack.json": LISTED, "a/one.png": bytes(range(256)) * 4}))
    data[at % len(data)] ^= by
    path = Path("/tmp") / f"engraver-damaged-{hashlib.sha1(bytes(data)).hexdigest()[:12]}.zip"
    path.write_bytes(bytes(data))
    try:
        check_pack(path)
    except EngraverError as error:
        assert error.sentence()
    finally:
        path.unlink()
