"""``engraver keep``, ``find`` and ``cabinet``: what is kept across projects."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import click
import platformdirs

from engraver.core.cabinet import Cabinet, CabinetTrouble, Entry, Query
from engraver.core.cabinet.moving import export, join
from engraver.core.cabinet.take_in import take_in
from engraver.core.cabinet.to_keep import WRONG, ToKeep, of_file, of_plate
from engraver.core.cabinet.upkeep import check, mend
from engraver.core.engine import Engine, SourceStore
from engraver.core.files.read import read_bytes
from engraver.core.recipe import Brush

from .plate_word import in_project
from .tables import PlainTable

UNSOUND = 3


def usual_folder() -> Path:
    """Where the artist's cabinet lies."""
    return Path(platformdirs.user_data_dir("engraver")) / "cabinet"


_WHERE = click.option(
    "--cabinet", "folder", type=click.Path(path_type=Path), envvar="ENGRAVER_CABINET", default=usual_folder,
    help="Its folder; the artist's own by default.",
)  # fmt: skip
_JSON = click.option("--json", "as_json", is_flag=True, help="For programs.")


def _to_keep(word: str, tags: tuple[str, ...]) -> ToKeep:
    """A finished file, or ``PROJECT:NAME`` of a plate or a brush."""
    sources = SourceStore()
    found = in_project(word, sources, brushes=True)
    if found is None:
        return of_file(read_bytes(Path(word)), Path(word).name, tags)
    project, one = found
    brush = one if isinstance(one, Brush) else None
    plate = brush.plate.id if brush is not None else one.id
    return of_plate(project, plate, Engine(sources), brush=brush, tags=tags)


def _row(entry: Entry, away: float | None = None) -> dict[str, Any]:
    found = entry.model_dump(mode="json", exclude={"more"})
    return found if away is None else {**found, "distance": round(away, 4)}


def _shown(rows: list[dict[str, Any]], as_json: bool) -> None:
    if as_json:
        click.echo(json.dumps(rows, indent=1, ensure_ascii=False))
        return
    table = PlainTable("id", "name", "size", "zero", "tags", "")
    for row in rows:
        wrong = "; ".join(WRONG.get(w, w) for w in row["wrong"])
        table.row(
            row["id"], row["name"], f"{row['width']} × {row['height']}", row["zero"],
            ", ".join(row["tags"]), wrong,
        )  # fmt: skip
    table.print()


@click.command()
@click.argument("things", nargs=-1, required=True, metavar="FILE|PROJECT:NAME...")
@click.option("--tag", "tags", multiple=True, help="A word to find it by; may be given more than once.")
@click.option("--scope", type=click.Choice(["project", "always"]), default="always", show_default=True,
              help="How long it is kept.")  # fmt: skip
@_WHERE
@_JSON
def keep(things: tuple[str, ...], tags: tuple[str, ...], scope: str, folder: Path, as_json: bool) -> None:
    """Keep finished files, plates or brushes in the cabinet; keeping again refreshes the same entry."""
    kept = []
    with Cabinet(folder) as cabinet:
        for word in things:
            made = _to_keep(word, tags)
            kept.append(cabinet.keep(replace(made, entry=made.entry.model_copy(update={"scope": scope}))))
    _shown([_row(e) for e in kept], as_json)


@click.command()
@click.argument("words", nargs=-1)
@click.option("--near", type=click.Path(path_type=Path), help="A picture: what looks most like it comes first.")
@click.option("--tag", default="", help="Only what has this tag.")
@click.option("--for", "destination", help="Only what is for this destination.")
@click.option("--wrong/--sound", "wrong", default=None, help="Only what has something wrong, or nothing.")
@click.option("--most", type=click.IntRange(1), default=24, show_default=True, help="How many at most.")
@_WHERE
@_JSON
def find(
    words: tuple[str, ...], near: Path | None, tag: str, destination: str | None, wrong: bool | None, most: int,
    folder: Path, as_json: bool,
) -> None:  # fmt: skip
    """Find what is kept, by words in names, tags and notes, or by what it looks like."""
    query = Query(words=" ".join(words), tag=tag, destination=destination, wrong=wrong, most=most)
    with Cabinet(folder) as cabinet:
        if near is None:
            _shown([_row(e) for e in cabinet.find(query)], as_json)
            return
        made = of_file(read_bytes(near), near.name)
        asked = query.model_copy(update={"most": max(1, cabinet.count())})
        _shown([_row(e, d) for e, d in cabinet.near(made.likeness, most, asked)], as_json)


