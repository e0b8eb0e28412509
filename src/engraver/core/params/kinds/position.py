"""A place along one axis, 0 at the left or top border, 1 at the other."""

from __future__ import annotations

from typing import Any, Literal

from ..spec import NumericField
from .length import share_of

POSITION_X = share_of("position-x", "width", lambda facts: float(facts.width))
POSITION_Y = share_of("position-y", "height", lambda facts: float(facts.height))
_FIELDS = {"x": NumericField(POSITION_X, step=0.001), "y": NumericField(POSITION_Y, step=0.001)}


def position(
    axis: Literal["x", "y"], default: float, label: str, help: str, *, lo: float = 0.0, hi: float = 1.0, **more: Any
) -> Any:
    """A place along one axis, 0 at the left or top border, 1 at the other; ``more`` as for a numeric field."""
    return _FIELDS[axis](default, lo, hi, label, help, **more)
