"""What work begins with: plates from nothing, and the destinations that are offered."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from engraver.core.readiness.destinations import load_folder, offered
from engraver.core.recipe import Source, new_id
from engraver.core.sources.blank import Blank
from engraver.core.sources.solids import BEGIN, EXTENSION, SOLIDS, with_solids
from engraver.core.starters import from_nothing, starter

from .studio import Studio


def begin_with(studio: Studio, name: str, kind: str) -> None:
    """A plate from nothing with one step, which is chosen; it is made for what such plates are made for.

    Raises BadValue where the project is full.
    """
    first = from_nothing(kind)
    studio.begin(Source(id=new_id("src"), kind=Blank.kind, name=name), name, first, f"New plate: {name.lower()}")
    studio.choose_step(first.steps[0].uid)


def begin_solids(studio: Studio) -> None:
    """A plate of solids, which begins with one; step zero is chosen."""
    source = with_solids(Source(id=new_id("src"), kind=SOLIDS.id, name=f"Solids{EXTENSION}"), BEGIN, studio.sources)
    studio.begin(source, "Solids", studio.sources.first(source), "New plate: solids")


def begin_from(studio: Studio, id: str) -> None:
    """A plate that begins as a starter, its first step chosen. Raises BadValue for an unknown one."""
    found = starter(id)
    project, plate = found.added_to(studio.project)
    studio.edit(project, f"New plate: {found.name.lower()}")
    studio.choose_plate(plate)
    studio.choose_step(project.line(plate)[0].uid)


def offer_destinations(studio: Studio, folder: Path, tell: Callable[[str, str], None]) -> None:
    """What ships and what the artist added; files that are none are told."""
    own, wrong = load_folder(folder)
    if own:
        studio.offer_destinations(offered(own))
    for error in wrong[:1]:
        tell(error.sentence(), "look")
