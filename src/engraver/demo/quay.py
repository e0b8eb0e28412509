"""The demo project: a plate of every kind, made ready from its photo or scan."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import platformdirs

from engraver.core.engine import SourceStore
from engraver.core.files.atomic import write_bytes
from engraver.core.files.picture import Reading
from engraver.core.params import Stroke
from engraver.core.recipe import Project
from engraver.core.recipe.edits import add_plate, set_params
from engraver.core.recipe.first import first_steps
from engraver.core.recipe.models import Step

from .papers import LINE, PAPER, float_on_board, knot_drawings, net_sheet
from .photos import Photo, barnacle_slab, sand_ripples

NAME = "Saltmarrow Quay"
# Raise when the generator changes, so that photos kept from before are made again.
EDITION = "3"


def photo_file(make: Callable[[], Photo], name: str, folder: Path | None = None) -> bytes:
    """A demo photo's file, kept in the user's cache directory once made."""
    folder = folder or Path(platformdirs.user_cache_dir("engraver")) / f"demo-{EDITION}"
    path = folder / name
    if path.is_file():
        return path.read_bytes()
    data = make().file()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        write_bytes(path, data)
    except OSError:
        return data  # a cache that cannot be written only costs time
    return data


def demo_project(sources: SourceStore, folder: Path | None = None) -> Project:
    """Saltmarrow Quay with its photos taken into ``sources``."""
    project = Project(name=NAME)
    slab = sources.add(photo_file(barnacle_slab, "barnacle_slab.jpg", folder), "barnacle_slab.jpg")
    steps = tuple(_steady(first_steps("relief", sources.facts(slab, Reading())), "barnacles"))
    project, plate = add_plate(project, slab, "Barnacles", steps, read_as="relief", seed=3)
    # The pale board round the slab has to go: this crop belongs to this photo only.
    project = set_params(project, plate, "barnacles-crop", x=0.477, y=0.496, width=0.862)
    sand = sources.add(photo_file(sand_ripples, "sand_ripples.jpg", folder), "sand_ripples.jpg")
    steps = tuple(_steady(first_steps("surface", sources.facts(sand, Reading())), "ripples"))
    project, _ = add_plate(project, sand, "Sand ripples", steps, read_as="surface", seed=4)
    net = sources.add(photo_file(net_sheet, "net_sheet.png", folder), "net_sheet.png")
    steps = tuple(_steady(first_steps("sheet", sources.facts(net, Reading())), "net"))
    dust = Step.make("dust", which="bright", contrast=0.12).model_copy(update={"uid": "net-dust"})
    project, _ = add_plate(project, net, "Net weave", (*steps[:-2], dust, *steps[-2:]), read_as="sheet", seed=5)
    page = sources.add(photo_file(knot_drawings, "knot_drawings.jpg", folder), "knot_drawings.jpg")
    steps = tuple(_steady(first_steps("drawing", sources.facts(page, Reading())), "knots"))
    grey = steps[0].with_params(mix="fade", line=LINE, paper=PAPER)
    project, _ = add_plate(project, page, "Knot-work", (grey, *steps[1:]), read_as="drawing", seed=6)
    cork = sources.add(photo_file(float_on_board, "cork_float.jpg", folder), "cork_float.jpg")
    steps = tuple(_steady(first_steps("subject", sources.facts(cork, Reading())), "cork"))
    project, float_ = add_plate(project, cork, "Cork float", steps, read_as="subject", seed=7)
    marks = (
        Stroke.through([(0.36, 0.5), (0.5, 0.46), (0.64, 0.53)], 0.03, "keep"),
        Stroke.through([(0.1, 0.12), (0.5, 0.08), (0.9, 0.14)], 0.025, "remove"),
        Stroke.through([(0.12, 0.86), (0.5, 0.93), (0.88, 0.84)], 0.025, "remove"),
    )
    return set_params(project, float_, "cork-isolate", marks=marks)


def _steady(steps: tuple[Step, ...], prefix: str) -> list[Step]:
    """The same uids every time, so that the demo looks the same every time."""
    return [step.model_copy(update={"uid": f"{prefix}-{step.kind}"}) for step in steps]
