"""``engraver make`` and ``engraver export``: from a picture or a project to files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import click

from engraver.core.engine import Engine, Line, Request, SourceStore, resolve
from engraver.core.engine.line import assemble
from engraver.core.errors import BadValue, FileTrouble
from engraver.core.files.atomic import write_bytes
from engraver.core.files.names import file_stem, is_there
from engraver.core.files.read import read_bytes
from engraver.core.files.write import HOLDS, encode, format_of
from engraver.core.mesh.capture import Capture
from engraver.core.params import StepZero, parse_assignment, parse_value, specs, split_words
from engraver.core.project.project_file import open_project
from engraver.core.raster import Facts, Raster
from engraver.core.readiness import Destination, Measured
from engraver.core.readiness.export import Order, delivered, orders_for, refuse_clashes, write_orders
from engraver.core.readiness.measure import gauges
from engraver.core.readiness.normals import normal_map_file
from engraver.core.readiness.trying import Trying
from engraver.core.recipe import Project, edits
from engraver.core.recipe.first import READ_AS
from engraver.core.recipe.first_mesh import MESH_AS
from engraver.core.recipe.models import Recipe, Source, Step, checked_params, new_id
from engraver.core.solids.model import is_solids
from engraver.core.sources import source_kind
from engraver.core.sources.blank import Blank
from engraver.core.sources.mesh import auto_frame
from engraver.core.sources.solids import EXTENSION
from engraver.core.starters import Starter, starter
from engraver.core.steps import kind_of

from .batch import named_recipe
from .capture_options import given, mesh_options, typed_capture
from .destination_type import FOR
from .misuse import Misuse, as_misuse
from .tables import print_gauges


def typed_step(text: str, line: Line) -> Step:
    """A step from ``'ID key=value ...'``; ``px`` refer to the end of ``line``.

    Raises Misuse naming the step, the setting and what is allowed.
    """
    try:
        words = split_words(text)
    except BadValue as error:
        raise as_misuse(error) from error
    if not words:
        raise Misuse("--step needs the id of a step")
    try:
        kind = kind_of(words[0])
        known = specs(kind.params)
        values = {}
        for word in words[1:]:
            key, value = parse_assignment(word)
            key = key.replace("-", "_")
            if key not in known:
                raise BadValue(f"{kind.id} has no setting {key!r}", "", f"It has: {', '.join(known) or 'none'}")
            values[key] = parse_value(value, known[key], line.facts[-1])
        return Step(uid=f"{kind.id}-{len(line.steps)}", kind=kind.id, params=checked_params(kind, values))
    except BadValue as error:
        raise as_misuse(error) from error


def typed_blank(text: str) -> Blank:
    """A blank from ``SIDE``, ``SIDE,GREY`` or either with ``,tiles``; the grey is a share or per cent.

    Raises Misuse for anything else.
    """
    side, *more = text.split(",")
    tiles = "tiles" in more
    known, nothing = specs(Blank), Blank().side
    try:
        values = {"side": parse_value(side, known["side"], Facts(nothing, nothing)), "tiles": tiles}
        greys = [word for word in more if word != "tiles"]
        if len(greys) > 1:
            raise ValueError("two greys")
        if greys:
            values["grey"] = parse_value(greys[0], known["grey"], Facts(nothing, nothing))
        return Blank(**values)
    except (BadValue, ValueError) as error:
        raise Misuse(f"--blank cannot be {text!r}", "", "It is SIDE or SIDE,GREY[,tiles]: --blank 1024,0") from error


@dataclass(frozen=True, slots=True)
class Beginning:
    """Where it starts: one of a file, an even grey, a starter and a list of solids; the others are None."""

    picture: Path | None = None
    blank: str | None = None
    start: str | None = None
    solids: Path | None = None

    def begun(self) -> Starter | None:
        """The starter, where it starts with one. Raises Misuse for an unknown one."""
        try:
            return None if self.start is None else starter(self.start)
        except BadValue as error:
            raise as_misuse(error) from error

    def taken_in(self, sources: SourceStore) -> tuple[Source, StepZero]:
        """Its source, and how that is read. Raises Misuse where it is none of them, or several."""
        said = {"INPUT": self.picture, "--blank": self.blank, "--start": self.start, "--solids": self.solids}
        named = [name for name, value in said.items() if value is not None]
        if not named:
            raise Misuse(
                "There is nothing to make it from", "",
                "Name a picture or a mesh, or use --blank SIDE, --start NAME or --solids FILE",
            )  # fmt: skip
        if len(named) > 1:
            raise Misuse(f"{' and '.join(named)} both say where it starts", "", "Leave one out")
        begun = self.begun()
        if begun is not None:
            return Source(id=new_id("src"), name=begun.name, kind=Blank.kind), begun.ground()
        if self.blank is not None:
            return Source(id=new_id("src"), name="blank", kind=Blank.kind), typed_blank(self.blank)
        if self.solids is not None:
            name, data = self.solids.stem + EXTENSION, read_bytes(self.solids)
            if not is_solids(data):
                raise Misuse(f"{self.solids.name} holds no solids", "", "It is a list, as docs/solids.md says")
            source = sources.add(data, name)
        else:
            assert self.picture is not None
            source = sources.add(read_bytes(self.picture), self.picture.name)
        return source, sources.start(source)


def _line(
    begin: Beginning, recipe: Recipe | None, typed: tuple[str, ...], side: int | None, view: Mapping[str, Any],
    read_as: str | None = None,
) -> tuple[Line, SourceStore]:  # fmt: skip
    sources = SourceStore(limit=0)
    source, reading = begin.taken_in(sources)
    begun, kind = begin.begun(), source_kind(source.kind)
    what = None if read_as == "auto" else read_as
    if what is not None and what not in kind.read_as:
        ways = f"its ways are {', '.join(kind.read_as)}" if kind.read_as else "there is one way only"
        raise Misuse(f"{source.name} cannot be read as {what}", ways, "Leave --as out, or choose another")
    if isinstance(reading, Capture):
        reading, side = typed_capture(source, sources, view, side, what), None
        auto_frame(source, reading, sources)  # its scale goes down the line
    elif given(view):
        name = next(iter(given(view))).replace("_", "-")
        raise Misuse(f"--{name} is for meshes", f"{source.name} is a picture", "Leave it out")
    steps: tuple[Step, ...] = begun.line() if begun is not None else ()
    steps += recipe.steps if recipe else ()
    if read_as is not None:
        if recipe is not None:
            raise Misuse("--as and --recipe both say the first steps", "", "Leave one out")
        first = sources.first(source, what, reading)
        click.echo(f"{source.name}: read as {kind.read_as.get(first.read_as, first.read_as).lower()}")
        steps = first.steps
    line = assemble(source, reading, steps, 1, sources)
    for text in typed:
        steps = (*steps, typed_step(text, line))
        line = assemble(source, reading, steps, 1, sources)
    if side is not None:
        last = next((s for s in reversed(steps) if s.kind == "size" and s.on), None)
        if last is None:
            steps = (
                *steps,
                Step(uid=new_id("s"), kind="size", params=checked_params(kind_of("size"), {"side": side})),
            )
        else:
            steps = tuple(s.with_params(side=side) if s.uid == last.uid else s for s in steps)
        line = assemble(source, reading, steps, 1, sources)
    return line, sources


def _orders(out: Path, wanted: tuple[Destination, ...]) -> tuple[Order, ...]:
    """OUT for one destination; with several their ids tell the files apart."""
    one = len(wanted) == 1
    return tuple(Order(to, out.parent, out.stem if one else f"{out.stem}-{to.id}") for to in wanted)


def _free(path: Path, force: bool) -> None:
    if is_there(path) and not force:
        raise FileTrouble(f"{path} was not written", "it is there already", "Choose another name or add --force")


def fixed_told(line: Line, sources: SourceStore, to: Destination) -> Line:
    """The line with every fix that helps, and a row for each."""
    project, plate = edits.add_plate(Project(), line.source, "plate", line.steps, reading=line.reading)
    project, done, _ = Trying(Engine(sources), plate, to).fix_all(project)
    for pressed in done:
        click.echo(f"fixed {pressed.gauge.lower()}: {pressed.label.lower()}")
    return resolve(project, plate, sources)


def write_told(raster: Raster, orders: Sequence[Order], force: bool) -> None:
    """Write the orders and tell their gauges."""
    write_orders(raster, orders, overwrite=force)
    for order in orders:
        found = gauges(Measured.delivered(delivered(raster, order)))
        print_gauges(order.paths()[0].name, order.destination, found)


@click.command()
@click.argument("picture", metavar="[INPUT]", required=False, type=click.Path(path_type=Path))
@click.option(
    "--blank", metavar="SIDE[,GREY][,tiles]", help="In place of INPUT: an even grey, to build on from nothing."
)
@click.option("--start", help="In place of INPUT: a starter, which `engraver starters` lists.")
@click.option("--solids", type=click.Path(path_type=Path), help="In place of INPUT: bodies from numbers, as JSON.")
@click.option("--recipe", help="A recipe file, or one that ships by its name; its steps come first.")
@click.option("--step", "typed", multiple=True, help="One step: 'ID key=value ...'. May be given several times.")
@click.option(
    "--as",
    "read_as",
    type=click.Choice(["auto", *READ_AS, *MESH_AS]),
    help="What it is: its first steps; or guessed. The last three are for meshes.",
)
@click.option("--fix", is_flag=True, help="Press fixes for the destination until none helps any more.")
@click.option("--side", type=click.IntRange(1, 16384), help="Side in pixels: sets the last size step or adds one.")
@click.option("--for", "wanted", type=FOR, multiple=True, help="Deliver for this destination.")
@click.option("--force", is_flag=True, help="Replace OUT when it is there.")
@click.option(
    "-o", "--out", required=True, type=click.Path(path_type=Path), help="The file to write: .png, .tif or .exr."
)
@click.option(
    "--normals", type=click.FloatRange(0.01, 100), help="Also NAME-normals.png: white so many % of the side high."
)
@click.option("--green", type=click.Choice(["up", "down"]), default="up", help="Which way its green points.")
@mesh_options
def make(
    picture: Path | None, blank: str | None, start: str | None, solids: Path | None, recipe: str | None,
    typed: tuple[str, ...], read_as: str | None, fix: bool, side: int | None, wanted: tuple[Destination, ...],
    force: bool, out: Path, normals: float | None, green: str, **view: Any,
) -> None:  # fmt: skip
    """Make an alpha from a picture, a mesh, or from nothing.

    Without --recipe and --step only what reading and OUT's format need is done.
    Lengths are fractions, % or px of the full-size plate at that step. Of a mesh --side is
    the side of its capture.
    """
    orders = _orders(out, wanted)
    try:
        kind = format_of(out)
        if len(wanted) == 1 and kind != wanted[0].format:
            to = wanted[0]
            raise BadValue(f"{to.name} is {to.file_words()}", "", f"End the name in {to.extension}")
    except BadValue as error:
        raise as_misuse(error) from error
    slopes = out.with_name(f"{out.stem}-normals.png")
    refuse_clashes(orders, overwrite=force)
    for path in [*([] if orders else [out]), *([slopes] if normals else [])]:
        _free(path, force)
    if fix and len(wanted) != 1:
        raise Misuse("--fix needs one destination", "fixes are for what a file is for", "Add --for ID, once")
    begin = Beginning(picture, blank, start, solids)
    line, sources = _line(begin, named_recipe(recipe) if recipe else None, typed, side, view, read_as)
    if fix:
        line = fixed_told(line, sources, wanted[0])
    raster = Engine(sources).evaluate(line, Request(exact=True)).raster
    if not orders:
        depth = "16" if "16" in HOLDS[kind] else HOLDS[kind][0]
        write_bytes(out, encode(raster.flat(), kind, depth), overwrite=force)
    write_told(raster, orders, force)
    if normals:
        write_bytes(slopes, normal_map_file(raster, normals / 100, green_up=green == "up"), overwrite=force)
    height = raster.facts().height_words()
    if height:
        click.echo(f"{out.name}: white is {height} above zero")


@click.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--plate", "names", multiple=True, help="Only plates of this name.")
@click.option("--for", "wanted", type=FOR, multiple=True, required=True, help="Destinations.")
@click.option("-o", "--out", "folder", required=True, type=click.Path(path_type=Path), help="The folder to fill.")
@click.option("--force", is_flag=True, help="Replace files that are there.")
def export(project: Path, names: tuple[str, ...], wanted: tuple[Destination, ...], folder: Path, force: bool) -> None:
    """Export plates of a project for destinations."""
    sources = SourceStore(limit=0)
    opened = open_project(project, sources)
    known = {plate.name for plate in opened.plates}
    for name in names:
        if name not in known:
            raise Misuse(f"There is no plate called {name!r}", "", f"There are: {', '.join(sorted(known)) or 'none'}")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileTrouble(
            f"The folder {folder} cannot be made", error.strerror or "", "Choose another one"
        ) from error
    jobs: list[tuple[Line, tuple[Order, ...]]] = []
    for plate in (p for p in opened.plates if not names or p.name in names):
        line = resolve(opened, plate.id, sources)
        size = line.facts[-1].width, line.facts[-1].height
        jobs.append((line, orders_for(wanted, file_stem(plate.name), size, lambda to: folder)))
    refuse_clashes([order for _, orders in jobs for order in orders], overwrite=force)
    engine = Engine(sources)
    for line, orders in jobs:
        write_told(engine.evaluate(line, Request(exact=True)).raster, orders, force)
