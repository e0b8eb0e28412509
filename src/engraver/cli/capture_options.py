"""The options of ``engraver make`` for meshes: how they are looked at, framed and measured."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import click

from engraver.core.engine import SourceStore
from engraver.core.errors import BadValue
from engraver.core.mesh.capture import Capture
from engraver.core.params import FieldSpec, parse_assignment, parse_value, specs, split_words
from engraver.core.recipe.edits import checked_reading
from engraver.core.recipe.models import Source

from .misuse import Misuse, as_misuse

_SPECS: Mapping[str, FieldSpec] = specs(Capture)


def _chosen(name: str) -> click.Choice[str]:
    return click.Choice([str(value) for value, _ in _SPECS[name].choices if value not in ("set", "picked")])


_OPTIONS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("--view", {"type": _chosen("view"), "help": "Mesh: from where it is looked at."}),
    ("--roll", {"type": float, "help": "Mesh: degrees about the eye, clockwise."}),
    ("--frame", {"type": _chosen("frame"), "help": "Mesh: the whole of it, or the largest square inside."}),
    ("--margin", {"help": "Mesh: free ground round the whole, such as 4%."}),
    ("--samples", {"type": _chosen("samples"), "help": "Mesh: heights taken in a pixel."}),
    ("--range", {"help": "Mesh: LO,HI in its units, auto (without spikes) or exact."}),
    ("--zero-at", {"type": _chosen("zero_at"), "help": "Mesh: the height that is zero."}),
    ("--roll-out", {"is_flag": True, "default": None, "help": "Mesh: unroll it round its axis."}),
    ("--capture", {"help": "Mesh: any other setting of its capture: 'key=value ...'."}),
)


def mesh_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Adds the options to a command; it gets them as ``**view``."""
    for name, more in reversed(_OPTIONS):
        command = click.option(name, **more)(command)
    return command


def _ranged(text: str) -> dict[str, Any]:
    if text in ("auto", "exact"):
        return {"depth": text}
    try:
        lo, hi = (float(part) for part in text.split(","))
    except ValueError:
        raise Misuse(f"--range cannot be {text!r}", "", "Give LO,HI such as 0,12.5, or auto, or exact") from None
    if hi <= lo:
        raise Misuse(f"--range cannot be {text!r}", "its first number is not the lower one", "Give LO,HI")
    return {"depth": "set", "lo": lo, "hi": hi}


def given(view: Mapping[str, Any]) -> dict[str, Any]:
    """The options that were given."""
    return {name: value for name, value in view.items() if value is not None}


def typed_capture(
    source: Source, sources: SourceStore, view: Mapping[str, Any], side: int | None, read_as: str | None = None
) -> Capture:
    """The capture of a mesh as the options say; what they leave open is as in the window at first, for a mesh that is
    read as this, or as what it is found to be.

    Raises
    ------
    Misuse
        A value that cannot be, told with its setting.
    """
    wanted = given(view)
    reading = sources.first(source, "rolled" if wanted.get("roll_out") else read_as).reading
    assert isinstance(reading, Capture)
    changes: dict[str, Any] = {} if side is None else {"side": side}
    try:
        for name, value in wanted.items():
            if name == "range":
                changes |= _ranged(value)
            elif name == "margin":
                changes["margin"] = parse_value(value, _SPECS["margin"], reading.facts())
            elif name == "capture":
                changes |= _assigned(value, reading)
            elif name != "roll_out":
                changes[name] = value
        if "margin" in changes:
            changes.setdefault("frame", "whole")
        return checked_reading(reading, **changes)  # type: ignore[return-value]
    except BadValue as error:
        raise as_misuse(error) from error


def _assigned(text: str, reading: Capture) -> dict[str, Any]:
    changes = {}
    for word in split_words(text):
        key, value = parse_assignment(word)
        key = key.replace("-", "_")
        if key not in _SPECS:
            raise BadValue(f"A capture has no setting {key!r}", "", f"It has: {', '.join(_SPECS)}")
        changes[key] = parse_value(value, _SPECS[key], reading.facts())
    return changes
