"""A colour (red, green, blue), each 0..1, encoded as stored."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ..spec import Colour, FieldKind, FieldSpec, declared, when_of
from .by_hand import default_list, parse_json

COLOUR = FieldKind(
    "colour", parse=parse_json, allowed=lambda spec: "`[red, green, blue]` in 0..1", default=default_list,
    form="a colour as [0.3,0.5,0.9]",
)  # fmt: skip


def colour(
    default: Colour, label: str, help: str, *, when: Mapping[str, Any] | None = None, editor: str = "",
    **unknown: Never,
) -> Any:  # fmt: skip
    """A colour (red, green, blue), each 0..1, encoded as stored."""
    return declared(FieldSpec(
        COLOUR, label, help, default, when=when_of(when), editor=editor, unknown=tuple(unknown)
    ))  # fmt: skip
