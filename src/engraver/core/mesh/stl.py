"""STL, binary and ASCII: a soup of triangles without shared points."""

from __future__ import annotations

import numpy as np

from ..errors import Watch
from .model import Mesh, broken, mesh_of

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
_HEAD = 84


def _declared(data: bytes) -> int:
    return int.from_bytes(data[80:84], "little") if len(data) >= _HEAD else -1


def _is_text(data: bytes) -> bool:
    head = data[:2048].lower()
    return head.lstrip().startswith(b"solid") and b"\0" not in head and (b"facet" in head or b"endsolid" in head)


def sniff(data: bytes, ending: str) -> bool:
    """Text that starts with ``solid``, a length that fits the count, or the ending."""
    return _is_text(data) or len(data) == _HEAD + 50 * _declared(data) or ending == ".stl"


def load(data: bytes, name: str, check: Watch) -> Mesh:
    """Read an STL (3D Systems, "StereoLithography Interface Specification", 1989)."""
    if _is_text(data):
        corners = _text_corners(data, name, check)
    else:
        count = _declared(data)
        if count < 0 or len(data) < _HEAD + 50 * count:
            raise broken(name)
        corners = np.frombuffer(data, _RECORD, count, _HEAD)["corners"].reshape(-1, 3)
    faces = np.arange(len(corners), dtype=np.int32).reshape(-1, 3)
    return mesh_of(corners, faces, name, check=check)


def _text_corners(data: bytes, name: str, check: Watch) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    from . import file_kernels as kernels

    if b"endsolid" not in data[-4096:].lower():
        raise broken(name)
    text = np.frombuffer(data, np.uint8)
    found = np.empty((len(data) // 10 + 1, 3))
    check()
    count = kernels.corners(text, 0, text.size, found)
    if count % 3:
        raise broken(name, "its last triangle is not whole")
    return found[:count]
