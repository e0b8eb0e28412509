"""One thing that was checked: against what, how far off it was, and how far off it may be."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fact:
    """``error`` is a distance from the truth, never below 0; it is met when it is at most ``target``."""

    thing: str
    reference: str
    error: float
    target: float

    @property
    def met(self) -> bool:
        return bool(self.error <= self.target)  # a NaN is not met


# Checks of one subject. The quick part, which the tests run, is a small one of the whole.
Check = Callable[[bool], Iterable[Fact]]
