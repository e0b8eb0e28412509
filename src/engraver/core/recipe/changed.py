"""Where two states of a project differ: the plate and the step that a hand looks for after an undo."""

from __future__ import annotations

from collections.abc import Collection

from .models import Plate, Project


def _alike(before: Project, after: Project, plate: Plate) -> bool:
    old = next((p for p in before.plates if p.id == plate.id), None)
    return old == plate and before.line(plate.id) == after.line(plate.id)


def beside(project: Project, plate_ids: Collection[str]) -> str | None:
    """The plate that comes after some, or before them where they are the last; None where no other is left."""
    ids = [p.id for p in project.plates]
    last = max(n for n, id in enumerate(ids) if id in plate_ids)
    after = [id for id in ids[last:] if id not in plate_ids]
    before = [id for id in ids[:last] if id not in plate_ids]
    return next(iter((*after[:1], *before[-1:])), None)


def changed_at(before: Project, after: Project, chosen: str | None) -> tuple[str | None, str | None]:
    """The plate of ``after`` that is another than in ``before``, and its step that is.

    Parameters
    ----------
    chosen : str, optional
        The plate that is looked at: where it is another it is the one, whatever others are.

    Returns
    -------
    plate, step : str or None
        Ids; None where no plate is another, or none of its steps. A plate that is gone is not there to be told.
    """
    others = [p for p in after.plates if not _alike(before, after, p)]
    found = next((p for p in others if p.id == chosen), others[0] if others else None)
    if found is None:
        return None, None
    if all(p.id != found.id for p in before.plates):
        return found.id, None
    old = {step.uid: step for step in before.line(found.id)}
    own_before = next(p.own for p in before.plates if p.id == found.id)
    for step in after.line(found.id):
        same = old.get(step.uid) == step and own_before.get(step.uid) == found.own.get(step.uid)
        if not same:
            return found.id, step.uid
    return found.id, None
