"""A plate as it is now, as a picture of its own that follows nothing any more."""

from __future__ import annotations

from ..errors import Watch, unwatched
from ..files.write import encode
from ..recipe import Project, Source, Step, edits
from ..sources import SourceStore
from .line import resolve
from .run import Engine, Request


def frozen(engine: Engine, project: Project, plate_id: str, check: Watch = unwatched) -> Source:
    """The finished plate at full size as a 16-bit picture, taken into the engine's sources.

    Raises StepFailed or FileTrouble where the plate cannot be computed.
    """
    store: SourceStore = engine.sources
    raster = engine.evaluate(resolve(project, plate_id, store), Request(exact=True), check).raster
    name = project.plate(plate_id).name
    return store.add(encode(raster.flat(), "png", "16"), f"{name}, as it was.png", check=check)


def with_frozen(project: Project, plate_id: str, source: Source, store: SourceStore) -> tuple[Project, str]:
    """The project with a plate of that picture, about the same zero as the plate it was taken of; and its id.

    Raises BadValue where the project is full.
    """
    mid = resolve(project, plate_id, store).facts[-1].zero == "mid"
    steps = (Step.make("zero", zero="mid", tones="keep"),) if mid else ()
    name = f"{project.plate(plate_id).name}, as it was"
    return edits.add_plate(project, source, name, steps, reading=store.start(source))
