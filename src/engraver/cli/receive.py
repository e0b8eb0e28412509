"""``engraver receive`` and ``engraver habits``: what a program at the other end would make of files."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import click
import numpy as np
from rich.console import Console
from rich.markup import escape
from rich.table import Table

from engraver.core.errors import BadValue, FileTrouble
from engraver.core.files import exr
from engraver.core.files.atomic import write_bytes
from engraver.core.files.read import read_bytes
from engraver.core.files.write import encode_picture
from engraver.core.numeric.framing import rim
from engraver.core.pack import open_pack
from engraver.core.pack.plan import LIST
from engraver.core.raster import Pixels
from engraver.standins.receiver import Habit, Received, ball_picture, habit, habit_for, habit_from, habits, receive

from .misuse import Misuse, as_misuse

FAULTY = 3
_ENDINGS = (".png", ".tif", ".tiff", ".jpg", ".jpeg", ".exr", ".raw", ".r16")


def _habit(word: str) -> Habit:
    """One that ships by its id, or one of the artist's own from a file."""
    try:
        return habit_from(read_bytes(Path(word)), Path(word).name) if word.endswith(".json") else habit(word)
    except BadValue as error:
        raise as_misuse(error) from error


def _files(place: Path) -> list[Path]:
    if not place.is_dir():
        return [place]
    try:
        found = sorted(p for p in place.rglob("*") if p.is_file() and p.suffix.lower() in _ENDINGS)
    except OSError as error:
        raise FileTrouble(f"{place} cannot be read", str(error.strerror or ""), "") from error
    if not found:
        raise Misuse(f"There is nothing to receive in {place.name}", "", f"It takes {', '.join(_ENDINGS)}")
    return found


def _sent(path: Path | None) -> Pixels | None:
    if path is None:
        return None
    decoded = exr.decode(read_bytes(path), path.name, 0)
    values = decoded.values if decoded.values.ndim == 2 else decoded.values[..., 0]
    heights: Pixels = np.nan_to_num(np.asarray(values, np.float32))
    if heights.min() >= 0 and abs(float(np.median(rim(heights))) - 0.5) < 0.02:  # tones whose mid-grey is zero
        heights = 2 * heights - 1
    return heights


def _in_pack(place: Path) -> Iterator[tuple[str, str, bytes]]:
    """Every picture of a pack: its path, the destination it is for, and its bytes. Raises BadPack."""
    with open_pack(place) as found:
        for piece in found.listing.pieces:
            for file in piece.files:
                if file.path.lower().endswith(_ENDINGS):
                    yield file.path, file.destination, found.read(file.path)


def _is_pack(place: Path) -> bool:
    return place.suffix.lower() == ".zip" or (place / LIST).is_file()


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
    if _is_pack(place):
        if sent is not None or output is not None:
            raise Misuse("--sent and -o are for one file", "", "Leave them out for a pack")
        given = _habit(wanted) if wanted is not None else None
        uses = [(path, given or habit_for(to), data) for path, to, data in _in_pack(place)]
        _told([(receive(data, path, of), of) for path, of, data in uses], as_json)
        return
    if wanted is None:
        raise Misuse("Which program reads it?", "", "Add --habit ID; `engraver habits` lists them")
    of, meant, files = _habit(wanted), _sent(sent), _files(place)
    if output is not None and (len(files) != 1 or output.suffix.lower() != ".png"):
        raise Misuse("A picture is made of one file, as a .png", "", "Name one file, and end -o with .png")
    found = [receive(read_bytes(path), path.name, of, meant) for path in files]
    if output is not None:
        high = found[0].heights
        if high is None:
            raise Misuse(f"There is no picture of {files[0].name}", found[0].faults[0].says, "")
        write_bytes(output, encode_picture(ball_picture(high, of)))
    _told([(one, of) for one in found], as_json)


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
    table = Table(box=None, pad_edge=False)
    for heading in ("id", "what it does", "reads", "zero"):
        table.add_column(heading)
    for h in habits().values():
        zero = "mid-grey" if h.zero == "mid" else "white" if h.raises == "black" else "black"
        table.add_row(h.id, escape(h.purpose), f"{', '.join(h.formats)}; {h.bits} bits", zero)
    Console().print(table)
