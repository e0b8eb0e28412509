"""A share of a surface's width, typed in per cent, or in points of its density as pixels."""

from __future__ import annotations

from ..spec import FieldKind, FieldSpec, NumericField, checked_range, in_range
from .length import FORM, parse_share


def _bare(text: str, spec: FieldSpec) -> str:
    clean = text.strip()
    return f"{clean}%" if clean and clean[-1] not in "%x" else clean


SURFACE_SHARE = FieldKind(
    "surface-share", parse=lambda text, spec, facts: parse_share(text, facts.shorter),
    show=lambda value, spec, facts: f"{value * 100:.4g} %",
    allowed=lambda spec: f"{spec.lo:g} to {spec.hi:g} of the surface's width",
    check=checked_range, can_be=in_range, bare=_bare, name=lambda value, spec: f"{value * 100:g}",
    example=lambda spec: "5, 10, 20", row="number", form=FORM,
)  # fmt: skip

surface_share = NumericField(SURFACE_SHARE, step=0.005)
