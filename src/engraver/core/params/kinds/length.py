"""A length: a fraction of the shorter side of the raster that enters the step."""

from __future__ import annotations

from collections.abc import Callable

from ...raster import Facts
from ..arithmetic import number_in
from ..spec import FieldKind, FieldSpec, NumericField, checked_range, in_range

FORM = "as a fraction, in % or in px"


def parse_share(text: str, side: float) -> float:
    """A share typed as a fraction, in per cent, or in pixels of a side. Raises ValueError."""
    value, unit = number_in(text)
    return value / 100 if unit == "%" else value / side if unit == "px" else value


def pixels(value: float, side: float) -> str:
    """A share of a side in its pixels, as they are read."""
    found = value * side
    return f"{found:.0f} px" if found >= 20 or found == round(found) else f"{found:.1f} px"


def in_pixels(text: str, spec: FieldSpec) -> str:
    """A bare number is in pixels."""
    clean = text.strip()
    return f"{clean}px" if clean and clean[-1] not in "%x" else clean


def share_of(id: str, words: str, side: Callable[[Facts], float]) -> FieldKind:
    """A kind that is a share of one side of what enters the step."""
    return FieldKind(
        id, parse=lambda text, spec, facts: parse_share(text, side(facts)),
        show=lambda value, spec, facts: pixels(value, side(facts)),
        allowed=lambda spec: f"{spec.lo:g} to {spec.hi:g} of the {words}",
        check=checked_range, can_be=in_range, bare=in_pixels, name=lambda value, spec: f"{value * 100:g}",
        example=lambda spec: "16, 32, 64", row="number", form=FORM,
    )  # fmt: skip


LENGTH = share_of("length", "shorter side", lambda facts: float(facts.shorter))

length = NumericField(LENGTH, step=0.001)
