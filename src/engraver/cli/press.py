"""``engraver press``: plates pressed into a surface by gestures from a file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click
import numpy as np

from engraver.core.cords.write import MESHES
from engraver.core.engine import Engine, SourceStore, resolve
from engraver.core.errors import BadValue
from engraver.core.files.atomic import write_bytes
from engraver.core.files.read import read_bytes
from engraver.core.files.write import encode
from engraver.core.params import parse_assignment, parse_value, specs, split_words
from engraver.core.pressing.relief import Tip
from engraver.core.pressing.settings import StrokeSettings
from engraver.core.proof.gesture_file import read_gestures
from engraver.core.proof.look import Look
from engraver.core.proof.trial_files import save_mesh, save_picture
from engraver.core.proof.trial_view import TrialWish
from engraver.core.raster import Facts
from engraver.core.recipe import Project, Trial, edits
from engraver.core.recipe.trial import LEAST_POINTS, MOST_POINTS
from engraver.core.sources.trial import Given, TrialFrame, heights, own_of
from engraver.core.surfaces import SURFACES, surface
from engraver.core.surfaces.ground import SCENE

from .misuse import Misuse, as_misuse
from .plate_word import in_project


def typed_settings(text: str, points: int) -> dict[str, Any]:
    """Stroke settings from ``'spacing=25% turn_jitter=1'``; ``px`` are points of the surface. Raises Misuse."""
    known, across = specs(StrokeSettings), max(2, round(points**0.5))
    found: dict[str, Any] = {}
    try:
        for word in split_words(text):
            key, value = parse_assignment(word)
            key = key.replace("-", "_")
            if key not in known:
                raise BadValue(f"Stroke settings have no {key!r}", "", f"They have: {', '.join(known)}")
            found[key] = parse_value(value, known[key], Facts(across, across))
    except BadValue as error:
        raise as_misuse(error) from error
    return found


def tip_of_word(word: str, sources: SourceStore, engine: Engine) -> Tip:
    """A plate as it is pressed: a picture, or ``PROJECT:NAME``."""
    found = in_project(word, sources)
    if found is not None:
        project, id = found[0], found[1].id
    else:
        source = sources.add(read_bytes(Path(word)), Path(word).name)
        project, id = edits.add_plate(Project(), source, source.name, (), reading=sources.start(source))
    return engine.tips({id: resolve(project, id, sources)})[id]


@click.command()
@click.argument("plates", nargs=-1, required=True, metavar="PLATE...")
@click.option("--on", "on", required=True, type=click.Choice(list(SURFACES)), help="The surface.")
@click.option(
    "--points",
    type=click.IntRange(LEAST_POINTS, MOST_POINTS),
    default=1_000_000,
    show_default=True,
    help="How many points the surface has.",
)
@click.option("--mesh", type=click.Path(path_type=Path), help="The mesh, for --on own.")
@click.option("--gestures", required=True, type=click.Path(path_type=Path), help="What the hand does, as JSON.")
@click.option("--settings", default="", help="Stroke settings of all gestures: 'spacing=25% turn_jitter=1'.")
@click.option("--seed", type=click.IntRange(0), default=1, show_default=True, help="Of what happens by chance.")
@click.option(
    "--side",
    type=click.IntRange(16, 8192),
    default=1024,
    show_default=True,
    help="Pixels along each side of a picture.",
)
@click.option(
    "-o",
    "--output",
    required=True,
    type=click.Path(path_type=Path),
    help="An .exr of heights, a .png as it is seen, or a .ply, .obj, .stl or .glb.",
)
def press(
    plates: tuple[str, ...], on: str, points: int, mesh: Path | None, gestures: Path, settings: str, seed: int,
    side: int, output: Path,
) -> None:  # fmt: skip
    """Press plates into a surface. A PLATE is a picture, or PROJECT:NAME for a plate of a project.

    On a plane an .exr holds heights in shares of the surface's width, exact at any --side.
    """
    kind, ending = surface(on), output.suffix.lower()
    if ending not in (".exr", ".png", *MESHES):
        known = ", ".join((".exr", ".png", *MESHES))
        raise Misuse(f"{output.name} is of no kind that can be written", "", f"End it with {known}")
    if kind.geometry.needs_own != (mesh is not None):
        raise Misuse("--mesh and --on own belong together", "", "Name both, or neither")
    if ending == ".exr" and not kind.geometry.plane:
        raise Misuse(
            f"Heights of the {kind.name.lower()} are no picture", "", "Write a mesh, or a .png as it is seen"
        )
    common = typed_settings(settings, points)
    try:
        made = read_gestures(
            read_bytes(gestures), gestures.name, kind.geometry, len(plates), seed=seed, common=common
        )
    except BadValue as error:
        raise as_misuse(error) from error
    sources = SourceStore()
    engine = Engine(sources)
    tips = {str(n): tip_of_word(word, sources, engine) for n, word in enumerate(plates)}
    trial = Trial(id="press", surface=on, points=points, gestures=made)
    own = own_of(trial, sources.add(read_bytes(mesh), mesh.name) if mesh is not None else None, sources)
    if ending == ".exr":
        given = Given(trial, tips, own, "press")
        tall, _ = heights(given, TrialFrame(trial="press", side=side), (side, side), sources)
        write_bytes(output, encode((tall / np.float32(SCENE)).astype(np.float32), "exr", "float"))
        return
    wish = TrialWish(trial, tips, Look((side, side), kind.eye, kind.lamp), own)
    (save_picture if ending == ".png" else save_mesh)(output, wish, sources.cache)
