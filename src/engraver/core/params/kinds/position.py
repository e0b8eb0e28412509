"""A place along one axis, 0 at the left or top border, 1 at the other."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, Never

from ..spec import numeric
from .length import share_of

POSITION_X = share_of("position-x", "width", lambda facts: float(facts.width))
POSITION_Y = share_of("position-y", "height", lambda facts: float(facts.height))


def position(
    axis: Literal["x", "y"], default: float, label: str, help: str, *, step: float = 0.001,
    when: Mapping[str, Any] | None = None, editor: str = "", **unknown: Never,
) -> Any:  # fmt: skip
    """A place along one axis, 0 at the left or top border, 1 at the other."""
    kind = POSITION_X if axis == "x" else POSITION_Y
    return numeric(kind, default, 0.0, 1.0, label, help, step, "", when, editor, None, unknown)
