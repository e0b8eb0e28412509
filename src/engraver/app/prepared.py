"""A picture or mesh taken in: read and recognised off the window's thread, before it becomes a plate."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from engraver.core.engine import SourceStore
from engraver.core.engine.sources import LINK_ABOVE
from engraver.core.errors import Watch, unwatched
from engraver.core.files.read import first_reading, load, read_bytes
from engraver.core.recipe import Step
from engraver.core.recipe.first import first_steps, guess
from engraver.core.recipe.first_mesh import first_capture, first_mesh_steps
from engraver.core.recipe.first_mesh import guess as guess_mesh
from engraver.core.recipe.models import AnyReading, ReadAs, Source


@dataclass(frozen=True, slots=True)
class Prepared:
    """A picture or mesh read and recognised, ready to become a plate."""

    source: Source
    reading: AnyReading
    read_as: ReadAs
    steps: tuple[Step, ...]
    name: str


def prepare(path: Path, sources: SourceStore, check: Watch = unwatched) -> Prepared:
    """Read a picture or mesh and find the line its kind starts with; safe off the window's thread.

    Raises
    ------
    EngraverError
        When it cannot be read.
    """
    data = read_bytes(path)
    return prepare_data(data, path.name, sources, path.resolve() if len(data) > LINK_ABOVE else None, check)


def prepare_data(
    data: bytes, file_name: str, sources: SourceStore, link: Path | None = None,
    check: Watch = unwatched,
) -> Prepared:  # fmt: skip
    """As :func:`prepare`, for a picture that is at hand already: from a device or the clipboard."""
    source = sources.add(data, file_name, link, check)
    name = Path(file_name).stem.replace("_", " ").replace("-", " ").strip().capitalize() or "Plate"
    if source.kind == "mesh":
        shape = sources.shape_of(source, check)
        mesh_as = guess_mesh(shape)
        check()
        return Prepared(source, first_capture(shape, mesh_as), mesh_as, first_mesh_steps(mesh_as), name)
    reading = first_reading(data, file_name)
    raster = load(data, file_name, reading)
    read_as = guess(raster, sources.picture_facts(source))
    return Prepared(source, reading, read_as, first_steps(read_as, raster.facts(), raster), name)
