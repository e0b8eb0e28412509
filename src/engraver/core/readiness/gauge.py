"""One measurement of what would be delivered: its value, its zones, its verdict."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import cv2
import numpy as np

from ..numeric import resample
from ..pressing.tip import heights
from ..proof.strength import MARK_POINTS
from ..raster import Pixels, Wrap
from .deliver import Delivered
from .destinations import Destination
from .kinds import KINDS, Zone

# "unsure": it cannot tell, and says so; that is not counted as good.
Verdict = Literal["good", "look", "fault", "unsure"]
# How verdicts are counted in words, and their marks, in this order.
VERDICTS: tuple[tuple[Verdict, str, str], ...] = (
    ("good", "good", "✓"), ("look", "to look at", "!"), ("fault", "at fault", "✕"),
    ("unsure", "cannot be told", "–"),
)  # fmt: skip
# Half a level of a 16-bit file: closer to zero than this is zero.
LEVEL = 0.5 / 65535
# Slopes are taken with the mark this many points wide, whatever the file's side.
FORM_POINTS = 256
# So many pixels may stand out without being part of the form.
_LONE = 3
# They are looked for in blocks of so many.
_BLOCK = 64


@dataclass(frozen=True, slots=True)
class Gauge:
    """One measurement.

    ``value`` is what the artist reads, ``numbers`` the same for programs; ``at`` is
    the notch on a scale from ``scale[0]`` to ``scale[1]`` whose good zone is ``zone``.
    ``fix`` names what puts it right ("" when nothing needs to be); ``off`` is how far the
    value lies from its good zone. ``then`` are gauges that the fix alone would make worse: their
    fixes go with it.
    """

    id: str
    name: str
    value: str
    numbers: Mapping[str, float]
    at: float
    scale: tuple[float, float]
    zone: tuple[float, float]
    verdict: Verdict
    says: str
    why: str
    fix: str = ""
    off: float = 0.0
    then: tuple[Gauge, ...] = ()


@dataclass(frozen=True)
class Measured:
    """What gauges look at.

    Attributes
    ----------
    values : float32 (H, W)
        As delivered, but with white raising.
    height : float32 (H, W)
        0 on the surface, 1 for white, below 0 where it cuts.
    wrap : (bool, bool)
        Along which axes it is to repeat: the destination's tiling, else what the plate says.
    known : float
        What share 0..1 of its side the source can fill with detail, as far as that is known.
    """

    values: Pixels
    height: Pixels
    destination: Destination
    wrap: Wrap
    known: float = 1.0

    @cached_property
    def flat(self) -> bool:
        """Whether all of it lies at one height."""
        return self.reach[1] - self.reach[0] <= LEVEL

    @cached_property
    def reach(self) -> tuple[float, float]:
        """The lowest and the highest height."""
        low, high, _, _ = cv2.minMaxLoc(self.height)
        return float(low), float(high)

    @cached_property
    def bulk(self) -> tuple[float, float]:
        """The lowest and the highest height, but for a few lone pixels."""
        low, high = self.reach
        relief = self.relief
        if not relief or high - low <= LEVEL:
            return self.reach
        few = round(max(_LONE, 1e-5 * relief))
        below = cv2.subtract(np.zeros(1), self.height)
        if low >= -LEVEL and relief < self.height.size:  # ground is the lowest, and is not counted
            below[below >= -LEVEL] = -np.inf
        return 0.0 - _highest_but(below, few), _highest_but(self.height, few)

    @cached_property
    def relief(self) -> int:
        """How many pixels lie off the surface."""
        return self.height.size - cv2.countNonZero(cv2.inRange(self.height, (-LEVEL,), (LEVEL,)))

    def share(self, low: float, high: float) -> float:
        """Share 0..1 of the plate whose height lies between two levels, both included."""
        return cv2.countNonZero(cv2.inRange(self.height, (low,), (high,))) / self.height.size

    @cached_property
    def stored(self) -> Pixels:
        """The values within 0..1, as a file of whole numbers holds them."""
        return np.clip(self.values, 0, 1)

    @cached_property
    def mark(self) -> Pixels:
        """The heights, -1..1, as a mark of at most 1,024 points."""
        return np.clip(resample.at_most(self.height, MARK_POINTS), -1, 1)

    @cached_property
    def form(self) -> Pixels:
        """The heights, -1..1, with at most 256 points a side: enough for what is wide."""
        return resample.at_most(self.mark, FORM_POINTS)

    @cached_property
    def faded(self) -> bool:
        """Whether it fades out to its border, so that its middle tells more, and it can be moved."""
        h = self.height
        return max(float(np.abs(part).max(initial=0)) for part in (h[0], h[-1], h[:, 0], h[:, -1])) <= LEVEL

    @classmethod
    def of(
        cls, pixels: Pixels, destination: Destination, wrap: Wrap = (False, False), known: float = 1.0
    ) -> Measured:
        """From pixels in the destination's own convention."""
        values = pixels if destination.raises == "white" else np.float32(1) - pixels
        return cls(values, heights(values, destination.zero), destination, destination.wraps(wrap), known)

    @classmethod
    def delivered(cls, one: Delivered) -> Measured:
        """From a delivery, whichever polarity it has."""
        pixels = np.float32(1) - one.pixels if one.reverse else one.pixels
        known = 1.0 if one.facts is None else min(1.0, one.facts.source_per_pixel * one.facts.detail)
        return cls.of(pixels, one.destination, one.wrap, known)


