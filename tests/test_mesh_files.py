"""Mesh files: written by another library or by hand after the formats' descriptions, whole and broken."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from engraver.core.errors import BadMesh, Cancelled
from engraver.core.mesh.model import Mesh
from engraver.core.mesh.read import format_of, is_mesh, load
from solids import open_data, open_mesh

SOLID = trimesh.util.concatenate([
    trimesh.creation.torus(5.0, 2.0, 24, 12), trimesh.creation.icosphere(2, 1.5).apply_translation((0, 0, 6)),
])  # fmt: skip


def written(kind: str) -> bytes:
    """The solid as trimesh writes it."""
    more = {"ply-text": {"encoding": "ascii"}, "ply": {"encoding": "binary"}}.get(kind, {})
    ending = {"stl-text": "stl_ascii", "ply-text": "ply"}.get(kind, kind)
    data = SOLID.export(file_type=ending, **more)
    return data.encode() if isinstance(data, str) else data


KINDS = {
    "stl": ".stl",
    "stl-text": ".stl",
    "obj": ".obj",
    "off": ".off",
    "ply": ".ply",
    "ply-text": ".ply",
    "glb": ".glb",
}


def volume(mesh: Mesh) -> float:
    a, b, c = (mesh.points[mesh.faces[:, k]].astype(np.float64) for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


@pytest.mark.parametrize("kind", KINDS)
def test_what_another_library_writes_is_read(kind: str) -> None:
    """Binary and text STL, OBJ, OFF, PLY, GLB by trimesh: the same triangles, joined to the same solid."""
    mesh = load(written(kind), f"solid{KINDS[kind]}")
    assert len(mesh.faces) == len(SOLID.faces) and len(mesh.points) == len(SOLID.vertices)
    assert volume(mesh) == pytest.approx(SOLID.volume, rel=1e-4)
    if kind == "glb":  # the standard has y up and metres (Khronos, glTF 2.0, 3.4)
        assert mesh.unit == "m" and np.allclose(mesh.extent, SOLID.extents[[0, 2, 1]], atol=1e-3)
    else:
        assert np.allclose(mesh.extent, SOLID.extents, atol=1e-3)


@pytest.mark.parametrize("name", ["airplane.ply", "ant.ply", "nut.ply", "sphere.ply"])
def test_open_meshes_are_read_as_by_trimesh(name: str) -> None:
    """Meshes that ship with pyvista, some with colours and normals: extent and area are trimesh's."""
    other = open_mesh(name)
    mesh = load(open_data("pyvista", "examples", name).read_bytes(), name)
    assert len(mesh.faces) <= len(other.faces)  # triangles without area are left out
    real = other.faces[trimesh.triangles.area(other.triangles) > 0]
    assert len(mesh.faces) >= len(real) * 0.999
    assert np.allclose(np.sort(mesh.extent), np.sort(other.extents), rtol=1e-5)
    a, b, c = (mesh.points[mesh.faces[:, k]].astype(np.float64) for k in range(3))
    area = float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)
    assert area == pytest.approx(float(trimesh.triangles.area(other.triangles).sum()), rel=1e-5)


CUBE = np.array([(x, y, z) for x in (0, 1) for y in (0, 1) for z in (0, 1)], float)
QUADS = ((0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3))


def ply(order: str, *, extra: bool) -> bytes:
    """A cube of quads after G. Turk's description of PLY, with properties nobody asked for."""
    tail = "property short flags\n" if extra else ""
    more = "property uchar red\nproperty double quality\n" if extra else ""
    names = {"<": "binary_little_endian", ">": "binary_big_endian", "a": "ascii"}
    head = (
        f"ply\nformat {names[order]} 1.0\ncomment made by hand\nobj_info none\nelement vertex 8\n"
        f"property float x\nproperty float y\nproperty double z\n{more}"
        f"element face 6\nproperty list uchar uint vertex_indices\n{tail}end_header\n"
    ).encode()
    if order == "a":
        rows = [f"{x} {y} {z}{' 7 0.5' if extra else ''}" for x, y, z in CUBE]
        rows += [f"4 {' '.join(map(str, q))}{' 3' if extra else ''}" for q in QUADS]
        return head + ("\r\n" if extra else "\n").join(rows).encode() + b"\n"
    body = b"".join(
        struct.pack(order + "ffd" + ("Bd" if extra else ""), *p, *((7, 0.5) if extra else ())) for p in CUBE
    )
    body += b"".join(
        struct.pack(order + "B4I" + ("h" if extra else ""), 4, *q, *((3,) if extra else ())) for q in QUADS
    )
    return head + body


