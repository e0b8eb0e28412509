"""Readiness of every piece of a pack for each of its destinations, and all that can be fixed."""

from __future__ import annotations

from dataclasses import dataclass

from ..engine import Engine, Request
from ..errors import Cancelled, EngraverError, Watch, unwatched
from ..readiness.deliver import deliver
from ..readiness.destinations import Destination
from ..readiness.gauge import Gauge, Measured, summary
from ..readiness.measure import gauges
from ..readiness.trying import Trying
from ..recipe import Project
from .plan import Piece, Planned, line_of


@dataclass(frozen=True)
class Ready:
    """How ready a piece is for a destination: its gauges, or why it cannot be delivered at all."""

    piece: str
    destination: str
    gauges: tuple[Gauge, ...] = ()
    trouble: str = ""

    @property
    def verdict(self) -> str:
        """The worst of its gauges: "good", "unsure", "look" or "fault"."""
        if self.trouble:
            return "fault"
        verdicts = {g.verdict for g in self.gauges}
        return next((v for v in ("fault", "look", "unsure") if v in verdicts), "good")

    @property
    def fixable(self) -> bool:
        return any(g.fix for g in self.gauges if g.verdict in ("fault", "look"))

    def words(self) -> str:
        """What is short, in a sentence; how much is good where nothing is."""
        if self.trouble:
            return self.trouble
        short = [g.says for g in self.gauges if g.verdict == self.verdict]
        return short[0] if short and self.verdict in ("fault", "look") else f"{summary(self.gauges)['good']} good"


def ready(
    project: Project, piece: Piece, to: Destination, engine: Engine, check: Watch = unwatched
) -> Ready:  # fmt: skip
    """Measure what would be delivered, at full size. Raises Cancelled."""
    try:
        line = line_of(project, piece, engine.sources)
        raster = engine.evaluate(line, Request(exact=True), check).raster
        measured = Measured.delivered(deliver(raster, to, judge=True))
        return Ready(piece.id, to.id, tuple(gauges(measured, check)))
    except EngraverError as error:
        if isinstance(error, Cancelled):
            raise
        return Ready(piece.id, to.id, trouble=error.sentence())


def fixed(project: Project, planned: Planned, engine: Engine, check: Watch = unwatched) -> tuple[Project, list[str]]:
    """Every fix that helps, for every piece whose plate is in the project and every destination, one after the other.

    Returns the project, and a line for each fix that was made. Raises Cancelled.
    """
    there = {plate.id for plate in project.plates}
    told: list[str] = []
    for n, piece in enumerate(planned.going):
        check(n / max(1, len(planned.going)))
        if piece.plate.id not in there or piece.settings is not None:
            continue  # a brush is fixed by keeping its plate's change
        for to in planned.uses_of(piece):
            found = ready(project, piece, to, engine, check)
            if found.fixable:
                project, pressed, _ = Trying(engine, piece.plate.id, to, check).fix_all(project)
                told += [f"{piece.name}: {one.label}" for one in pressed]
    return project, told
