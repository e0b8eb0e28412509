"""What a plate begins with that is made of nothing but one step."""

from __future__ import annotations

from ..recipe import Step
from ..sources import First
from ..sources.blank import Blank
from ..steps import kind_of


def from_nothing(kind: str) -> First:
    """A blank and one step, with the settings and the destination that the step's kind declares for it.

    Raises BadValue for an unknown kind.
    """
    declared = kind_of(kind)
    step = Step.make(kind, **declared.from_nothing)
    return First(Blank(tiles=declared.goes_on), "plain", (step,), ready_for=declared.made_for)
