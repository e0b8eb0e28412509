"""The finished plate at full size, and what is measured on it for where it goes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from engraver.core.engine import Engine, Line, Request, Result
from engraver.core.errors import EngraverError, Watch
from engraver.core.pressing.tip import heights
from engraver.core.proof.strength import first_strength
from engraver.core.raster import Pixels
from engraver.core.readiness import Destination, Gauge, Measured, deliver
from engraver.core.readiness.measure import SLOW, gauges, that_apply


@dataclass(frozen=True, slots=True)
class MeasuredPlate:
    """The finished plate at full size, and what was measured on it."""

    result: Result
    height: Pixels
    gauges: tuple[Gauge, ...]
    strength: float
    trouble: EngraverError | None
    line: Line


def measure_full(
    engine: Engine, line: Line, to: Destination, check: Watch, quick: Callable[[MeasuredPlate], None]
) -> MeasuredPlate:
    """Compute and measure; ``quick`` is told what the cheap gauges say before the others are done."""
    result = engine.evaluate(line, Request(exact=True), check)
    check()
    height = heights(result.raster.flat(), result.raster.zero)
    strength = first_strength(height)
    check()
    try:
        measured = Measured.delivered(deliver(result.raster, to, judge=True))
    except EngraverError as error:
        return MeasuredPlate(result, height, (), strength, error, line)
    order = that_apply(to, measured.wrap)
    cheap = tuple(id for id in order if id not in SLOW)
    found = {g.id: g for g in gauges(measured, check, only=cheap)}
    quick(MeasuredPlate(result, height, tuple(found.values()), strength, None, line))
    found |= {g.id: g for g in gauges(measured, check, only=SLOW)}
    return MeasuredPlate(result, height, tuple(found[id] for id in order), strength, None, line)
