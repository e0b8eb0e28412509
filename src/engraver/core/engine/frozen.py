"""A plate as it is now, as a picture of its own that follows nothing any more."""

from __future__ import annotations

from ..errors import Watch, unwatched
from ..files.write import encode
from ..recipe import Project, Source, Step, edits
from ..recipe.references import repointed
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


def with_frozen(
    project: Project, plate_id: str, source: Source, store: SourceStore, zero: str
) -> tuple[Project, str]:
    """The project with a plate of that picture, which all follow that followed the plate; and its id.

    Parameters
    ----------
    zero : {"black", "mid"}
        The grey that leaves a surface untouched in it.
    """
    steps = (Step.make("zero", zero="mid", tones="keep"),) if zero == "mid" else ()
    name = f"{project.plate(plate_id).name}, as it was"
    project, new = edits.add_plate(project, source, name, steps, reading=store.start(source))
    return repointed(project, plate_id, new), new
