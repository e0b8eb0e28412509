"""A share, shown in per cent."""

from __future__ import annotations

from ..spec import FieldKind, FieldSpec, NumericField, checked_range, in_range
from .number import between, parse_number


def _bare(text: str, spec: FieldSpec) -> str:
    clean = text.strip()
    return f"{clean}%" if clean and clean[-1] not in "%x" else clean


FRACTION = FieldKind(
    "fraction", parse=parse_number, show=lambda value, spec, facts: f"{value * 100:.4g} %", allowed=between,
    check=checked_range, can_be=in_range, bare=_bare, name=lambda value, spec: f"{value * 100:g}",
    example=lambda spec: "0, 25, 50, 75", row="number", form="as a number",
)  # fmt: skip

fraction = NumericField(FRACTION)
