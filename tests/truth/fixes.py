"""Fixes pressed until none is offered: few presses, nothing twice, nothing made worse, on open pictures."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from itertools import product

from conftest import png_bytes
from engraver.core.engine import Engine, SourceStore
from engraver.core.readiness import shipped
from engraver.core.readiness.destinations import destination
from engraver.core.readiness.trying import MOST_PRESSES, Trying
from engraver.core.recipe import Project, edits
from engraver.core.recipe.first import READ_AS
from truth.fact import Fact
from truth.pictures import PHOTOS, colour

# Mending a fault may leave something else worth a look.
RANK = {"good": 1, "unsure": 1, "look": 1, "fault": 2}
# Kinds of which a line may well hold several.
SEVERAL = ("crop",)


def facts(quick: bool) -> Iterator[Fact]:
    """Every kind for every destination, each on another of the open pictures; all of them come up several times."""
    kinds = ("surface", "plain") if quick else tuple(READ_AS)
    places = ("tiling-height",) if quick else tuple(shipped())
    for n, (kind, to) in enumerate(product(kinds, places)):
        name = "gravel" if quick else PHOTOS[n % len(PHOTOS)]
        store = SourceStore()
        source = store.add(png_bytes(colour(name)), f"{name}.png")
        first = store.first(source, kind)
        project, plate = edits.add_plate(Project(), source, name, first.steps, reading=first.reading, read_as=kind)
        trying, case = Trying(Engine(store), plate, destination(to)), f"{name} as {kind} for {to}"
        before = trying.gauges_of(project)
        fixed, done, after = trying.fix_all(project)
        yield Fact("fixes: presses until none is offered", case, "twelve at most", len(done), MOST_PRESSES)
        again = trying.fix_all(fixed)[1]
        yield Fact("fixes: presses once none is offered", case, "none", len(again), 0)
        own = Counter(step.kind for step in project.line(plate))
        more = Counter(step.kind for step in fixed.line(plate) if step.kind not in SEVERAL)
        twice = sum(count > max(1, own[kind]) for kind, count in more.items())
        yield Fact("fixes: steps of a kind that was there", case, "none is added twice", twice, 0)
        worse = [g.id for g in after if g.id in before and RANK[g.verdict] > RANK[before[g.id].verdict]]
        # The side that fits may be more than the source can fill.
        yield Fact("fixes: gauges that are at fault only afterwards", case, "none", len(set(worse) - {"detail"}), 0)
