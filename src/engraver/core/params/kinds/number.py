"""A plain number with an optional unit."""

from __future__ import annotations

from ...raster import Facts
from ..arithmetic import number_in
from ..spec import FieldKind, FieldSpec, NumericField, checked_range, in_range


def parse_number(text: str, spec: FieldSpec, facts: Facts) -> float:
    """A number; in per cent it is a share, unless the field itself is told in per cent."""
    value, unit = number_in(text)
    return value / 100 if unit == "%" else value


def show_number(value: float, spec: FieldSpec, facts: Facts) -> str:
    """A number with its unit."""
    return f"{value:.4g} {spec.unit}".replace(" °", "°").strip()


def between(spec: FieldSpec) -> str:
    """A range with its unit, in Markdown."""
    return f"{spec.lo:g} to {spec.hi:g}{' ' + spec.unit if spec.unit else ''}"


def _bare(text: str, spec: FieldSpec) -> str:
    return text.strip().removesuffix("%") if spec.unit == "%" else text


NUMBER = FieldKind(
    "number", parse=parse_number, show=show_number, allowed=between, check=checked_range, can_be=in_range, bare=_bare,
    example=lambda spec: "16, 32, 64", row="number", form="as a number",
)  # fmt: skip

number = NumericField(NUMBER)
