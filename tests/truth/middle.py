"""Plates that raise and cut about mid-grey: levels keep zero, fixes keep it, what is told is told for both sides."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import trimesh

from engraver.core.engine import Engine, SourceStore
from engraver.core.mesh import Capture
from engraver.core.raster import Raster
from engraver.core.readiness.destinations import destination
from engraver.core.readiness.trying import Trying
from engraver.core.recipe import Project, Step, edits
from lines import run
from solids import elevations
from truth.fact import Fact
from truth.pictures import square


def facts(quick: bool) -> Iterator[Fact]:
    for name in ("gravel",) if quick else ("gravel", "moon", "coins", "brick"):
        tones = square(name, 200)
        apart = tones - np.median(tones)
        plate = Raster.of(0.5 + 0.3 * np.clip(apart / apart.std() / 2, -1, 1), zero="mid")
        for sides in ("one", "each"):
            made = run("levels", plate, find="zero", sides=sides, high=99.8).pixels
            still = np.abs(plate.pixels - 0.5) < 1e-7
            if still.any():
                yield Fact(
                    "levels about zero: zero afterwards",
                    f"{name}, {sides}",
                    "where it was",
                    float(np.abs(made[still] - 0.5).max()),
                    1e-6,
                )
            away = plate.pixels - np.float32(0.5)
            gain = (made - 0.5)[np.abs(away) > 0.02] / away[np.abs(away) > 0.02]
            up, down = gain[away[np.abs(away) > 0.02] > 0], gain[away[np.abs(away) > 0.02] < 0]
            spread = max(float(np.ptp(up)), float(np.ptp(down))) / float(np.median(gain))
            yield Fact(
                "levels about zero: the gain on either side, its spread", f"{name}, {sides}", "one gain", spread, 1e-3
            )
            if sides == "one":
                yield Fact(
                    "levels about zero: gain above over gain below",
                    name,
                    "1",
                    abs(float(np.median(up) / np.median(down)) - 1),
                    1e-4,
                )
    yield from _captured()


def _captured() -> Iterator[Fact]:
    """An open mesh, captured about its middle: form taken out, contrast raised, faded; then fixes alone."""
    store = SourceStore()
    field = elevations()[::2, ::2]
    rows, columns = field.shape
    at = np.arange(rows * columns).reshape(rows, columns)
    y, x = np.mgrid[:rows, :columns]
    points = np.stack([x.ravel() * 60.0, -y.ravel() * 60.0, field.ravel()], axis=1)
    corners = at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]
    a, b, c, d = (part.ravel() for part in corners)
    faces = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
    data = trimesh.Trimesh(points, faces, process=False).export(file_type="stl")
    source = store.add(data, "hill.stl")
    reading = Capture(side=256, zero_at="middle", frame="inside")
    steps = (Step.make("remove-form", onto="zero"), Step.make("levels", find="zero"), Step.make("falloff"))
    project, plate = edits.add_plate(Project(), source, "mesh", steps, reading=reading, read_as="object")
    _, _, after = Trying(Engine(store), plate, destination("sculpt-stamp-mid")).fix_all(project)
    bad = [g.id for g in after if g.verdict in ("look", "fault") and g.id != "detail"]
    yield Fact(
        "a mesh about mid-grey, fixes alone: gauges that are not good",
        ", ".join(bad) or "all good",
        "all good; how much detail a mesh holds no fix can change",
        len(bad),
        0,
    )
