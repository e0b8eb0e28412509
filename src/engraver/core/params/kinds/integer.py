"""A whole number."""

from __future__ import annotations

from ...raster import Facts
from ..spec import FieldKind, FieldSpec, NumericField, checked_range, in_range
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

integer = NumericField(INTEGER, step=1)
