"""Solids: bodies from numbers, captured as heights like any mesh. Their file is the list itself."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, cast

from .. import mesh
from ..errors import Watch
from ..params import StepZero
from ..recipe.first_mesh import MADE_FOR
from ..recipe.models import Source, SourceFile
from ..solids.model import Solid, Solids, file_of, is_solids, solids_of
from . import mesh as bodies
from .holding import Holding, digest
from .kind import First, SourceKind

EXTENSION = ".solids"
# What a new plate of solids begins with.
BEGIN: Solids = (Solid(kind="box", size_x=2.0, size_y=2.0, size_z=0.5, edges="round", edge=0.2),)


class SolidsCapture(mesh.Capture):
    """Reading parameters of solids: straight from the top at first, exact from the lowest to the highest."""

    kind: ClassVar[str] = "solids"


def _start(source: Source, holding: Holding, check: Watch) -> SolidsCapture:
    return SolidsCapture(view="top", depth="exact", side=1024, unit="none")


def _first(source: Source, holding: Holding, what: str | None, before: StepZero | None, check: Watch) -> First:
    bodies.shape_of(source, holding, check)
    return First(before or _start(source, holding, check), "object", (), ready_for=MADE_FOR["object"])


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
    bodies.MESH, id="solids", name="Solids", help="Bodies from numbers, joined and cut, captured as heights.",
    reading=SolidsCapture, start=_start, first=_first, extensions=(EXTENSION,),
    knows=lambda data, name: name.endswith(EXTENSION) and is_solids(data), editor="solids",
    words=lambda source, reading, holding: bodies.MESH.words(source, reading, holding).replace(EXTENSION, "", 1),
    read_as=cast(dict[str, str], {"object": "Solids"}),
)  # fmt: skip
