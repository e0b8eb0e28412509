"""One thing that was checked: against what, how far off it was, and how far off it may be."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fact:
    """``error`` is a distance from the truth, never below 0; it is met when it is at most ``target``.

    ``thing`` was tried in some ``case``: on a picture, at a size.
    """

    thing: str
    case: str
    reference: str
    error: float
    target: float

    @property
    def met(self) -> bool:
        return bool(self.error <= self.target)  # a NaN is not met


def worst(facts: Iterable[Fact]) -> list[tuple[Fact, int]]:
    """Of each thing the case that comes nearest to missing its target, and how many cases there were."""
    found: dict[tuple[str, str], list[Fact]] = {}
    for fact in facts:
        found.setdefault((fact.thing, fact.reference), []).append(fact)
    return [(max(some, key=lambda f: (not f.met, f.error - f.target)), len(some)) for some in found.values()]


# Checks of one subject. The quick part, which the tests run, is a small one of the whole.
Check = Callable[[bool], Iterable[Fact]]
