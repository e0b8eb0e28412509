"""A mesh: a sculpt or a scan, captured as heights."""

from __future__ import annotations

from typing import cast

from .. import mesh
from ..errors import Watch, unwatched
from ..params import StepZero, specs
from ..raster import Facts, Raster
from ..recipe.first_mesh import MADE_FOR, MESH_AS, first_capture, first_mesh_steps, guess
from ..recipe.models import MeshAs, Source, SourceFile
from ..solids.build import mesh_from
from ..solids.model import is_solids, solids_of
from .holding import Holding, digest
from .kind import First, Size, SourceKind

# The name of the capture view, where meshes are turned and framed by hand: what it alone sets has no row.
_EDITOR = "capture"


def _shape(data: bytes, name: str, check: Watch) -> mesh.Shape:
    """A body from its file: a list of solids is made, everything else is read."""
    if is_solids(data):
        return mesh.Shape(mesh_from(solids_of(data, name), name, check), "from solids", exact=True)
    known = mesh.format_of(data, name)
    return mesh.Shape(mesh.load(data, name, check), known.name if known else "")


def keep_shape(holding: Holding, sha256: str, shape: mesh.Shape) -> None:
    """Hold a mesh as the one in use."""
    holding.cache.put(f"mesh {sha256}", shape)
    holding.in_use = sha256, shape


def shape_at_hand(source: Source, holding: Holding) -> mesh.Shape | None:
    """The mesh, when it is at hand without reading."""
    used = holding.in_use
    if used is not None and used[0] == source.file.sha256:
        return cast(mesh.Shape, used[1])
    return cast("mesh.Shape | None", holding.cache.get(f"mesh {source.file.sha256}"))


def shape_of(source: Source, holding: Holding, check: Watch = unwatched) -> mesh.Shape:
    """The mesh of a source, read when it is not at hand. Raises BadMesh or FileTrouble."""
    with holding.making:
        found = shape_at_hand(source, holding)
        if found is None:
            found = _shape(holding.bytes_of(source), source.name, check)
        keep_shape(holding, source.file.sha256, found)
    return found


def facts_at_hand(source: Source, holding: Holding) -> mesh.MeshFacts | None:
    """What is told of a mesh, when it has been worked out."""
    return cast("mesh.MeshFacts | None", holding.cache.noted(f"mesh {source.file.sha256}"))


def facts_of(source: Source, holding: Holding, check: Watch = unwatched) -> mesh.MeshFacts:
    """What is told of a mesh. Raises BadMesh or FileTrouble."""
    known = facts_at_hand(source, holding)
    if known is None:
        known = shape_of(source, holding, check).facts
        holding.cache.note(f"mesh {source.file.sha256}", known)
    return known


def _frame_key(source: Source, reading: StepZero, coarse: bool) -> str:
    return f"frame {'coarse ' if coarse else ''}{MESH.key(source, reading)}"


def known_frame(
    source: Source, reading: mesh.Capture, holding: Holding, *, coarse: bool = False
) -> mesh.AutoFrame | None:
    """Frame, range and zero of a capture, when they have been found."""
    return cast("mesh.AutoFrame | None", holding.cache.noted(_frame_key(source, reading, coarse)))


def auto_frame(
    source: Source, reading: mesh.Capture, holding: Holding, check: Watch = unwatched, *, coarse: bool = False
) -> mesh.AutoFrame:
    """Frame, range and zero of a capture. Raises BadMesh when nothing lies in the frame."""
    known = known_frame(source, reading, holding, coarse=coarse)
    if known is None:
        known = mesh.measured(shape_of(source, holding, check), reading, check, coarse=coarse)
        holding.cache.note(_frame_key(source, reading, coarse), known)
    return known


def _facts(source: Source, reading: mesh.Capture, holding: Holding) -> Facts:
    """The units, and how fine the mesh is, are known once the capture has been measured."""
    known = known_frame(source, reading, holding)
    found = reading.facts()
    if known is None:
        return found
    edges = known.frame.width / known.edge / reading.side if known.edge > 0 else 1.0
    return found.but(units=known.units, detail=min(1.0, edges))


def _raster(
    source: Source, reading: mesh.Capture, size: Size, holding: Holding, check: Watch, coarse: bool
) -> Raster:
    """The mesh is captured anew at that size."""
    found = auto_frame(source, reading, holding, check, coarse=coarse)
    return mesh.capture_heights(shape_of(source, holding, check), reading, found, size, check, coarse=coarse)


def _take_in(data: bytes, name: str, holding: Holding, check: Watch) -> SourceFile:
    sha256 = digest(data)
    keep_shape(holding, sha256, _shape(data, name, check))
    return SourceFile(sha256=sha256)


def _start(source: Source, holding: Holding, check: Watch) -> mesh.Capture:
    return first_capture(shape_of(source, holding, check))


def _first(source: Source, holding: Holding, what: str | None, before: StepZero | None, check: Watch) -> First:
    shape = shape_of(source, holding, check)
    read_as = cast(MeshAs, what) if what is not None else guess(shape)
    check()
    reading = first_capture(shape, read_as, cast("mesh.Capture | None", before))
    return First(reading, read_as, first_mesh_steps(read_as), ready_for=MADE_FOR[read_as])


def _words(source: Source, reading: mesh.Capture, holding: Holding) -> str:
    known = facts_at_hand(source, holding)
    return source.name if known is None else f"{source.name} · {known.words(reading.unit)}"


def _rows(source: Source) -> tuple[str, ...]:
    return tuple(name for name, spec in specs(mesh.Capture).items() if spec.editor != _EDITOR)


MESH = SourceKind(
    id="mesh", name="Mesh", help="A sculpt or a scanned body, captured as heights.", reading=mesh.Capture,
    files="one", facts=_facts, raster=_raster, start=_start, first=_first, extensions=mesh.EXTENSIONS,
    measure=auto_frame, knows=mesh.is_mesh, take_in=_take_in, read_as=cast(dict[str, str], MESH_AS), words=_words,
    chooses=frozenset(MADE_FOR.values()),
    rows=_rows, editor=_EDITOR,
    body=lambda source, holding, check: shape_of(source, holding, check).mesh,
)  # fmt: skip
