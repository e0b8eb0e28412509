"""A grain: a length in source pixels, such as the size of a speck."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ..spec import FieldKind, checked_range, in_range, numeric
from .number import between, parse_number, show_number

GRAIN = FieldKind(
    "grain", parse=parse_number, show=show_number, allowed=between, check=checked_range, can_be=in_range,
    example=lambda spec: "16, 32, 64", row="number", form="as a number",
)  # fmt: skip


def grain(
    default: float, lo: float, hi: float, label: str, help: str, *, step: float = 0.5, unit: str = "px",
    when: Mapping[str, Any] | None = None, editor: str = "", soft: tuple[float, float] | None = None,
    **unknown: Never,
) -> Any:  # fmt: skip
    """A length in source pixels: the size of a speck, of noise, of a scan line."""
    return numeric(GRAIN, default, lo, hi, label, help, step, unit, when, editor, soft, unknown)
