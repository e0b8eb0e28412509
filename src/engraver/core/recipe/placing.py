"""Where a new step goes in a line."""

from __future__ import annotations

from dataclasses import dataclass

from ..raster import Facts
from ..steps import GROUPS, StepKind
from .models import Project

_ORDER: dict[str, int] = {group: n for n, group in enumerate(GROUPS)}


@dataclass(frozen=True, slots=True)
class Places:
    """Places of a line, counted from 0: where a step goes by itself, and the other one where there are two.

    ``here`` is the one right after the chosen step.
    """

    first: int
    other: int | None
    here: int


def place_for(project: Project, plate_id: str, kind: StepKind) -> int:
    """Where a step of this kind belongs in the line: before the first step of a later group.

    One that stands first goes after those that leave the stored levels as they are.
    """
    steps = project.line(plate_id)
    if kind.stands_first:
        stored = Facts(1000, 1000, lattice=1 / 255)
        breaks = [n for n, s in enumerate(steps) if s.declared.extent(s.params, stored).lattice is None]
        return breaks[0] if breaks else len(steps)
    later = [place for place, step in enumerate(steps) if _ORDER[step.declared.group] > _ORDER[kind.group]]
    return later[0] if later else len(steps)


def places(project: Project, plate_id: str, kind: StepKind, uid: str) -> Places:
    """Where a new step can go when the step ``uid`` is chosen, "" for the source.

    It goes after the chosen step where that keeps to the order of work, else to its usual place; the other one is
    offered, unless the step could not work there.
    """
    steps, usual = project.line(plate_id), place_for(project, plate_id, kind)
    here = next((n + 1 for n, step in enumerate(steps) if step.uid == uid), 0)
    if here == usual or (kind.stands_first and here > usual):
        return Places(usual, None, here)
    before = _ORDER[steps[here - 1].declared.group] if here else len(_ORDER)
    after = _ORDER[steps[here].declared.group] if here < len(steps) else len(_ORDER)
    in_order = before <= _ORDER[kind.group] <= after and not kind.stands_first
    return Places(here, usual, here) if in_order else Places(usual, here, here)
