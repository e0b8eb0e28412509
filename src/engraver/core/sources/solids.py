"""Solids: bodies from numbers, captured as heights like any mesh. Their file is the list itself."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, cast

from ..errors import Watch
from ..mesh import Capture
from ..mesh.shape import Shape
from ..params import StepZero
from ..recipe.models import Source, SourceFile
from ..solids.build import mesh_from
from ..solids.model import Solid, Solids, file_of, is_solids, solids_of
from .holding import Holding, digest
from .kind import First, SourceKind
from .mesh import MESH, keep_shape, made_by, shape_of

EXTENSION = ".solids"
# What a new plate of solids begins with.
BEGIN: Solids = (Solid(kind="box", size_x=2.0, size_y=2.0, size_z=0.5, edges="round", edge=0.2),)


class SolidsCapture(Capture):
    """Reading parameters of solids: straight from the top at first, exact from the lowest to the highest."""

    kind: ClassVar[str] = "solids"


def _made(data: bytes, name: str, check: Watch) -> Shape:
    return Shape(mesh_from(solids_of(data, name), name, check), "from solids", exact=True)


def _take_in(data: bytes, name: str, holding: Holding, check: Watch) -> SourceFile:
    sha256 = digest(data)
    keep_shape(holding, sha256, _made(data, name, check))
    return SourceFile(sha256=sha256)


def _start(source: Source, holding: Holding, check: Watch) -> SolidsCapture:
    return SolidsCapture(view="top", depth="exact", side=1024, unit="none")


def _first(source: Source, holding: Holding, what: str | None, before: StepZero | None, check: Watch) -> First:
    shape_of(source, holding, check)
    return First(before or _start(source, holding, check), "object", ())


def listed(source: Source, holding: Holding) -> Solids:
    """The solids of a source. Raises FileTrouble or BadMesh."""
    return solids_of(holding.bytes_of(source), source.name)


def with_solids(source: Source, solids: Solids, holding: Holding) -> Source:
    """A source with another list; its bytes are at hand from now on."""
    data = file_of(solids)
    file = SourceFile(sha256=digest(data))
    holding.offer(file.sha256, lambda: data)
    return source.model_copy(update={"files": (file,)})


SOLIDS: SourceKind = replace(
    MESH, id="solids", name="Solids", help="Bodies from numbers, joined and cut, captured as heights.",
    reading=SolidsCapture, start=_start, first=_first, extensions=(EXTENSION,),
    knows=lambda data, name: name.endswith(EXTENSION) and is_solids(data), take_in=_take_in, editor="solids",
    words=lambda source, reading, holding: MESH.words(source, reading, holding).replace(EXTENSION, "", 1),
    read_as=cast(dict[str, str], {"object": "Solids"}),
)  # fmt: skip
made_by(EXTENSION, _made)