@click.group("cabinet")
def cabinet_() -> None:
    """The cabinet as a whole: take in, list, check, join, export."""


@cabinet_.command("take-in")
@click.argument("place", type=click.Path(path_type=Path), metavar="FOLDER")
@click.option("--tag", "tags", multiple=True, help="A word to find them by.")
@_WHERE
@_JSON
def take_in_(place: Path, tags: tuple[str, ...], folder: Path, as_json: bool) -> None:
    """Take in a folder of finished files, measured; the files themselves are never touched."""
    with Cabinet(folder) as cabinet:
        found = take_in(cabinet, place, tags=tags)
    if as_json:
        click.echo(json.dumps({
            "kept": [_row(e) for e in found.kept], "there": found.there, "not_taken": found.not_taken,
        }, indent=1, ensure_ascii=False))  # fmt: skip
        return
    click.echo(f"{len(found.kept)} kept, {len(found.there)} were there, {len(found.not_taken)} could not be read.")
    for wrong, words in WRONG.items():
        names = [e.name for e in found.kept if wrong in e.wrong]
        if names:
            click.echo(f"{words}: {', '.join(names[:8])}{' and more' if len(names) > 8 else ''}")
    for path, words in found.not_taken.items():
        click.echo(f"{path}: {words}", err=True)


@cabinet_.command("list")
@_WHERE
@_JSON
def list_(folder: Path, as_json: bool) -> None:
    """List all that is kept, the newest first."""
    with Cabinet(folder) as cabinet:
        _shown([_row(e) for e in cabinet.find()], as_json)


@cabinet_.command("doubles")
@_WHERE
@_JSON
def doubles_(folder: Path, as_json: bool) -> None:
    """List what looks the same as something else, in groups, however turned, mirrored, re-toned or reduced."""
    with Cabinet(folder) as cabinet:
        groups = [[cabinet.entry(id) for id in ids] for ids in cabinet.doubles()]
    if as_json:
        click.echo(json.dumps([[_row(e) for e in group] for group in groups], indent=1, ensure_ascii=False))
        return
    for group in groups:
        click.echo(" = ".join(f"{e.name} ({e.id})" for e in group))
    click.echo(f"{len(groups)} groups of doubles.")


@cabinet_.command("check")
@click.option("--mend", "mended", is_flag=True, help="Save the sound part of a damaged cabinet first.")
@_WHERE
def check_(mended: bool, folder: Path) -> None:
    """Look it over; ends with 3 where something is wrong."""
    if mended:
        saved, aside = mend(folder)
        click.echo(f"{saved} entries saved; the damaged file is {aside.name}.")
    with Cabinet(folder) as cabinet:
        found = check(cabinet)
    for words in found.told:
        click.echo(words)
    click.echo(f"{found.entries} entries, {found.pictures} pictures; {found.removed} pictures of nothing removed.")
    if not found.sound:
        click.get_current_context().exit(UNSOUND)


@cabinet_.command("join")
@click.argument("other", type=click.Path(path_type=Path), metavar="FILE|FOLDER")
@_WHERE
def join_(other: Path, folder: Path) -> None:
    """Take in another cabinet, or a file that `export` wrote, without doubles."""
    if not other.exists():
        raise CabinetTrouble(f"There is no {other}")
    with Cabinet(folder) as cabinet:
        came, there = join(cabinet, other)
    click.echo(f"{came} came, {there} were there.")


@cabinet_.command("export")
@click.argument("out", type=click.Path(path_type=Path), metavar="OUT.cabinet")
@click.option("--tag", default="", help="Only what has this tag.")
@_WHERE
def export_(out: Path, tag: str, folder: Path) -> None:
    """Write the cabinet, or what has a tag, to one file."""
    with Cabinet(folder) as cabinet:
        click.echo(f"{export(cabinet, out, Query(tag=tag))} entries written to {out.name}.")
