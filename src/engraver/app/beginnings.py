"""Plates from nothing: a ground with a first step, or one of the starters."""

from __future__ import annotations

from engraver.core.recipe import Source, Step, new_id
from engraver.core.recipe.edits import set_ready_for
from engraver.core.sources import First
from engraver.core.sources.blank import Blank
from engraver.core.starters import starter

from .studio import Studio


def begin_with(studio: Studio, name: str, kind: str) -> None:
    """A plate from nothing with one step, which is chosen. Raises BadValue where the project is full."""
    step = Step.make(kind)
    studio.begin(_ground(name), name, First(Blank(), "plain", (step,)), f"New plate: {name.lower()}")
    studio.choose_step(step.uid)


def begin_from(studio: Studio, id: str) -> None:
    """A plate that begins as a starter, its first step chosen. Raises BadValue for an unknown one."""
    found = starter(id)
    line = found.line()
    studio.begin(_ground(found.name), found.name, First(found.ground(), "plain", line), f"New plate: {found.name}")
    if studio.plate is not None:
        ready = set_ready_for(studio.project, studio.plate.id, found.ready_for)
        studio.edit(ready, studio.history.undo_label or "", "begin")
        studio.choose_step(line[0].uid)


def _ground(name: str) -> Source:
    return Source(id=new_id("src"), kind=Blank.kind, name=name)
