"""Mending what was taken in with something wrong; the artist's file is never touched, and what it was stays in its
history."""

from __future__ import annotations

import json

from ..engine import Engine, SourceStore
from ..errors import Watch, unwatched
from ..readiness.destinations import destination
from ..readiness.trying import Trying
from ..recipe import Project, Step
from ..recipe.edits import insert_step, set_ready_for
from .entry import Entry
from .to_keep import ToKeep, of_picture, of_plate
from .using import finished

# What a piece is made ready for that nobody said anything of, by its zero.
_FOR = {"black": "sculpt-stamp", "mid": "sculpt-stamp-mid"}
# What no fix is for: another piece that looks the same.
_LEFT = ("double",)


def mended(entry: Entry, picture: bytes, check: Watch = unwatched) -> ToKeep:
    """An entry with every fix that helps it, to be kept in its place; its steps tell what was done.

    ``picture`` is its finished picture, a PNG.

    Raises
    ------
    BadPicture
        It cannot be read.
    Cancelled
        ``check`` said so.
    """
    sources = SourceStore(0)
    engine = Engine(sources)
    project, plate = finished(Project(name=entry.project or "Mended"), entry, picture, sources)
    to = destination(entry.destination or _FOR[entry.zero])
    project = set_ready_for(project, plate, to.id)
    if "white" in entry.wrong:
        project = insert_step(project, plate, Step.make("invert"), 0)
    fixed, _, _ = Trying(engine, plate, to, check).fix_all(project)
    made = of_plate(fixed, plate, engine, check=check)
    height, width = made.sides
    left = tuple(w for w in entry.wrong if w in _LEFT)
    more = {**made.entry.more, "mended": list(entry.wrong)}
    return of_picture(
        entry.model_copy(update={
            "width": width, "height": height, "zero": made.entry.zero, "wrong": left,
            "more": json.loads(json.dumps(more)),
        }), made.picture,
    )  # fmt: skip
