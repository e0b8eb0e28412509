"""A share, shown in per cent."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ..spec import FieldKind, FieldSpec, checked_range, in_range, numeric
from .number import between, parse_number


def _bare(text: str, spec: FieldSpec) -> str:
    clean = text.strip()
    return f"{clean}%" if clean and clean[-1] not in "%x" else clean


FRACTION = FieldKind(
    "fraction", parse=parse_number, show=lambda value, spec, facts: f"{value * 100:.4g} %", allowed=between,
    check=checked_range, can_be=in_range, bare=_bare, name=lambda value, spec: f"{value * 100:g}",
    example=lambda spec: "0, 25, 50, 75", row="number", form="as a number",
)  # fmt: skip


def fraction(
    default: float, lo: float, hi: float, label: str, help: str, *, step: float = 0.01, unit: str = "",
    when: Mapping[str, Any] | None = None, editor: str = "", soft: tuple[float, float] | None = None,
    **unknown: Never,
) -> Any:  # fmt: skip
    """A share, shown in per cent."""
    return numeric(FRACTION, default, lo, hi, label, help, step, unit, when, editor, soft, unknown)
