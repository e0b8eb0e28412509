"""The fields that hold outlines as data and lists of shapes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ..params.spec import FieldKind, FieldSpec, declared, when_of
from .outline_data import MOST

OUTLINE = FieldKind(
    "outline", parse=lambda text, spec, facts: text.strip(),
    allowed=lambda spec: "path data of an SVG (`M`, `L`, `C`, `Z`) in a box from -0.5 to 0.5",
    default=lambda spec: "none", form="path data, or svg=FILE",
)  # fmt: skip


def outline_field(
    default: str, label: str, help: str, *, when: Mapping[str, Any] | None = None, **unknown: Never
) -> Any:
    """Outlines as path data."""
    spec = FieldSpec(OUTLINE, label, help, default, when=when_of(when), unknown=tuple(unknown))
    return declared(spec, max_length=MOST)
