"""The demo project: a plate of every kind, made ready from its photo or scan."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

import numpy as np
import platformdirs

from engraver.core.engine import SourceStore
from engraver.core.files.atomic import write_bytes
from engraver.core.files.picture import Reading
from engraver.core.mesh.capture import Capture
from engraver.core.params import Stroke
from engraver.core.recipe import Pack, Project
from engraver.core.recipe.edits import add_plate, set_params, set_ready_for
from engraver.core.recipe.first import first_steps
from engraver.core.recipe.first_mesh import first_mesh_steps
from engraver.core.recipe.models import Source, SourceFile, Step, new_id
from engraver.core.sources.holding import digest

from .along import with_curves
from .built import with_built
from .casts import boat_hull, frieze_pot, knot_panel, oyster_shell
from .copper import hammered_copper
from .papers import LINE, PAPER, float_on_board, knot_drawings, net_sheet
from .photos import barnacle_slab, sand_ripples
from .timber import timber_plank
from .tried import with_trials


class Made(Protocol):
    """What the generator makes: something with a file."""

    def file(self) -> bytes: ...


NAME = "Saltmarrow Quay"
# How the three meshes are looked at: as they are when they are dropped, but for a few things.
PANEL = Capture(unit="mm", view="flat", frame="inside", zero_at="lowest", side=1024)
SHELL = Capture(unit="mm", view="top", zero_at="middle", side=1024)
POT = Capture(unit="mm", view="front", roll_out=True, zero_at="lowest", side=1024, form="cone", band=0.25)
# Where the drawing that is carved lies on its page: left, top, right, bottom in pixels.
KNOT = (829, 176, 1290, 649)
# What plates are made ready for besides a sculpting stamp.
READY = {
    "Wet hollows": "layer-mask", "Cork float": "clear-tip", "Knot-work": "paint-tip",
    "Oyster shell": "sculpt-stamp-mid", "Pot frieze": "stroke-strip",
}  # fmt: skip
# What is in the demo's pack (no tiles: a stamp would show their square), and what of it raises and cuts.
PACKED = (
    "Barnacles", "Sand ripples", "Knot-work", "Carved panel", "Oyster shell", "Carved knot", "Copper", "Name board",
    "Harbour crest", "Pitted iron", "Carved board", "Mooring cleat",
)  # fmt: skip
CUTS = ("Oyster shell", "Pitted iron", "Rust pits")
# Raise when the generator changes, so that photos kept from before are made again.
EDITION = "5"


def photo_file(make: Callable[[], Made], name: str, folder: Path | None = None) -> bytes:
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
    tile = Step.make("seamless").model_copy(update={"uid": "net-seamless"})
    line = (*steps[:-2], dust, steps[-2], tile, steps[-1])
    project, weave = add_plate(project, net, "Net weave", line, read_as="sheet", seed=5)
    # A tile cannot have the sheet's fold in it: only what lies to the right of it is kept.
    project = set_params(project, weave, "net-crop", x=0.69, y=0.5, width=0.64)
    project = set_params(project, weave, "net-levels", high=99.9)
    project = set_params(project, weave, "net-size", side=512)  # more than the sheet holds adds nothing
    project = set_ready_for(project, weave, "tiling-height")
    page = sources.add(photo_file(knot_drawings, "knot_drawings.jpg", folder), "knot_drawings.jpg")
    steps = tuple(_steady(first_steps("drawing", sources.facts(page, Reading())), "knots"))
    grey = steps[0].with_params(mix="fade", line=LINE, paper=PAPER)
    project, _ = add_plate(project, page, "Knot-work", (grey, *steps[1:]), read_as="drawing", seed=6)
    cork = sources.add(photo_file(float_on_board, "cork_float.jpg", folder), "cork_float.jpg")
    steps = tuple(_steady(first_steps("subject", sources.facts(cork, Reading())), "cork"))
    project, float_ = add_plate(project, cork, "Cork float", steps, read_as="subject", seed=7)
    strokes = (
        Stroke.through([(0.36, 0.5), (0.5, 0.46), (0.64, 0.53)], 0.03, "keep"),
        Stroke.through([(0.1, 0.12), (0.5, 0.08), (0.9, 0.14)], 0.025, "remove"),
        Stroke.through([(0.12, 0.86), (0.5, 0.93), (0.88, 0.84)], 0.025, "remove"),
    )
    project = set_params(project, float_, "cork-isolate", strokes=strokes)
    project = _with_casts(project, sources, folder)
    project = _with_reliefs(project, sources, folder)
    project = with_built(_with_tiles(project, sources, folder), sources)
    hull = _kept(sources, boat_hull, "boat_hull.ply", folder)
    project = with_curves(
        with_trials(project, hull), lambda make, name: _own(sources, make, name, folder), sources.start, hull.id
    )
    return _packed(project)


def _own(sources: SourceStore, make: Callable[[], Made], name: str, folder: Path | None) -> Source:
    """One of our own files as a source, a mesh read when it is first looked at."""
    if name.endswith(".ply"):
        return _kept(sources, make, name, folder)
    return sources.add(photo_file(make, name, folder), name)


def _packed(project: Project) -> Project:
    """A pack for sculpting and painting."""
    plates, kept = {p.name: p.id for p in project.plates}, {b.name: b.id for b in project.brushes}
    pack = Pack(
        name="Hull and board", author="The carvers of Saltmarrow Quay", licence="CC0",
        about="What the carvers of the quay keep for hulls, boards and harbour walls.",
        destinations=("sculpt-stamp", "sculpt-stamp-mid", "paint-tip"), icon_sides=(64, 128),
    )  # fmt: skip
    pack = pack.with_items((*(plates[name] for name in PACKED), *kept.values()))
    for name in CUTS:  # they cut: a stamp whose black is zero cannot
        id = plates.get(name) or kept[name]
        for to in ("sculpt-stamp", "paint-tip"):
            pack = pack.leave_out(id, to, "It cuts as well as raises.")
    return project.model_copy(update={"pack": pack})


def _with_tiles(project: Project, sources: SourceStore, folder: Path | None) -> Project:
    """Copper grown into a tile, a plank that becomes a strip for strokes, and one plate left wanting."""
    by_name = {p.name: p for p in project.plates}
    copper = project.source(by_name["Copper"].source)
    steps = _steady((
        Step.make("crop", width=0.5, x=0.5, y=0.5),
        Step.make("coarse-fine", coarse=0.0, medium=1.0, fine=1.4, finest=0.5, size=0.5),
        Step.make("levels", low=1.0, high=99.8, toe=0.03), Step.make("grow", side=1024, patch=0.3),
    ), "grown")  # fmt: skip
    project, grown = add_plate(project, copper, "Copper tile", tuple(steps), read_as="plain", seed=14)
    project = set_ready_for(project, grown, "tiling-height")
    timber = sources.add(photo_file(timber_plank, "timber_plank.jpg", folder), "timber_plank.jpg")
    steps = _steady((
        Step.make("grey"), Step.make("even-light", light="surface", order=2, method="divide"),
        Step.make("levels", low=2.0, high=99.7, toe=0.04), Step.make("soften", radius=0.007),
        Step.make("seamless", axis="across", width=0.16),
        Step.make("falloff", outline="square", left=False, right=False, fade=0.16, margin=0.02, ragged=0.35),
        Step.make("size", side=1024),
    ), "timber")  # fmt: skip
    project, strip = add_plate(project, timber, "Ship timber", tuple(steps), read_as="surface", seed=15)
    project = set_ready_for(project, strip, "stroke-strip")
    sand = project.source(by_name["Sand ripples"].source)
    steps = _steady((
        Step.make("crop", width=0.6), Step.make("grey"), Step.make("levels", low=0.0, high=88.0),
        Step.make("size", side=900),
    ), "wanting")  # fmt: skip
    project, _ = add_plate(project, sand, "Rough sand", tuple(steps), read_as="surface", seed=16)
    for name, destination in READY.items():
        project = set_ready_for(project, by_name[name].id, destination)
    return project


def _bosses() -> tuple[Stroke, ...]:
    """A boss in every corner of the panel, and a ring of short tool marks laid in twelve arms."""
    corners = [
        Stroke.through([(x, y)], 0.045, "raise", strength=0.4, soft=0.8) for x in (0.13, 0.87) for y in (0.13, 0.87)
    ]
    strokes = []
    for arm in range(12):
        c, s = np.cos(np.pi * arm / 6), np.sin(np.pi * arm / 6)
        place = [(0.5 + r * c, 0.5 + r * s) for r in (0.02, 0.045)]
        strokes.append(Stroke.through(place, 0.012, "raise", strength=0.25, soft=0.9))
    return (*corners, *strokes)


def _with_reliefs(project: Project, sources: SourceStore, folder: Path | None) -> Project:
    """A drawing that becomes carved, copper whose bulge is taken out, and a mask of the sand's wet hollows."""
    by_name = {p.name: p for p in project.plates}
    page = project.source(by_name["Knot-work"].source)
    facts = sources.facts(page, Reading())
    x, y = (KNOT[0] + KNOT[2]) / 2 / facts.width, (KNOT[1] + KNOT[3]) / 2 / facts.height
    width = 1.16 * max(KNOT[2] - KNOT[0], KNOT[3] - KNOT[1]) / facts.shorter
    steps = _steady((
        Step.make("crop", x=round(x, 4), y=round(y, 4), width=round(width, 4)),
        Step.make("grey", mix="fade", line=LINE, paper=PAPER), Step.make("even-light", light="paper"),
        Step.make("invert"), Step.make("threshold", softness=0.3), Step.make("bevel", ridge=True, form="round"),
        Step.make("soften", radius=0.004), Step.make("centre", by="heights", margin=0.05),
        Step.make("size", side=1024),
    ), "carving")  # fmt: skip
    project, _ = add_plate(project, page, "Carved knot", tuple(steps), read_as="drawing", seed=11)
    copper = sources.add(photo_file(hammered_copper, "hammered_copper.png", folder), "hammered_copper.png")
    steps = _steady((
        Step.make("coarse-fine", coarse=0.0, medium=1.0, fine=1.5, finest=0.6, size=0.3),
        Step.make("levels", low=3.0, high=99.8, toe=0.03), Step.make("falloff", fade=0.2, margin=0.016),
    ), "copper")  # fmt: skip
    project, _ = add_plate(project, copper, "Copper", tuple(steps), read_as="plain", seed=12)
    sand = by_name["Sand ripples"]
    first = [s for s in project.line(sand.id) if s.kind in ("crop", "grey", "even-light", "levels")]
    steps = _steady((*first, Step.make("soften", radius=0.004), Step.make("mask-from", size=0.05),
                     Step.make("size", side=1024)), "wet")  # fmt: skip
    project, _ = add_plate(
        project, project.source(sand.source), "Wet hollows", tuple(steps), read_as="surface", seed=13
    )
    return project


