"""The type of ``--for``: a destination that ships, or one of the user's own."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click
import platformdirs

from engraver.core.readiness import Destination, destination
from engraver.core.readiness.destinations import known, load_folder

from .misuse import Misuse


def own_folder() -> Path:
    """Where the user's own destinations lie."""
    return Path(platformdirs.user_config_dir("engraver")) / "destinations"


def offered() -> dict[str, Destination]:
    """All destinations by id; files that are none are told on stderr and passed over."""
    for trouble in load_folder(own_folder())[1]:
        click.echo(f"engraver: {trouble.sentence()}", err=True)
    return dict(known(own_folder()))


class DestinationType(click.ParamType[Destination]):
    """Turns an id into a destination."""

    name = "destination"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Destination:
        if isinstance(value, Destination):
            return value
        among = offered()
        if value not in among:
            raise Misuse(f"There is no destination called {value!r}", "", f"There are: {', '.join(among)}")
        return destination(value, among)


FOR = DestinationType()
