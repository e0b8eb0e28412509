"""``engraver pack``: plates and brushes delivered together; and packs of anybody's looked over."""

from __future__ import annotations

import json
from pathlib import Path

import click

from engraver.core.cabinet import Cabinet
from engraver.core.cabinet.entry import Entry
from engraver.core.cabinet.to_keep import of_file
from engraver.core.cabinet.using import finished
from engraver.core.engine import Engine, SourceStore
from engraver.core.files.read import read_bytes
from engraver.core.pack import build, open_pack, plan
from engraver.core.pack.compare import compared
from engraver.core.pack.opened import check_pack
from engraver.core.pack.ready import Ready, fixed, ready
from engraver.core.pack.taking import pieces_of
from engraver.core.project.project_file import EXTENSION, open_project
from engraver.core.proof.icon import KINDS
from engraver.core.readiness import Destination
from engraver.core.recipe import Pack, Project
from engraver.core.recipe.pack import IconAs
from engraver.core.words import counted

from .cabinet import usual_folder
from .destination_type import FOR
from .misuse import Misuse
from .plate_word import in_project
from .tables import PlainTable

UNSOUND = 3
_MOST_IN_MEMORY = 600_000_000


class _Pack(click.Group):
    """``pack check`` and its kin by their names; anything else is what goes into a pack."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        if args and args[0] not in self.commands and args[0] not in ("-h", "--help"):
            args = ["build", *args]
        return super().parse_args(ctx, args)


@click.group("pack", cls=_Pack)
def pack_() -> None:
    """Deliver plates and brushes together: `engraver pack PROJECT|FILE... --for ID... -o OUT[.zip]`.

    With `check`, `compare` and `take`, look a pack over, compare two versions, or take one into the cabinet.
    """


def _together(words: tuple[str, ...], sources: SourceStore) -> Project:
    """One project with all that the words name; a project of one word keeps its pack."""
    whole = Project(name="Pack")
    ids: list[str] = []
    for word in words:
        named = in_project(word, sources, brushes=True)
        if named is not None:
            project, chosen = named[0], [named[1].id]
        elif word.endswith(EXTENSION):
            project = open_project(Path(word), sources)
            chosen = [item.id for item in project.pack.items]
            chosen = chosen or [*(p.id for p in project.plates), *(b.id for b in project.brushes)]
        else:
            made = of_file(read_bytes(Path(word)), Path(word).name)
            project, plate = finished(Project(), _plain(made.entry), made.picture, sources)
            chosen = [plate]
        if len(words) == 1 and project.plates and named is None and word.endswith(EXTENSION):
            return project.model_copy(update={"pack": project.pack.with_items(tuple(chosen))})
        known = {p.id for p in whole.plates}
        if not known & {p.id for p in project.plates}:
            whole = whole.model_copy(update={
                name: (*getattr(whole, name), *getattr(project, name))
                for name in ("sources", "recipes", "plates", "trials", "brushes")
            })  # fmt: skip
        ids += chosen
    return whole.model_copy(update={"pack": whole.pack.with_items(tuple(ids))})


def _plain(entry: Entry) -> Entry:
    """A file's entry, measured for nothing yet."""
    return entry.model_copy(update={"destination": ""})


@pack_.command("build", hidden=True)
@click.argument("things", nargs=-1, required=True, metavar="PROJECT|PROJECT:NAME|FILE...")
@click.option(
    "--for", "wanted", type=FOR, multiple=True, help="Destinations; by default those of the project's pack."
)
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="A folder, or a .zip.")
@click.option("--name", default="", help="Of the pack.")
@click.option("--author", default="", help="Who made it.")
@click.option("--licence", default="", help="What may be done with it.")
@click.option("--about", default="", help="A few words for the read-me.")
@click.option("--prefix", default="", help="For {prefix} in the pattern.")
@click.option("--pattern", default="", help="How pieces are named: {prefix} {name} {nn}.")
@click.option("--icon", "icon_as", type=click.Choice(list(KINDS)), help="What icons show.")
@click.option("--icons", "sides", type=click.IntRange(16, 2048), multiple=True, help="Sides of the icons, in pixels.")
@click.option("--fix", is_flag=True, help="Every fix that helps first; the project itself stays as it is.")
@click.option("--only-ready", is_flag=True, help="Leave out what has a fault, with a word.")
@click.option("--json", "as_json", is_flag=True, help="For programs.")
def build_(
    things: tuple[str, ...], wanted: tuple[Destination, ...], output: Path, name: str, author: str, licence: str,
    about: str, prefix: str, pattern: str, icon_as: IconAs | None, sides: tuple[int, ...], fix: bool,
    only_ready: bool, as_json: bool,
) -> None:  # fmt: skip
    """Write a pack; one that lies there is refreshed."""
    sources = SourceStore(_MOST_IN_MEMORY)
    project, engine = _together(things, sources), Engine(sources)
    said = {
        "name": name, "author": author, "licence": licence, "about": about, "prefix": prefix, "pattern": pattern,
        "icon": icon_as, "icon_sides": sides, "destinations": tuple(to.id for to in wanted),
    }  # fmt: skip
    asked = {key: value for key, value in said.items() if value}
    pack = Pack.model_validate({**project.pack.model_dump(), **asked})
    if not pack.destinations:
        raise Misuse("The pack is for nothing yet", "", "Add --for ID, more than once for several")
    project = project.model_copy(update={"pack": pack})
    known = {to.id: to for to in wanted} if wanted else None
    if fix:
        project, told = fixed(project, plan(project, known), engine)
        for line in told:
            click.echo(line, err=True)
    if only_ready:
        project = _without_faults(project, known, engine)
    built = build(project, output, engine, known=known)
    if as_json:
        click.echo(json.dumps(built.listing.model_dump(mode="json"), indent=1, ensure_ascii=False))
        return
    count = len(built.listing.pieces)
    same = f", {built.kept} as they were" if built.kept else ""
    click.echo(f"{counted(count, 'piece')} for {counted(len(built.listing.destinations), 'use')}{same}: {output}")
    for left, why in built.listing.left_out.items():
        click.echo(f"left out: {left}: {why}")


