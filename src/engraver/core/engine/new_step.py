"""A new step as it begins at a place of a plate's line."""

from __future__ import annotations

from typing import Any

from ..recipe.models import Step
from ..sources import source_kind
from ..steps import kind_of
from .line import Line


def _stands_after(line: Line, steps: tuple[Step, ...]) -> bool:
    """Whether something stands on the plate after these steps: a picture, a body, or what was built."""
    even = source_kind(line.source.kind).even
    return not even or any(step.on and step.declared.group == "build" for step in steps)


def new_step(kind: str, line: Line, steps: tuple[Step, ...], **values: Any) -> Step:
    """A new step of a kind, to come after the first ``steps`` of a plate's line.

    Where something stands there it has the settings of :attr:`.StepKind.on_relief`, else the usual ones; ``values``
    come before both. Raises BadValue for bad values.
    """
    if _stands_after(line, steps):
        entering = line.facts[line.place_after(steps[-1].uid if steps else "")]
        values = {**kind_of(kind).on_relief(entering), **values}
    return Step.make(kind, **values)
