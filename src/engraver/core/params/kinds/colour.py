"""A colour (red, green, blue), each 0..1, encoded as stored."""

from __future__ import annotations

from ..spec import FieldKind, PlainField
from .by_hand import default_list, parse_json

COLOUR = FieldKind(
    "colour", parse=parse_json, allowed=lambda spec: "`[red, green, blue]` in 0..1", default=default_list,
    form="a colour as [0.3,0.5,0.9]",
)  # fmt: skip

colour = PlainField(COLOUR)
