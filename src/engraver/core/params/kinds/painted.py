"""Strokes painted on the plate, kept in source shares; none at first."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ..spec import FieldKind, FieldSpec, declared, when_of
from ..strokes import MAX_STROKES, Strokes
from .by_hand import parse_json


def _tips(value: Strokes) -> tuple[tuple[str, str], ...]:
    """The plates whose finished heights are laid along strokes."""
    return tuple(("plate", id) for id in dict.fromkeys(s.tip_plate for s in value if s.tip_plate))


STROKES = FieldKind(
    "strokes", parse=parse_json,
    allowed=lambda spec: 'painted on the plate, or `[{"tag":…, "radius":…, "places":[[x, y], …]}]`',
    default=lambda spec: "none", references=_tips,
    form='strokes as [{"tag":"keep","radius":0.05,"places":[[0.5,0.5]]}]',
)  # fmt: skip


def strokes(label: str, help: str, *, when: Mapping[str, Any] | None = None, **unknown: Never) -> Any:
    """Strokes painted on the plate, kept in source shares; none at first."""
    spec = FieldSpec(STROKES, label, help, (), when=when_of(when), unknown=tuple(unknown))
    return declared(spec, max_length=MAX_STROKES)
