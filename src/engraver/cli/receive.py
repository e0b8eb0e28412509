"""``engraver receive`` and ``engraver habits``: what a program at the other end would make of files."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click

from engraver.core.errors import BadValue
from engraver.core.files.atomic import write_bytes
from engraver.core.files.read import read_bytes
from engraver.core.files.write import encode_picture
from engraver.standins.receiver import Habit, Received, ball_picture, habit, habit_from, habits, receive
from engraver.standins.receiver.post import ENDINGS, Letter, letters, meant

from .misuse import Misuse, as_misuse
from .tables import PlainTable

FAULTY = 3


def _habit(word: str) -> Habit:
    """One that ships by its id, or one of the artist's own from a file."""
    try:
        return habit_from(read_bytes(Path(word)), Path(word).name) if word.endswith(".json") else habit(word)
    except BadValue as error:
        raise as_misuse(error) from error


def _letters(place: Path) -> list[Letter]:
    found = list(letters(place))
    if not found:
        raise Misuse(f"There is nothing to receive in {place.name}", "", f"It takes {', '.join(ENDINGS)}")
    return found


def _json(found: Received, of: Habit) -> dict[str, Any]:
    return {
        "file": found.name, "habit": of.id, "faults": [{"id": f.id, "says": f.says} for f in found.faults],
        "notes": list(found.notes),
    }  # fmt: skip


@click.command("receive")
@click.argument("place", type=click.Path(path_type=Path), metavar="FILE|FOLDER|PACK")
@click.option("--habit", "wanted", metavar="ID|FILE.json",
              help="Of the program at the other end; in a pack each file has its own by default.")  # fmt: skip
@click.option("--sent", type=click.Path(path_type=Path), help="An .exr of the heights that were meant.")
@click.option("--json", "as_json", is_flag=True, help="For programs.")
@click.option("-o", "--output", type=click.Path(path_type=Path), help="A .png of what arrived, pressed on a ball.")
def receive_(place: Path, wanted: str | None, sent: Path | None, as_json: bool, output: Path | None) -> None:
    """Read finished files as a program at the other end does, and say what an artist would see.

    Ends with 3 where something is wrong.
    """
    brought = _letters(place)
    given = _habit(wanted) if wanted is not None else None
    if any(given is None and one.habit is None for one in brought):
        raise Misuse("Which program reads it?", "", "Add --habit ID; `engraver habits` lists them")
    if output is not None and (len(brought) != 1 or output.suffix.lower() != ".png"):
        raise Misuse("A picture is made of one file, as a .png", "", "Name one file, and end -o with .png")
    heights = meant(sent) if sent is not None else None
    found = []
    for one in brought:
        of = given or one.habit
        assert of is not None
        found.append((receive(one.data(), one.name, of, heights), of))
    if output is not None:
        first, of = found[0]
        if first.heights is None:
            raise Misuse(f"There is no picture of {brought[0].name}", first.faults[0].says, "")
        write_bytes(output, encode_picture(ball_picture(first.heights, of)))
    _told(found, as_json)


def _told(found: Sequence[tuple[Received, Habit]], as_json: bool) -> None:
    """What was seen; ends with 3 where something is wrong."""
    if as_json:
        click.echo(json.dumps([_json(one, of) for one, of in found], indent=1))
    else:
        for one, _ in found:
            click.echo(f"{one.name}: " + (" ".join(f.says for f in one.faults) or "arrives as it is meant."))
            for note in one.notes:
                click.echo(f"  {note}")
    if any(one.faults for one, _ in found):
        click.get_current_context().exit(FAULTY)


@click.command("habits")
@click.option("--json", "as_json", is_flag=True, help="For programs.")
def habits_(as_json: bool) -> None:
    """List the habits that the practice receiver knows."""
    if as_json:
        click.echo(json.dumps([h.model_dump(mode="json") for h in habits().values()], indent=1))
        return
    table = PlainTable("id", "what it does", "reads", "zero")
    for h in habits().values():
        zero = "mid-grey" if h.zero == "mid" else "white" if h.raises == "black" else "black"
        table.row(h.id, h.purpose, f"{', '.join(h.formats)}; {h.bits} bits", zero)
    table.print()
