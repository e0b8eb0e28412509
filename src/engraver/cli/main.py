"""The command ``engraver``."""

from __future__ import annotations

import sys

import click

from engraver.core.errors import EngraverError

from . import info, make, window
from .misuse import Misuse

FAILED, MISUSED = 1, 2


class _Group(click.Group):
    """Turns our own errors into one line on stderr and an exit code; nothing else is caught."""

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


for _command in (make.make, make.export, info.check, info.steps, info.destinations, window.open_, window.demo):
    main.add_command(_command)

if __name__ == "__main__":
    sys.exit(main())