@pytest.mark.parametrize("order", ["<", ">", "a"])
@pytest.mark.parametrize("extra", [False, True])
def test_ply_of_either_order_with_quads(order: str, extra: bool) -> None:
    mesh = load(ply(order, extra=extra), "cube.ply")
    assert len(mesh.faces) == 12 and abs(volume(mesh)) == pytest.approx(1.0)


def test_obj_with_all_that_occurs() -> None:
    """Negative numbers, textures, polygons, groups, continued numbers, foreign letters (Wavefront, Appendix B1)."""
    lines = ["# caf\xe9", "mtllib none.mtl", "o Front piece", *(f"v {x} {y} {z} 0.5 0.5 0.5" for x, y, z in CUBE)]
    lines += [
        "vt 0 0",
        "vn 0 0 1",
        "s off",
        "usemtl a",
        *(f"f {' '.join(f'{i + 1}/1/1' for i in q)}" for q in QUADS[:3]),
    ]
    lines += ["g back", *(f"f {' '.join(f'{i - 8}//1' for i in q)}" for q in QUADS[3:])]
    lines += ["v 2e0 -.5 +1.25E-1", "f 1 2 9 4 3", "l 1 2", ""]
    mesh = load("\r\n".join(lines).encode("latin-1"), "cube.obj")
    assert len(mesh.faces) == 12 + 3 and mesh.names == ("Front piece", "back")
    assert mesh.part is not None and int((mesh.part == 0).sum()) == 6
    assert np.allclose(mesh.extent, (2, 1.5, 1))


def test_off_with_colours_polygons_and_comments() -> None:
    rows = ["OFF # a cube", "# more", "8 6 0", *("{} {} {}".format(*p) for p in CUBE)]
    rows += [f"4 {' '.join(map(str, q))} 0.5 0.25 0.1" for q in QUADS]
    assert abs(volume(load("\n".join(rows).encode(), "cube.off"))) == pytest.approx(1.0)


