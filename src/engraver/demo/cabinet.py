"""Saltmarrow Quay's cabinet: what the village's carvers would have kept over the years."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from engraver.core.cabinet import Cabinet, Entry, Query, drawers
from engraver.core.cabinet.to_keep import ToKeep, of_file, of_plate
from engraver.core.engine import Engine, SourceStore
from engraver.core.errors import Watch, unwatched
from engraver.core.files.write import encode
from engraver.core.raster import Pixels
from engraver.core.recipe import Project
from engraver.core.starters import STARTERS

from .harbour import net_weave
from .props import barnacles, ripples
from .quay import NAME, demo_project
from .timber import plank

_DAY = 86_400.0
# Words by which plates are found, beside their names; and plates that are left out, since brushes have them.
_TAGS = {
    "Barnacles": ("hull", "growth"), "Sand ripples": ("ground", "beach"), "Net weave": ("net", "rope"),
    "Knot-work": ("carving", "knot"), "Carved panel": ("carving", "panel"), "Oyster shell": ("shell", "beach"),
    "Carved knot": ("carving", "knot"), "Copper": ("metal", "hull"), "Copper tile": ("metal", "tile"),
    "Ship timber": ("wood", "hull"), "Rough sand": ("ground", "beach"), "Hull rivet": ("metal", "hull"),
    "Name board": ("board", "lettering"), "Net lashing": ("rope",), "Roof tiles": ("roof", "tile"),
    "Harbour crest": ("carving", "crest"), "Pitted iron": ("metal",), "Mooring cleat": ("metal", "mesh"),
    "Fouled plank": ("wood", "growth"), "Carved board": ("wood", "carving"), "Cork float": ("float",),
    "Pot frieze": ("pot", "carving"), "Wet hollows": ("ground", "mask"),
}  # fmt: skip
_FAVOURITES = ("Barnacles", "Knot-work", "Copper tile", "Oyster shell", "Harbour crest")
_COLOURS = {"Barnacles": "green", "Copper": "amber", "Copper tile": "amber", "Knot-work": "violet", "Seal": "blue"}
# Starters that a plate of the demo was made from.
_THERE = ("ringed-rivet", "name-board", "crest", "roof", "lashing", "pits", "cord")
_SIDE = 512


def fill(cabinet: Cabinet, sources: SourceStore, folder: Path | None = None, check: Watch = unwatched) -> int:
    """Keep the demo's plates and brushes, what starts from nothing, and a few old files that have something wrong.

    Returns how many were kept. Raises CabinetTrouble where it cannot be written, Cancelled when ``check`` says so.
    """
    project, engine = demo_project(sources, folder), Engine(sources)
    starters = [one for one in STARTERS.values() if one.id not in _THERE]
    jobs = 2 + len(project.plates) + len(project.brushes) + len(starters) + 2
    done = 0

    def kept(made: ToKeep) -> None:
        nonlocal done
        check(done / jobs)
        cabinet.keep(replace(made, entry=_dressed(made.entry, done)))
        done += 1

    for plate in project.plates:
        kept(of_plate(project, plate.id, engine, tags=_TAGS.get(plate.name, ()), check=check))
    for brush in project.brushes:
        kept(of_plate(project, brush.plate.id, engine, brush=brush, tags=("brush",), check=check))
    for starter in starters:
        small = Project(name="From nothing")
        small, plate_id = starter.added_to(small)
        kept(of_plate(small, plate_id, engine, tags=("from nothing",), check=check))
    for name, data in old_files().items():
        kept(of_file(data, name, ("old",)))
    _drawers(cabinet)
    return done


def old_files() -> dict[str, bytes]:
    """Files as they lie in an old folder, by name: in bands, on white, with a border that shows."""
    side = _SIDE
    crust, sand, net, wood = barnacles(side), ripples(side, side), net_weave(side, side), plank(side, side)
    return {
        "old_barnacles.png": encode(_banded(_spread(crust)), "png", "8"),
        "beach_2.png": encode(_spread(sand) * 0.7 + 0.2, "png", "8"),
        "net scan.png": encode(1 - _spread(net) * 0.9, "png", "16"),
        "plank_b.png": encode(_spread(wood), "png", "16"),
    }


def _spread(height: Pixels) -> Pixels:
    low, high = np.percentile(height, (1, 99))
    spread: Pixels = np.clip((height - low) / max(1e-6, high - low), 0, 1).astype(np.float32)
    return spread


def _banded(height: Pixels) -> Pixels:
    """As a program leaves it that computes in few levels."""
    few: Pixels = (np.round(height * 24) / 24).astype(np.float32)
    return few


def _dressed(entry: Entry, place: int) -> Entry:
    """With colours, favourites and days that differ, as years would leave them; filled again it is the same piece."""
    return entry.model_copy(update={
        "origin": f"{NAME} {entry.kind} {entry.name}", "project": entry.project or NAME,
        "colour": _COLOURS.get(entry.name, ""), "favourite": entry.name in _FAVOURITES,
        "made": 1.78e9 - place * 3 * _DAY,
    })  # fmt: skip


def _drawers(cabinet: Cabinet) -> None:
    if drawers.drawers(cabinet):
        return
    hull = drawers.add(cabinet, "The old hull")
    drawers.put(cabinet, hull.id, [e.id for e in cabinet.find(Query(tag="hull"))])
    drawers.add(cabinet, "Carvings", Query(tag="carving"))
    drawers.add(cabinet, "Metal that tiles", Query(tag="metal", tiling=True))
