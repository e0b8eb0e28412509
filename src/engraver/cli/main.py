"""The command ``engraver``."""

from __future__ import annotations

import sys
from importlib import import_module

import click

from engraver.core.errors import EngraverError

from .misuse import Misuse

FAILED, MISUSED = 1, 2


# Each command's module loads only when it is called: the window must not wait for the tables of the others.
_COMMANDS = {
    "make": ("make", "make"),
    "batch": ("batch", "batch"),
    "export": ("make", "export"),
    "press": ("press", "press"),
    "cord": ("cord", "cord"),
    "keep": ("cabinet", "keep"),
    "find": ("cabinet", "find"),
    "cabinet": ("cabinet", "cabinet_"),
    "pack": ("pack", "pack_"),
    "icon": ("icon", "icon_"),
    "receive": ("receive", "receive_"),
    "habits": ("receive", "habits_"),
    "check": ("info", "check"),
    "steps": ("info", "steps"),
    "starters": ("info", "starters"),
    "destinations": ("info", "destinations"),
    "open": ("window", "open_"),
    "demo": ("window", "demo"),
}


class _Group(click.Group):
    """Turns our own errors into one line on stderr and an exit code; nothing else is caught."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        module, name = _COMMANDS[cmd_name]
        command: click.Command = getattr(import_module(f"engraver.cli.{module}"), name)
        return command

    def invoke(self, ctx: click.Context) -> object:
        try:
            return super().invoke(ctx)
        except EngraverError as error:
            click.echo(f"engraver: {error.sentence()}", err=True)
            ctx.exit(MISUSED if isinstance(error, Misuse) else FAILED)


@click.group(cls=_Group, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="engraver")
def main() -> None:
    """Height alphas and stamp masks from photos, scans and drawings."""


if __name__ == "__main__":
    sys.exit(main())