def _highest_but(values: Pixels, few: int) -> float:
    """The highest value but for so many: through the highest of each block, so that hardly any are sorted."""
    if values.size % _BLOCK or values.size // _BLOCK <= few:
        return float(np.partition(values, max(0, values.size - 1 - few), axis=None)[max(0, values.size - 1 - few)])
    blocks = values.reshape(_BLOCK, -1)
    highest = blocks.max(axis=0)
    enough = float(np.partition(highest, len(highest) - 1 - few)[len(highest) - 1 - few])
    over = np.sort(blocks[:, highest > enough], axis=None)[::-1]
    return max(enough, float(over[few])) if over.size > few else enough


def zone_of(id: str, to: Destination) -> Zone:
    """The zones of a gauge for a destination: its own, else the usual ones."""
    usual = KINDS[id].usual
    assert usual is not None, id
    return to.zones.get(id, usual)


def judged(id: str, value: float, to: Destination) -> Verdict:
    """The verdict on a value by the destination's zones; advice is never at fault."""
    zone = zone_of(id, to)
    if zone.good[0] <= value <= zone.good[1]:
        return "good"
    return "look" if KINDS[id].advice or zone.look[0] <= value <= zone.look[1] else "fault"


def told(
    id: str,
    m: Measured,
    value: str,
    numbers: Mapping[str, float],
    at: float,
    verdict: Verdict,
    says: str,
    fix: str = "",
) -> Gauge:
    """A gauge whose name, scale, zone and reason are as declared; the notch stays on the scale."""
    kind = KINDS[id]
    if m.flat and kind.of_form:
        value, says = "flat", "The plate is flat: there is nothing to measure."
        verdict = "good" if verdict == "unsure" else verdict
    low, high = kind.scale
    zone = zone_of(id, m.destination).good
    off = 0.0 if verdict in ("good", "unsure") else max(zone[0] - at, at - zone[1], 0.0)
    good = tuple(min(high, max(low, end)) for end in zone)
    return Gauge(
        id, kind.name, value, numbers, min(high, max(low, at)), kind.scale, (good[0], good[1]), verdict, says,
        kind.why, "" if verdict in ("good", "unsure") else fix, off,
    )  # fmt: skip


def summary(gauges: Sequence[Gauge]) -> dict[str, int]:
    """How many gauges are good, to look at, at fault, and how many cannot tell."""
    return {v: sum(g.verdict == v for g in gauges) for v, _, _ in VERDICTS}
