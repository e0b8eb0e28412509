"""A whole number."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ...raster import Facts
from ..spec import FieldKind, FieldSpec, checked_range, in_range, numeric
from .number import between, parse_number


def _parse(text: str, spec: FieldSpec, facts: Facts) -> int:
    value = parse_number(text, spec, facts)
    if value != int(value):
        raise ValueError("it is a whole number")
    return int(value)


INTEGER = FieldKind(
    "integer", parse=_parse, show=lambda value, spec, facts: f"{value} {spec.unit}".strip(), allowed=between,
    check=checked_range, can_be=lambda value, spec: in_range(value, spec) and value == int(value),
    example=lambda spec: "16, 32, 64", row="number", whole=True, form="as a number",
)  # fmt: skip


def integer(
    default: int, lo: int, hi: int, label: str, help: str, *, step: float = 1, unit: str = "",
    when: Mapping[str, Any] | None = None, editor: str = "", soft: tuple[float, float] | None = None,
    **unknown: Never,
) -> Any:  # fmt: skip
    """A whole number."""
    return numeric(INTEGER, default, lo, hi, label, help, step, unit, when, editor, soft, unknown)
