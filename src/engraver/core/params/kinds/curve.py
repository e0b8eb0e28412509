"""A curve through points with rising x, which never overshoots."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ..spec import CurvePoints, FieldKind, FieldSpec, declared, when_of
from .by_hand import default_list, parse_json

CURVE = FieldKind(
    "curve", parse=parse_json, allowed=lambda spec: "points `[[x, y], …]` in 0..1, x rising", default=default_list,
    form="points as [[0,0],[1,1]]",
)  # fmt: skip


def curve(
    default: CurvePoints, label: str, help: str, *, when: Mapping[str, Any] | None = None, editor: str = "curve",
    **unknown: Never,
) -> Any:  # fmt: skip
    """Points (x, y) with rising x in 0..1, joined by a curve that never overshoots."""
    return declared(FieldSpec(
        CURVE, label, help, default, when=when_of(when), editor=editor, unknown=tuple(unknown)
    ))  # fmt: skip
