"""A grain: a length in source pixels, such as the size of a speck."""

from __future__ import annotations

from ..spec import FieldKind, NumericField, checked_range, in_range
from .number import between, parse_number, show_number

GRAIN = FieldKind(
    "grain", parse=parse_number, show=show_number, allowed=between, check=checked_range, can_be=in_range,
    example=lambda spec: "16, 32, 64", row="number", form="as a number",
)  # fmt: skip

grain = NumericField(GRAIN, step=0.5, unit="px")
