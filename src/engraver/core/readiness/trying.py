"""Fixes are tried on a small copy before they are offered; and all of them, one after the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..engine import Engine, Request, resolve
from ..errors import Cancelled, EngraverError, Watch, unwatched
from ..recipe import Project
from .deliver import deliver
from .destinations import Destination
from .fixes import FIXES, apply_fix, label_of
from .gauge import Gauge, Measured
from .kinds import KINDS
from .measure import gauges, that_apply

# Longer side of the copy that a fix is tried on: a mark's own, so that slopes are told alike.
TRY_SIDE = 1024
# Most presses that all fixes together take.
MOST_PRESSES = 12
# A gauge that stays in its zone is better when it lies so much nearer to the good one.
_NEARER = 0.8
# So often what a fix makes worse is mended with it, before it is given up.
_FOLLOW = 2
_RANK = {"good": 0, "unsure": 0, "look": 1, "fault": 2}


@dataclass(frozen=True, slots=True)
class Pressed:
    """One fix that was made: of which gauge, what it is called, and the step that does it."""

    gauge: str
    label: str
    uid: str


class Trying:
    """Tries the fixes of one plate for one destination.

    Parameters
    ----------
    engine : Engine
    plate_id : str
    to : Destination
    check : callable
        Raises Cancelled when nobody waits any more.
    """

    def __init__(self, engine: Engine, plate_id: str, to: Destination, check: Watch = unwatched) -> None:
        self.engine, self.plate_id, self.to, self.check = engine, plate_id, to, check
        self._known: tuple[Project, dict[str, Gauge]] | None = None

    def gauges_of(self, project: Project, side: int | None = None) -> dict[str, Gauge]:
        """The gauges of the plate, at full size or of a copy with at most ``side`` pixels. Raises EngraverError."""
        line = resolve(project, self.plate_id, self.engine.sources)
        raster = self.engine.at_rest(line, Request(side=side, exact=True), self.check).raster
        measured = Measured.delivered(deliver(raster, self.to, judge=True))
        only = that_apply(self.to, measured.wrap)
        if side is not None:  # of the copy these say nothing
            only = tuple(id for id in only if KINDS[id].in_copy)
        return {g.id: g for g in gauges(measured, self.check, only=only)}

    def vetted(self, project: Project, found: Sequence[Gauge]) -> list[Gauge]:
        """The gauges found at full size, with a fix only where it helps; else in their words why none is offered.

        Raises Cancelled when nobody waits any more; a fix that cannot be made is told, not raised.
        """
        return [self._vetted(project, gauge, found) if gauge.fix else gauge for gauge in found]

    def _vetted(self, project: Project, gauge: Gauge, found: Sequence[Gauge]) -> Gauge:
        tried, trouble = self.tried(project, gauge, {g.id: g for g in found})
        return replace(gauge, fix="", says=f"{gauge.says} {trouble}") if trouble else tried

    def tried(self, project: Project, gauge: Gauge, before: dict[str, Gauge]) -> tuple[Gauge, str]:
        """A gauge whose fix helps and makes nothing worse, with what has to go with it; else why none is offered."""
        label = FIXES[gauge.fix].label
        try:
            for _ in range(_FOLLOW + 1):
                changed, _ = apply_fix(project, self.plate_id, gauge, self.to)
                if changed == project:
                    return gauge, f"{label} would change nothing more."
                if gauge.id == "size":  # the side that a destination wants is no matter of taste
                    return gauge, ""
                # The change as seen in the copy; where the copy is too small to show it, at full size.
                was, now = self._small(project, before), self.gauges_of(changed, TRY_SIDE)
                if gauge.id not in was or was[gauge.id].verdict == "good" or FIXES[gauge.fix].fine:
                    was, now = before, self.gauges_of(changed)
                if not _better(was[gauge.id], now.get(gauge.id)):
                    return gauge, f"{label} was tried and does not help."
                worse = [g for id, g in now.items() if id in was and id != gauge.id and _worse(was[id], g, gauge)]
                if not worse:
                    return gauge, ""
                if not all(g.fix and g.fix != gauge.fix for g in worse):
                    break
                gauge = replace(gauge, then=(*gauge.then, *worse))
        except Cancelled:
            raise
        except EngraverError as error:
            return gauge, f"{label} was tried: {error.what[0].lower()}{error.what[1:]}."
        return gauge, f"{label} was tried and is bad for: {', '.join(g.name for g in worse).lower()}."

    def _small(self, project: Project, full: dict[str, Gauge]) -> dict[str, Gauge]:
        """The copy's gauges before a fix; the same for every one of its fixes. A small plate is its own copy."""
        if self._known is None or self._known[0] is not project:
            facts = resolve(project, self.plate_id, self.engine.sources).facts[-1]
            small = max(facts.width, facts.height) <= TRY_SIDE
            self._known = project, full if small else self.gauges_of(project, TRY_SIDE)
        return self._known[1]

    def fix_all(self, project: Project) -> tuple[Project, list[Pressed], list[Gauge]]:
        """Press fixes until none is offered, the faults first.

        Returns
        -------
        project, what was done, the gauges afterwards

        Raises
        ------
        EngraverError
            The plate cannot be computed or delivered as it is.
        """
        done: list[Pressed] = []
        found = list(self.gauges_of(project).values())
        refused: set[tuple[str, str]] = set()
        while len(done) < MOST_PRESSES:
            waiting = [g for g in found if g.fix and (g.id, g.fix) not in refused]
            waiting.sort(key=lambda g: -_RANK[g.verdict])
            for gauge in waiting:
                gauge, trouble = self.tried(project, gauge, {g.id: g for g in found})
                if trouble:
                    refused.add((gauge.id, gauge.fix))
                    continue
                changed, uid = apply_fix(project, self.plate_id, gauge, self.to)
                now = self.gauges_of(changed)
                others = [g for g in found if g.id in now and g.id != gauge.id and KINDS[g.id].in_copy]
                if any(_worse(g, now[g.id], gauge) for g in others):
                    refused.add((gauge.id, gauge.fix))  # what the copy did not show
                    continue
                project, found, refused = changed, list(now.values()), set()
                done.append(Pressed(gauge.name, label_of(gauge), uid))
                break
            else:
                break
        return project, done, self.vetted(project, found)


def _better(before: Gauge, after: Gauge | None) -> bool:
    if after is None:
        return False
    if _RANK[after.verdict] != _RANK[before.verdict]:
        return _RANK[after.verdict] < _RANK[before.verdict]
    return after.off < _NEARER * before.off


def _worse(before: Gauge, after: Gauge, mended: Gauge) -> bool:
    """Whether a gauge falls by a zone; for mending a fault another may come to be worth a look, never a fault."""
    known = 1 if before.verdict == "unsure" or mended.verdict == "fault" else 0
    return _RANK[after.verdict] > max(known, _RANK[before.verdict])
