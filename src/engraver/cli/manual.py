"""The man page and the shell completion, made from the commands themselves."""

from __future__ import annotations

from importlib.metadata import version
from typing import Literal

import click
from click.shell_completion import get_completion_class

from .main import main

Shell = Literal["bash", "zsh", "fish"]
SHELLS: tuple[Shell, ...] = ("bash", "zsh", "fish")


def _roff(text: str) -> str:
    """Text as roff takes it: no line is a request by accident."""
    plain = text.replace("\\", "\\e").replace("-", "\\-")
    return "\n".join("\\&" + line if line.startswith((".", "'")) else line for line in plain.splitlines())


def _options(command: click.Command, context: click.Context) -> list[str]:
    lines = []
    for one in command.get_params(context):
        record = one.get_help_record(context) if isinstance(one, click.Option) else None
        if record is not None:
            lines += [".TP", f"\\fB{_roff(record[0])}\\fR", _roff(record[1]) or "\\&"]
    return lines


def _section(command: click.Command, name: str, parent: click.Context) -> list[str]:
    context = click.Context(command, info_name=name, parent=parent)
    usage = " ".join(command.collect_usage_pieces(context))
    lines = [f".SS {_roff(name)}", f"\\fBengraver {_roff(name)}\\fR {_roff(usage)}", ".PP"]
    lines += [_roff((command.help or "").replace("\b\n", "")), *_options(command, context)]
    if isinstance(command, click.Group):
        for inner in command.list_commands(context):
            found = command.get_command(context, inner)
            if found is not None:
                lines += _section(found, f"{name} {inner}", parent)
    return lines


def manual() -> str:
    """The man page ``engraver(1)`` as roff."""
    context = click.Context(main, info_name="engraver")
    lines = [
        f'.TH ENGRAVER 1 "" "Engraver {version("engraver")}" "User Commands"', ".SH NAME",
        "engraver \\- height alphas and stamp masks from photos, scans, drawings and meshes", ".SH SYNOPSIS",
        "\\fBengraver\\fR COMMAND [ARGS]...", ".br", "\\fBengraver\\fR [FILES]...", ".SH DESCRIPTION",
        _roff(main.help or ""), ".SH COMMANDS",
    ]  # fmt: skip
    for name in main.list_commands(context):
        command = main.get_command(context, name)
        if command is not None:
            lines += _section(command, name, context)
    lines += [
        ".SH EXIT STATUS", "0 when all went well, 1 when something could not be done, 2 for a wrong command line,",
        "3 for what was checked and is not sound, 130 when a batch was stopped.", "",
    ]  # fmt: skip
    return "\n".join(lines)


def completion(shell: Shell) -> str:
    """The script that completes commands and options in a shell, as click writes it."""
    kind = get_completion_class(shell)
    assert kind is not None
    return kind(main, {}, "engraver", "_ENGRAVER_COMPLETE").source()


@click.command("completion")
@click.argument("shell", type=click.Choice(SHELLS))
def completion_(shell: Shell) -> None:
    """Print the script that completes commands in a shell: eval "$(engraver completion bash)"."""
    click.echo(completion(shell))
