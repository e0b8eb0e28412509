"""What a figure is."""

from __future__ import annotations

import statistics
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Figure:
    """One measured number.

    ``against`` says what it is compared with and ``ratio`` how (ours over theirs, or
    times as fast); ``met`` is None for a figure without a target.
    """

    name: str
    value: float
    unit: str
    against: str = ""
    ratio: float | None = None
    target: str = ""
    met: bool | None = None


def at_most(name: str, value: float, unit: str, limit: float, against: str = "") -> Figure:
    """A figure that should not exceed a limit."""
    return Figure(
        name, value, unit, against or "the limit", value / limit, f"at most {limit:g} {unit}", value <= limit
    )


def median(values: list[float]) -> float:
    return statistics.median(values)


def percentile(values: list[float], share: float) -> float:
    """The smallest value that at least ``share`` of the values do not exceed."""
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, max(0, round(share * len(ordered)) - 1))]


Bench = Callable[[], list[Figure]]
