"""The command ``engraver``."""

from __future__ import annotations

import os
import platform
import sys
from difflib import get_close_matches
from importlib import import_module
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

import click

from engraver.core.compiled import use_kernel_cache
from engraver.core.errors import EngraverError
from engraver.core.process import prepare

from .misuse import Misuse

FAILED, MISUSED = 1, 2
# Of a name that is told in an error, so many letters at most.
_MOST_OF_A_NAME = 60


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
    "completion": ("manual", "completion_"),
    "install-desktop": ("install", "install_desktop"),
}


# What is meant where no command is named.
_OPEN = "open"
# With these a batch needs no processes here.
_NOT_HERE = ("-h", "--help", "--scheduler")


def _is_file(word: str) -> bool:
    """Whether a word that is no command means a file: a slip of the hand has neither an ending nor a folder."""
    return not word.startswith("-") and (Path(word).suffix != "" or os.sep in word or os.path.lexists(word))


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

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        return super().parse_args(ctx, args if args or ctx.resilient_parsing else [_OPEN])

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args[0] not in _COMMANDS and _is_file(args[0]):
            args = [_OPEN, *args]
        elif args[0] not in _COMMANDS and not args[0].startswith("-"):
            near = get_close_matches(args[0], _COMMANDS, 1)
            ctx.fail(f"No such command '{args[0]}'." + (f" Did you mean {near[0]}?" if near else ""))
        if args[0] == "batch" and not any(word.startswith(_NOT_HERE) for word in args):
            # They load the program on another core, while this one does.
            import_module("engraver.cli.fork_server").fork_server()
        return super().resolve_command(ctx, args)

    def invoke(self, ctx: click.Context) -> object:
        prepare()
        use_kernel_cache()
        try:
            return super().invoke(ctx)
        except EngraverError as error:
            click.echo(f"engraver: {error.sentence()}", err=True)
            ctx.exit(MISUSED if isinstance(error, Misuse) else FAILED)
        except BrokenPipeError:  # what reads our words has had enough
            sys.stdout = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115  (it lasts until the end)
            ctx.exit(FAILED)
        except OSError as error:  # a name that is too long, a device that is gone: told like anything else
            named = Path(str(error.filename)).name if error.filename else "A file"
            shown = named if len(named) <= _MOST_OF_A_NAME else f"{named[:_MOST_OF_A_NAME]}…"
            why = (error.strerror or "the system refused").lower()
            click.echo(f"engraver: {shown} cannot be used: {why}. Choose another place or name.", err=True)
            ctx.exit(FAILED)


# What it stands on, by the names of the packages.
_STANDS_ON = (
    "PySide6-Essentials", "numpy", "scipy", "opencv-python-headless", "numba", "pydantic", "pillow", "tifffile",
    "imagecodecs", "OpenEXR", "trimesh", "manifold3d", "DracoPy",
)  # fmt: skip


def _told_version(context: click.Context, option: click.Parameter, wanted: bool) -> None:
    if not wanted or context.resilient_parsing:
        return
    click.echo(f"engraver {version('engraver')}")
    click.echo(f"Python {platform.python_version()}, {platform.platform(terse=True)}")
    for name in _STANDS_ON:
        try:
            click.echo(f"{name} {version(name)}")
        except PackageNotFoundError:
            click.echo(f"{name} is missing")
    context.exit()


@click.group(cls=_Group, subcommand_metavar="COMMAND [ARGS]... | [FILES]...",
             context_settings={"help_option_names": ["-h", "--help"]})  # fmt: skip
@click.option("--version", is_flag=True, is_eager=True, expose_value=False, callback=_told_version,
              help="Show the version, and what it stands on.")  # fmt: skip
def main() -> None:
    """Height alphas and stamp masks from photos, scans and drawings.

    Without a command the window opens, with the FILES that are named.
    """


if __name__ == "__main__":
    sys.exit(main())
