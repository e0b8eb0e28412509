"""A new step as it begins at a place of a plate's line."""

from __future__ import annotations

from typing import Any

from ..recipe.models import Step
from ..sources import source_kind
from ..steps import kind_of
from .line import Line


def stands_before(line: Line, steps: tuple[Step, ...]) -> bool:
    """Whether something stands on the plate after these steps: a picture, a body, or what was built."""
    even = source_kind(line.source.kind).even
    return not even or any(step.on and step.declared.group == "build" for step in steps)


def begun(kind: str, line: Line, steps: tuple[Step, ...], **values: Any) -> Step:
    """A new step that comes after ``steps``, the first of the plate's own.

    Where something stands already it begins as its kind says for that, else with its usual settings. Raises BadValue
    for bad values, which come before both.
    """
    if stands_before(line, steps):
        entering = line.facts[line.place_after(steps[-1].uid if steps else "")]
        values = {**kind_of(kind).on_relief(entering), **values}
    return Step.make(kind, **values)
