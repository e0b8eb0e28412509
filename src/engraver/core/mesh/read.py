"""From bytes to a mesh: the table of formats, told apart by what is in them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import PurePath

from ..errors import BadMesh, Watch, unwatched
from . import gltf, obj, off, ply, stl
from .model import Mesh, broken


@dataclass(frozen=True, slots=True)
class Format:
    """One mesh format: how to recognise and read it."""

    name: str
    extensions: tuple[str, ...]
    sniff: Callable[[bytes, str], bool]
    load: Callable[[bytes, str, Watch], Mesh]


FORMATS = (
    Format("glTF", (".glb", ".gltf"), gltf.sniff, gltf.load),
    Format("PLY", (".ply",), ply.sniff, ply.load),
    Format("OFF", (".off",), off.sniff, off.load),
    Format("STL", (".stl",), stl.sniff, stl.load),
    Format("OBJ", (".obj",), obj.sniff, obj.load),
)
EXTENSIONS = tuple(e for f in FORMATS for e in f.extensions)


def format_of(data: bytes, name: str) -> Format | None:
    """The mesh format of a file, or None when it is none that is known."""
    ending = PurePath(name).suffix.lower()
    return next((f for f in FORMATS if f.sniff(data, ending)), None) if data else None


def is_mesh(data: bytes, name: str) -> bool:
    """Whether a file is a mesh, or is named like one."""
    return PurePath(name).suffix.lower() in EXTENSIONS or format_of(data, name) is not None


def load(data: bytes, name: str, check: Watch = unwatched) -> Mesh:
    """Read a mesh.

    Parameters
    ----------
    data : bytes
        The whole file.
    name : str
        For messages, and for formats that have no sign of their own.
    check : callable
        Raises Cancelled when nobody waits any more.

    Raises
    ------
    BadMesh
        When it is no mesh, damaged, empty or without extent.
    """
    if not data:
        raise broken(name, "the file is empty (0 bytes)")
    known = format_of(data, name)
    if known is None:
        raise BadMesh(
            f"{name} cannot be read",
            "it is not a mesh of a kind Engraver knows",
            "It takes STL, OBJ, PLY, GLB and OFF",
        )
    try:
        return known.load(data, name, check)
    except MemoryError as error:
        raise BadMesh(
            f"{name} cannot be read", "there is not enough memory for it", "Reduce the mesh first"
        ) from error
