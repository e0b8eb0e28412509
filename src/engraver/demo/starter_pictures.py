"""Makes the small pictures of the starters, pressed in plaster, that ship with the program: ``./dev docs``."""

from __future__ import annotations

import sys
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import unwatched
from engraver.core.pressing.tip import heights
from engraver.core.proof.drawing import drawn as drawn_on
from engraver.core.recipe import Project, Source
from engraver.core.recipe.edits import add_plate
from engraver.core.solids.model import Solid
from engraver.core.sources.solids import EXTENSION, SOLIDS, SolidsCapture, with_solids
from engraver.core.starters import STARTERS, Starter
from engraver.core.surfaces.flat import FLAT
from engraver.core.surfaces.kind import Sheet
from engraver.core.surfaces.view import Eye

from .photos import sand_ripples
from .quay import demo_project

SIDE, STRENGTH = 112, 0.09
EYE = Eye(tilt=24.0, turn=0.0, zoom=1.24)
# A mooring ring in the hollow of a slab: a box, a ball that cuts, a torus that joins.
_MOORING = (
    Solid(kind="box", size_x=2.4, size_y=2.4, size_z=0.6, edges="round", edge=0.3),
    Solid(kind="ball", size_x=2.1, size_y=2.1, size_z=1.0, at_z=0.45, op="cut"),
    Solid(kind="torus", size_x=1.45, size_y=1.45, size_z=0.36, inner=0.25, turn_x=14, at_z=0.15),
)
FOLDER = Path(__file__).parents[1] / "starters"


def picture_of(starter: Starter) -> bytes:
    """A starter's picture as a PNG."""
    sources = SourceStore(limit=0)
    return _pressed(*starter.added_to(Project()), sources)


def _pressed(project: Project, plate: str, sources: SourceStore) -> bytes:
    raster = Engine(sources).evaluate(resolve(project, plate, sources), Request(side=512, exact=True)).raster
    sheet = Sheet(heights(raster.flat(), raster.zero), STRENGTH, 160_000, (SIDE, SIDE), eye=EYE)
    drawn = drawn_on(FLAT, sheet, unwatched)
    return bytes(cv2.imencode(".png", cv2.cvtColor(drawn, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_PNG_COMPRESSION, 9])[1])


def _square(picture: NDArray[np.uint8]) -> bytes:
    """The middle of a picture, as small as those of the starters."""
    side = min(picture.shape[:2])
    top, left = (picture.shape[0] - side) // 2, (picture.shape[1] - side) // 2
    small = cv2.resize(picture[top : top + side, left : left + side], (SIDE, SIDE), interpolation=cv2.INTER_AREA)
    return bytes(cv2.imencode(".png", small)[1])


def way_pictures() -> dict[str, bytes]:
    """Pictures for the ways that begin with other than a line of steps: a photo of the demo, and a mesh and solids of
    it pressed in plaster."""
    photo = cv2.imdecode(np.frombuffer(sand_ripples().file(), np.uint8), cv2.IMREAD_COLOR)
    sources = SourceStore(limit=0)
    project = demo_project(sources)
    frieze = next(p for p in project.plates if p.name == "Pot frieze")
    source = with_solids(Source(id="src-way", kind=SOLIDS.id, name=f"way{EXTENSION}"), _MOORING, sources)
    reading = SolidsCapture(view="top", depth="exact", side=512)
    built, mooring = add_plate(Project(), source, "Mooring", (), reading=reading, read_as="object")
    return {
        "way-photo": _square(np.asarray(photo, np.uint8)),
        "way-mesh": _pressed(project, frieze.id, sources),
        "way-solids": _pressed(built, mooring, sources),
    }


def main() -> int:
    """Make every picture again."""
    FOLDER.mkdir(exist_ok=True)
    for starter in STARTERS.values():
        (FOLDER / f"{starter.id}.png").write_bytes(picture_of(starter))
    ways = way_pictures()
    for name, data in ways.items():
        (FOLDER / f"{name}.png").write_bytes(data)
    for path in FOLDER.glob("*.png"):
        if path.stem not in {*STARTERS, *ways}:
            path.unlink()
    return 0


if __name__ == "__main__":
    sys.exit(main())
