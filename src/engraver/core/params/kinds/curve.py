"""A curve through points with rising x, which never overshoots."""

from __future__ import annotations

from ..spec import FieldKind, PlainField
from .by_hand import default_list, parse_json

CURVE = FieldKind(
    "curve", parse=parse_json, allowed=lambda spec: "points `[[x, y], …]` in 0..1, x rising", default=default_list,
    form="points as [[0,0],[1,1]]",
)  # fmt: skip

curve = PlainField(CURVE, editor="curve")
