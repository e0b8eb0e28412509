"""Places (x, y) as shares of the width and height of the raster that enters the step."""

from __future__ import annotations

from ..spec import FieldKind, PlainField
from .by_hand import default_list, parse_json

POINTS = FieldKind(
    "points", parse=parse_json, allowed=lambda spec: "places `[[x, y], …]` as shares", default=default_list,
    form="points as [[0,0],[1,1]]",
)  # fmt: skip

points = PlainField(POINTS)
