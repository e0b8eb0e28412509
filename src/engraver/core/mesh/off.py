"""OFF: counts, points, polygons; colours and normals on the lines are passed over."""

from __future__ import annotations

import re

import numpy as np

from ..errors import Watch
from .model import Mesh, broken, mesh_of

_HEAD = re.compile(rb"\s*(?:#[^\n]*\n\s*)*(ST)?(C)?(N)?(4)?(n)?OFF\b[ \t]*(BINARY)?")
_COUNTS = re.compile(rb"(?:\s|#[^\n]*\n)*(\d+)\s+(\d+)(?:[ \t]+\d+)?")


def sniff(data: bytes, ending: str) -> bool:
    return _HEAD.match(data[:2048]) is not None


def load(data: bytes, name: str, check: Watch) -> Mesh:
    """Read an OFF (Geomview's object file format, "OFF Files" of its manual)."""
    from . import file_kernels as kernels

    head = _HEAD.match(data[:2048])
    if head is None or head.group(6) or head.group(4) or head.group(5):
        raise broken(name, "it is a kind of OFF that Engraver does not read")
    counts = _COUNTS.match(data, head.end())
    if counts is None:
        raise broken(name)
    points, polygons = int(counts.group(1)), int(counts.group(2))
    # A point takes six letters at least, a triangle eight: more cannot be in the file.
    if points * 6 + polygons * 4 > len(data) + 16:
        raise broken(name)
    text = np.frombuffer(data, np.uint8)
    found = np.empty((points, 3))
    check()
    read, at = kernels.table(text, counts.end(), text.size, found)
    lengths, corners = np.zeros(polygons, np.int64), np.empty(len(data) // 2 + 1, np.int64)
    check()
    rows, used = kernels.polygons(text, at, text.size, 0, lengths, corners)
    if read < points or rows < polygons:
        raise broken(name)
    faces = np.empty((max(0, int(np.maximum(lengths - 2, 0).sum())), 3), np.int64)
    kernels.fans(lengths, corners[:used], faces)
    return mesh_of(found, faces, name, check=check)
