"""Wavefront OBJ: points and polygons as text, in named objects."""

from __future__ import annotations

import re

import numpy as np

from ..errors import Watch
from .model import Mesh, broken, mesh_of

_CHUNK = 8_000_000
_POINT = re.compile(rb"^[ \t]*v[ \t]+[-+.\d]", re.MULTILINE)


def sniff(data: bytes, ending: str) -> bool:
    """Text with a line that starts with ``v``, or the ending."""
    head = data[:65536]
    return ending == ".obj" or (b"\0" not in head and _POINT.search(head) is not None)


def load(data: bytes, name: str, check: Watch) -> Mesh:
    """Read an OBJ; only ``v``, ``f``, ``o`` and ``g`` lines count (Wavefront, "Object Files", appendix B1)."""
    from . import file_kernels as kernels

    if b"\0" in data[:65536]:
        raise broken(name, "it is not a text of points and faces")
    if b"\\\n" in data or b"\\\r\n" in data:  # lines that go on in the next one
        data = data.replace(b"\\\r\n", b" ").replace(b"\\\n", b" ")
    text = np.frombuffer(data, np.uint8)
    points: list[np.ndarray[tuple[int, int], np.dtype[np.float64]]] = []
    faces: list[np.ndarray[tuple[int, int], np.dtype[np.int32]]] = []
    starts: list[tuple[int, str]] = []
    objects: list[tuple[int, str]] = []
    known = triangles = at = 0
    while at < text.size:
        check(0.7 * at / text.size)
        stop = data.find(b"\n", min(at + _CHUNK, text.size - 1)) + 1 or text.size
        length = stop - at
        # A point takes three letters at least, a corner two: no more can be in a piece.
        new_points, new_faces = np.empty((length // 3 + 2, 3)), np.empty((length // 2 + 2, 3), np.int32)
        marks = np.empty((256, 2), np.int64)
        n, m, k = kernels.wavefront(text, at, stop, known, new_points, new_faces, marks)
        points.append(new_points[:n].copy())
        faces.append(new_faces[:m].copy())
        for place, before in marks[:k]:
            line = data[int(place) : int(place) + 80].split(b"\n")[0].strip()
            start = triangles + int(before), line.decode("utf-8", "replace")
            starts.append(start)
            if data[int(place) - 2] == ord("o"):
                objects.append(start)
        known, triangles, at = known + n, triangles + m, stop
    if not points:
        raise broken(name, "it is empty")
    # Groups tell bodies apart only where objects do not.
    part, names = _parts(objects if len(objects) > 1 else starts, triangles)
    return mesh_of(np.concatenate(points), np.concatenate(faces), name, part=part, names=names, check=check)


def _parts(
    starts: list[tuple[int, str]], count: int
) -> tuple[np.ndarray[tuple[int], np.dtype[np.int16]] | None, tuple[str, ...]]:
    """Bodies by the triangle at which each begins; those without triangles are left out."""
    edges = [*(first for first, _ in starts), count]
    real = [(a, b, text) for (a, text), b in zip(starts, edges[1:], strict=True) if b > a]
    if len(real) < 2:
        return None, ()
    part = np.zeros(count, np.int16)
    for number, (a, b, _) in enumerate(real):
        part[a:b] = number
    return part, tuple(text or f"Body {number + 1}" for number, (_, _, text) in enumerate(real))
