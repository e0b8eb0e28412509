"""Marks of a brush that grow: their last leap is taken back."""

from __future__ import annotations

from .editor_kinds import editor_of
from .studio import Studio


def take_back_leap(studio: Studio) -> None:
    """The last mark that grew keeps to where it was painted; a mark that does not grow grows again."""
    step = studio.step
    strokes = getattr(step.params, "strokes", ()) if step is not None else ()
    if step is None or not editor_of(step).leaps or not strokes:
        return
    last = strokes[-1]
    tag = last.tag.removesuffix("-only") if last.tag.endswith("-only") else f"{last.tag}-only"
    changed = (*strokes[:-1], last.tagged(tag))
    studio.attempt(lambda: studio.set_params(step.uid, "Take back a leap", strokes=changed))
