"""PLY: ASCII and both binaries, triangles, quads and polygons mixed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import Watch
from .model import Mesh, broken, mesh_of

_TYPES = {
    "char": "i1", "uchar": "u1", "short": "i2", "ushort": "u2", "int": "i4", "uint": "u4", "float": "f4",
    "double": "f8", "int8": "i1", "uint8": "u1", "int16": "i2", "uint16": "u2", "int32": "i4", "uint32": "u4",
    "float32": "f4", "float64": "f8",
}  # fmt: skip
_INDICES = ("vertex_indices", "vertex_index")
_END = b"end_header"


@dataclass(frozen=True, slots=True)
class _Property:
    """``counted`` is the type of a list's count, "" for a scalar."""

    name: str
    kind: str
    counted: str = ""


@dataclass(frozen=True, slots=True)
class _Element:
    name: str
    count: int
    properties: tuple[_Property, ...]

    @property
    def plain(self) -> bool:
        return not any(p.counted for p in self.properties)

    def places(self, wanted: tuple[str, ...]) -> list[int]:
        return [i for i, p in enumerate(self.properties) if p.name in wanted]


def sniff(data: bytes, ending: str) -> bool:
    return data[:4] in (b"ply\n", b"ply\r")


def _head(data: bytes, name: str) -> tuple[str, list[_Element], int]:
    """The form, the elements and the place of the first value."""
    end = data.find(_END, 0, 100_000)
    if end < 0:
        raise broken(name)
    start = data.find(b"\n", end) + 1 or len(data)
    form, elements = "", list[_Element]()
    try:
        for line in data[:end].decode("latin-1").splitlines():
            words = line.split()
            if words[:1] == ["format"]:
                form = words[1]
            elif words[:1] == ["element"]:
                elements.append(_Element(words[1], int(words[2]), ()))
            elif words[:1] == ["property"]:
                last = elements[-1]
                if words[1] == "list":
                    new = _Property(words[4], _TYPES[words[3]], _TYPES[words[2]])
                else:
                    new = _Property(words[2], _TYPES[words[1]])
                elements[-1] = _Element(last.name, last.count, (*last.properties, new))
    except (IndexError, KeyError, ValueError) as error:
        raise broken(name, "its head cannot be understood") from error
    if form not in ("ascii", "binary_little_endian", "binary_big_endian"):
        raise broken(name, "its head does not say how it is stored")
    if any(e.count < 0 or e.count > len(data) for e in elements):
        raise broken(name)
    return form, elements, start


def load(data: bytes, name: str, check: Watch) -> Mesh:
    """Read a PLY (G. Turk, "The PLY Polygon File Format", 1994)."""
    form, elements, at = _head(data, name)
    points = faces = None
    for element in elements:
        check()
        found: NDArray[np.floating | np.integer] | None = None
        if form == "ascii":
            found, at = _text(element, data, at, name)
        else:
            found, at = _binary(element, data, at, ">" if form == "binary_big_endian" else "<", name)
        if element.name == "vertex":
            points = found
        elif element.name == "face":
            faces = found
        if points is not None and faces is not None:
            break
    if points is None:
        raise broken(name, "it has no points")
    if faces is None or len(faces) == 0:
        raise broken(name, "it holds points without triangles")
    return mesh_of(points, faces, name, check=check)  # type: ignore[arg-type]


def _axes(element: _Element, name: str) -> list[int]:
    places = [element.places((axis,)) for axis in "xyz"]
    if not element.plain or not all(places):
        raise broken(name, "its points have no x, y and z")
    return [p[0] for p in places]


def _list_place(element: _Element, name: str) -> int:
    places = element.places(_INDICES)
    if not places or not element.properties[places[0]].counted:
        raise broken(name, "its faces do not name their points")
    return places[0]


def _fans(counts: NDArray[np.int64], corners: NDArray[np.int64]) -> NDArray[np.int64]:
    from . import file_kernels as kernels

    faces = np.empty((int(np.maximum(counts - 2, 0).sum()), 3), np.int64)
    kernels.fans(counts, corners, faces)
    return faces


def _text(element: _Element, data: bytes, at: int, name: str) -> tuple[NDArray[np.floating | np.integer], int]:
    from . import file_kernels as kernels

    text = np.frombuffer(data, np.uint8)
    if element.name == "face":
        place = _list_place(element, name)
        if any(p.counted for p in element.properties[:place]):
            raise broken(name, "its faces carry lists that Engraver does not read")
        counts, corners = np.zeros(element.count, np.int64), np.empty(len(data) // 2 + 1, np.int64)
        rows, used = kernels.polygons(text, at, text.size, place, counts, corners)
        if rows < element.count:
            raise broken(name)
        return _fans(counts, corners[:used]), text.size
    axes = _axes(element, name) if element.name == "vertex" else [0, 0, 0]
    values = np.empty((element.count, max(axes) + 1))
    rows, at = kernels.table(text, at, text.size, values)
    if rows < element.count:
        raise broken(name)
    return values[:, axes], at


def _binary(
    element: _Element, data: bytes, at: int, order: str, name: str
) -> tuple[NDArray[np.floating | np.integer], int]:
    if element.name == "face" or not element.plain:
        return _binary_lists(element, data, at, order, name)
    record = np.dtype([(f"p{i}", order + p.kind) for i, p in enumerate(element.properties)])
    if at + record.itemsize * element.count > len(data):
        raise broken(name)
    rows = np.frombuffer(data, record, element.count, at)
    at += record.itemsize * element.count
    if element.name != "vertex":
        return np.empty((0, 3)), at
    axes = _axes(element, name)
    kind = np.float64 if any(element.properties[i].kind == "f8" for i in axes) else np.float32
    points = np.empty((element.count, 3), kind)
    for axis, place in enumerate(axes):
        points[:, axis] = rows[f"p{place}"]
    return points, at


def _binary_lists(
    element: _Element, data: bytes, at: int, order: str, name: str
) -> tuple[NDArray[np.floating | np.integer], int]:
    """Records with lists: as triangles in one step when all are alike, else walked one by one."""
    from . import file_kernels as kernels

    faces = element.name == "face"
    place = _list_place(element, name) if faces else 0
    names = [f"p{i}" for i in range(len(element.properties))]
    if faces and sum(bool(p.counted) for p in element.properties) == 1:
        fields: list[tuple[str, str] | tuple[str, str, int]] = []
        for label, p in zip(names, element.properties, strict=True):
            fields += (
                [("count", order + p.counted), ("list", order + p.kind, 3)]
                if p.counted
                else [(label, order + p.kind)]
            )
        record = np.dtype(fields)
        if at + record.itemsize * element.count <= len(data):
            rows = np.frombuffer(data, record, element.count, at)
            if bool((rows["count"] == 3).all()):
                return rows["list"].astype(np.int64), at + record.itemsize * element.count
    counted = np.array([int(p.counted[1]) if p.counted else 0 for p in element.properties], np.int64)
    item = np.array([int(p.kind[1]) for p in element.properties], np.int64)
    counts, starts = np.zeros(element.count, np.int64), np.zeros(element.count, np.int64)
    raw, big = np.frombuffer(data, np.uint8), order == ">"
    read, at = kernels.lists(raw, at, counted, item, place, big, counts, starts)
    if read < element.count:
        raise broken(name)
    if not faces:
        return np.empty((0, 3)), at
    corners = np.empty(int(counts.sum()), np.int64)
    kernels.gather(raw, starts, counts, int(item[place]), big, corners)
    return _fans(counts, corners), at
