"""``engraver icon``: a small picture of a stamp, as a brush's button shows it."""

from __future__ import annotations

import re
from pathlib import Path

import click

from engraver.core.engine import Engine, SourceStore
from engraver.core.errors import BadValue
from engraver.core.files.atomic import write_bytes
from engraver.core.files.write import encode_picture
from engraver.core.proof.icon import KINDS, LETTERS, Kind, Place, icon
from engraver.core.surfaces.view import Colour

from .misuse import Misuse, as_misuse
from .press import tip_of_word


def _colour(word: str) -> Colour | None:
    if not word:
        return None
    found = re.fullmatch(r"#?([0-9a-fA-F]{2})([0-9a-fA-F]{2})([0-9a-fA-F]{2})", word)
    if found is None:
        raise Misuse(f"{word!r} is no colour", "", "Write it as #b04e26")
    red, green, blue = (int(part, 16) for part in found.groups())
    return red, green, blue


@click.command("icon")
@click.argument("plate", metavar="FILE|PROJECT:NAME")
@click.option(
    "--as", "kind", type=click.Choice(list(KINDS)), default="ball", show_default=True, help="What is shown."
)
@click.option("--side", type=click.IntRange(16, 2048), default=256, show_default=True, help="Pixels along each side.")
@click.option("--words", default="", help="Short lettering over it.")
@click.option("--place", type=click.Choice(["top", "middle", "bottom"]), default="bottom", show_default=True,
              help="Where the lettering stands.")  # fmt: skip
@click.option("--letters", type=click.Choice(list(LETTERS)), default="medium", show_default=True,
              help="How large the lettering is.")  # fmt: skip
@click.option("--colour", default="", help="In place of plaster: #b04e26.")
@click.option("--ground", type=click.Choice(["clear", "plain"]), default="clear", show_default=True,
              help="What lies behind.")  # fmt: skip
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="A .png.")
def icon_(
    plate: str,
    kind: Kind,
    side: int,
    words: str,
    place: Place,
    letters: str,
    colour: str,
    ground: str,
    output: Path,
) -> None:
    """Make the icon of a finished stamp, or of a plate of a project."""
    if output.suffix.lower() != ".png":
        raise Misuse(f"{output.name} is of no kind that can be written", "", "End it with .png")
    tint, sources = _colour(colour), SourceStore()
    tip = tip_of_word(plate, sources, Engine(sources))
    try:
        made = icon(tip.tall, kind=kind, side=side, colour=tint, words=words, place=place, clear=ground == "clear",
                    letters=LETTERS[letters])  # fmt: skip
    except BadValue as error:
        raise as_misuse(error) from error
    write_bytes(output, encode_picture(made))