def _kept(sources: SourceStore, make: Callable[[], Made], name: str, folder: Path | None) -> Source:
    """One of our own meshes as a source; it is read when it is first looked at, so that the demo opens at once."""
    data = photo_file(make, name, folder)
    sources.provide(digest(data), lambda: data)
    return Source(id=new_id("src"), kind="mesh", name=name, files=(SourceFile(sha256=digest(data)),))


def _with_casts(project: Project, sources: SourceStore, folder: Path | None) -> Project:
    """The plates of the sculpted props: the panel laid flat, the shell without its cup, the pot rolled out."""
    panel = _kept(sources, knot_panel, "knot_panel.ply", folder)
    steps = tuple(_steady((Step.make("hand", strokes=_bosses()), *first_mesh_steps("detail")), "panel"))
    project, _ = add_plate(project, panel, "Carved panel", steps, reading=PANEL, read_as="detail", seed=8)
    shell = _kept(sources, oyster_shell, "oyster_shell.ply", folder)
    steps = tuple(_steady((
        Step.make("remove-form", size=0.3, grip=0.0, onto="zero"), Step.make("exposure", stops=1.6),
        Step.make("centre", by="heights"),
    ), "oyster"))  # fmt: skip
    project, _ = add_plate(project, shell, "Oyster shell", steps, reading=SHELL, read_as="object", seed=9)
    pot = _kept(sources, frieze_pot, "frieze_pot.ply", folder)
    steps = tuple(_steady(first_mesh_steps("rolled"), "pot"))
    project, _ = add_plate(project, pot, "Pot frieze", steps, reading=POT, read_as="rolled", seed=10)
    return project


def _steady(steps: tuple[Step, ...], prefix: str) -> list[Step]:
    """The same uids every time, so that the demo looks the same every time."""
    return [step.model_copy(update={"uid": f"{prefix}-{step.kind}"}) for step in steps]