@pytest.mark.parametrize("kind", KINDS)
def test_files_cut_short_say_so_in_one_sentence(kind: str) -> None:
    """At every thirtieth of the file: either a clear refusal or, in text, what was there."""
    data, name = written(kind), f"cut{KINDS[kind]}"
    refused = 0
    for part in range(1, 30):
        try:
            mesh = load(data[: len(data) * part // 30], name)
            assert len(mesh.faces) <= len(SOLID.faces)
        except BadMesh as error:
            assert error.sentence().count("\n") == 0 and name in error.sentence()
            refused += 1
    assert refused == 29 or kind in ("obj", "stl-text")
    assert refused > 0


@given(
    harm=st.lists(
        st.tuples(st.sampled_from([300, 900, 10**6]), st.integers(0, 10**6), st.integers(0, 255)), max_size=6
    ),
    cut=st.none() | st.integers(0, 10**6),
    kind=st.sampled_from(sorted(KINDS)),
)
@settings(max_examples=250)
def test_damage_never_does_worse_than_a_refusal(harm: list[tuple[int, int, int]], cut: int | None, kind: str) -> None:
    """The loops that read are compiled and check no index: what they are given must not lead out of their arrays."""
    data = bytearray(written(kind))
    for top, place, value in harm:
        data[place % min(len(data), top)] = value
    try:
        mesh = load(bytes(data if cut is None else data[: cut % len(data)]), f"harm{KINDS[kind]}")
        assert np.isfinite(mesh.points).all() and mesh.faces.max() < len(mesh.points)
    except BadMesh:
        pass


CROWDED = {
    "points of three letters": (b"v \n" * 50_000, "crowd.obj"),
    "a control letter for a corner": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 \x0b3\n" + b"#" * 4000, "crowd.obj"),
    "corners without blanks": (b"OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n99999 " + b"1a " * 40_000, "crowd.off"),
    "a control letter in a polygon": (b"OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n99999 0 \x1f1 2\n", "crowd.off"),
    "words without numbers": (b"solid x\n" + b"vertex-1-1-1" * 30_000 + b"\nendsolid x", "crowd.stl"),
}


@pytest.mark.parametrize("what", list(CROWDED))
def test_more_in_a_line_than_there_should_be_leads_nowhere_else(what: str) -> None:
    data, name = CROWDED[what]
    try:
        mesh = load(data, name)
        assert mesh.faces.max() < len(mesh.points)
    except BadMesh as error:
        assert name in error.sentence()


def off(points: str, faces: str, counts: str) -> bytes:
    return f"OFF\n{counts} 0\n{points}\n{faces}\n".encode()


@pytest.mark.parametrize(
    ("data", "name", "says"),
    [
        (b"", "none.stl", "0 bytes"),
        (b"hello there, this is a letter", "letter.stl", "cannot be read"),
        (b"solid nothing\nendsolid nothing\n", "empty.stl", "it is empty"),
        (off("0 0 0\n1 0 0\n0 1 0", "3 0 1 7", "3 1"), "far.off", "not in the file"),
        (off("0 0 0\nnan 0 0\n0 1 0", "3 0 1 2", "3 1"), "nan.off", "not numbers"),
        (off("0 0 0\ninf 0 0\n0 1 0", "3 0 1 2", "3 1"), "inf.off", "not numbers"),
        (off("0 0 0\n1 1 1\n2 2 2", "3 0 1 2", "3 1"), "line.off", "one line"),
        (off("1 1 1\n1 1 1\n1 1 1", "3 0 1 2", "3 1"), "dot.off", "one"),
        (off("0 0 0\n1e35 0 0\n0 1 0", "3 0 1 2", "3 1"), "huge.off", "too far apart"),
        (off("0 0 0", "3 0 1 2", "900000000 900000000"), "claims.off", "cut short"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "far.obj", "not in the file"),
        (ply("<", extra=False).replace(b"vertex 8", b"vertex 4000000000"), "big.ply", "cut short"),
        (b"\x00" * 80 + struct.pack("<I", 3_000_000_000), "claims.stl", "cut short"),
    ],
)  # fmt: skip
def test_bad_files_get_a_clear_word(data: bytes, name: str, says: str) -> None:
    with pytest.raises(BadMesh, match=says) as caught:
        load(data, name)
    assert "Error" not in caught.value.sentence() and caught.value.sentence().startswith(name)


def test_infinities_in_an_stl_are_refused() -> None:
    data = bytearray(written("stl"))
    data[84 + 12 : 84 + 16] = struct.pack("<f", float("inf"))
    with pytest.raises(BadMesh, match="not numbers"):
        load(bytes(data), "inf.stl")


def _with_head(data: bytes, change: Callable[[dict[str, Any]], object]) -> bytes:
    """A GLB with its JSON changed."""
    length = struct.unpack("<I", data[12:16])[0]
    tree = json.loads(data[20 : 20 + length])
    change(tree)
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    rest = data[20 + length :]
    return data[:8] + struct.pack("<II", 20 + len(text) + len(rest), len(text)) + data[16:20] + text + rest


def test_a_glb_packed_by_draco_is_unpacked() -> None:
    """As trimesh and Google's Draco pack it: every point within half a step of 14 bits."""
    packed = SOLID.scene().export(file_type="glb", extension_draco=True)
    assert len(packed) < len(written("glb")) / 2
    mesh, plain = load(packed, "packed.glb"), load(written("glb"), "plain.glb")
    assert len(mesh.faces) == len(plain.faces) and volume(mesh) == pytest.approx(SOLID.volume, rel=1e-3)
    step = float(SOLID.extents.max()) / 2**14
    corners = [np.sort((m.points + m.origin)[m.faces].mean(axis=1), axis=0) for m in (mesh, plain)]
    assert np.abs(corners[0] - corners[1]).max() < step


@pytest.mark.parametrize("seed", range(12))
def test_a_damaged_packed_glb_is_told_and_never_flattened(seed: int) -> None:
    packed = bytearray(SOLID.scene().export(file_type="glb", extension_draco=True))
    start = packed.index(b"DRACO")
    place = np.random.default_rng(seed).integers(start, start + 60, 4)
    packed[place[0]] ^= 0xFF
    packed[place[1]] ^= 0x55
    try:
        mesh = load(bytes(packed), "packed.glb")
    except BadMesh as error:
        assert error.sentence().startswith("packed.glb")
    else:
        assert np.isfinite(mesh.points).all() and mesh.extent.max() > 0


def test_a_glb_packed_otherwise_is_refused_not_flattened() -> None:
    packed = _with_head(written("glb"), lambda t: t.update(extensionsRequired=["EXT_meshopt_compression"]))
    with pytest.raises(BadMesh, match="compress"):
        load(packed, "packed.glb")
    huge = _with_head(written("glb"), lambda t: t["accessors"][0].update(count=2_000_000_000))
    with pytest.raises(BadMesh, match="more points"):
        load(huge, "huge.glb")


def test_reading_can_be_stopped_and_formats_are_told_by_content() -> None:
    told: list[float] = []

    def stop(share: float | None = None, /) -> None:
        told.append(share or 0.0)
        if share is not None and share > 0.7:
            raise Cancelled

    with pytest.raises(Cancelled):
        load(written("obj"), "solid.obj", stop)
    assert told == sorted(told) and len(told) >= 3
    known = format_of(written("ply"), "misnamed.stl")
    assert known is not None and known.name == "PLY"
    assert load(written("ply"), "misnamed.stl").faces.shape == SOLID.faces.shape
    assert is_mesh(b"", "gone.obj") and not is_mesh(b"\x89PNG\r\n\x1a\n" + b"\0" * 300, "picture.png")
