"""Places (x, y) as shares of the width and height of the raster that enters the step."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ..spec import CurvePoints, FieldKind, FieldSpec, declared, when_of
from .by_hand import default_list, parse_json

POINTS = FieldKind(
    "points", parse=parse_json, allowed=lambda spec: "places `[[x, y], …]` as shares", default=default_list,
    form="points as [[0,0],[1,1]]",
)  # fmt: skip


def points(
    default: CurvePoints, label: str, help: str, *, when: Mapping[str, Any] | None = None, editor: str = "",
    **unknown: Never,
) -> Any:  # fmt: skip
    """Places (x, y) as shares of the width and height of the raster that enters the step."""
    return declared(FieldSpec(
        POINTS, label, help, default, when=when_of(when), editor=editor, unknown=tuple(unknown)
    ))  # fmt: skip