def _without_faults(project: Project, known: dict[str, Destination] | None, engine: Engine) -> Project:
    planned = plan(project, known)
    pack = project.pack
    for piece in planned.going:
        for to in planned.uses_of(piece):
            found = ready(project, piece, to, engine)
            if found.verdict == "fault":
                pack = pack.leave_out(piece.id, to.id, found.words())
    return project.model_copy(update={"pack": pack})


@pack_.command("ready")
@click.argument("things", nargs=-1, required=True, metavar="PROJECT|PROJECT:NAME|FILE...")
@click.option("--for", "wanted", type=FOR, multiple=True, required=True, help="Destinations.")
@click.option("--json", "as_json", is_flag=True, help="For programs.")
def ready_(things: tuple[str, ...], wanted: tuple[Destination, ...], as_json: bool) -> None:
    """How ready every piece is for each destination; ends with 3 where one has a fault."""
    sources = SourceStore(_MOST_IN_MEMORY)
    project, engine = _together(things, sources), Engine(sources)
    known = {to.id: to for to in wanted}
    pack = project.pack.model_copy(update={"destinations": tuple(known)})
    planned = plan(project.model_copy(update={"pack": pack}), known)
    rows = [(piece, [ready(project, piece, to, engine) for to in wanted]) for piece in planned.pieces]
    if as_json:
        told = [_told(piece.name, one) for piece, found in rows for one in found]
        click.echo(json.dumps(told, indent=1, ensure_ascii=False))
    else:
        table = PlainTable("", *(to.name for to in wanted))
        for piece, found in rows:
            table.row(piece.name, *(f"{one.verdict}: {one.words()}" for one in found))
        table.print()
    if any(one.verdict == "fault" for _, found in rows for one in found):
        click.get_current_context().exit(UNSOUND)


def _told(name: str, one: Ready) -> dict[str, str]:
    return {"piece": name, "destination": one.destination, "verdict": one.verdict, "says": one.words()}


@pack_.command("check")
@click.argument("path", type=click.Path(path_type=Path), metavar="PACK")
@click.option("--json", "as_json", is_flag=True, help="For programs.")
def check_(path: Path, as_json: bool) -> None:
    """Whether a pack is what its list says, file by file; ends with 3 where it is not."""
    report = check_pack(path)
    if as_json:
        told = {"name": report.listing.name, "pieces": len(report.listing.pieces), "wrong": list(report.told)}
        click.echo(json.dumps(told, indent=1, ensure_ascii=False))
    else:
        for line in report.told:
            click.echo(line)
        words = "all of them what the list says" if report.sound else f"{len(report.told)} wrong"
        click.echo(f"{report.listing.name}: {len(report.listing.digests())} files, {words}.")
    if not report.sound:
        click.get_current_context().exit(UNSOUND)


@pack_.command("compare")
@click.argument("old", type=click.Path(path_type=Path))
@click.argument("new", type=click.Path(path_type=Path))
def compare_(old: Path, new: Path) -> None:
    """What is another in the newer of two packs; ends with 3 where something is."""
    with open_pack(old) as before, open_pack(new) as now:
        found = compared(before.listing, now.listing)
    for line in found.words() or ["They hold the same."]:
        click.echo(line)
    if not found.same:
        click.get_current_context().exit(UNSOUND)


@pack_.command("take")
@click.argument("path", type=click.Path(path_type=Path), metavar="PACK")
@click.option("--cabinet", "folder", type=click.Path(path_type=Path), envvar="ENGRAVER_CABINET",
              default=usual_folder, help="Its folder; the artist's own by default.")  # fmt: skip
def take_(path: Path, folder: Path) -> None:
    """Take a pack's pieces into the cabinet."""
    came = 0
    with open_pack(path) as found, Cabinet(folder) as cabinet:
        for _, made in pieces_of(found):
            if isinstance(made, str):
                click.echo(made, err=True)
            else:
                cabinet.keep(made)
                came += 1
    click.echo(f"{came} came.")
