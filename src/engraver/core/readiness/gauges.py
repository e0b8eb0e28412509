"""Gauges: single measurements of a delivered picture, each with its good zone.

They look only at the picture, so a file made by anything can be checked as well.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from ..numeric import blur, resample, tone
from ..raster import Pixels
from .deliver import heights
from .destinations import Destination

Verdict = Literal["good", "look", "fault"]
# Half a level of a 16-bit file: closer to zero than this is zero.
LEVEL = 0.5 / 65535
# Steepness is measured with the mark this many points wide, whatever the file's side.
MARK_POINTS = 1024
STEEP_ANGLE = 60.0
STEEP_SHARE = 95.0
FIRST_STRENGTH = 0.03


@dataclass(frozen=True, slots=True)
class Gauge:
    """One measurement.

    ``value`` is what the artist reads, ``numbers`` the same for programs; ``at`` is
    the notch on a scale from ``scale[0]`` to ``scale[1]`` whose good zone is ``zone``.
    ``fix`` names what puts it right ("" when nothing needs to be).
    """

    id: str
    name: str
    value: str
    numbers: dict[str, float]
    at: float
    scale: tuple[float, float]
    zone: tuple[float, float]
    verdict: Verdict
    says: str
    why: str
    fix: str = ""


def measure(pixels: Pixels, destination: Destination) -> list[Gauge]:
    """All gauges of a picture delivered for ``destination`` in its own polarity, in fixed order."""
    values = pixels if destination.raises == "white" else np.float32(1) - pixels
    height = heights(values, destination.zero)
    return [
        size_gauge(values, destination),
        range_gauge(height, destination),
        border_gauge(height),
        lift_gauge(height, destination),
        steepness_gauge(height),
    ]


def summary(gauges: Sequence[Gauge]) -> dict[str, int]:
    """How many gauges are good, to look at, at fault."""
    return {v: sum(g.verdict == v for g in gauges) for v in ("good", "look", "fault")}


def size_gauge(values: Pixels, destination: Destination) -> Gauge:
    rows, columns = values.shape
    side = max(rows, columns)
    square = rows == columns or not destination.square
    power = not destination.power_of_two or (side & (side - 1) == 0)
    fits = destination.smallest <= side <= destination.largest
    says = "The side fits."
    fix = ""
    if not square:
        says, fix = f"{columns} × {rows} is not square.", "crop"
    elif not fits:
        says = f"{side} is outside {destination.smallest} to {destination.largest} pixels."
        fix = "size"
    elif not power:
        says, fix = f"{side} is not a power of two.", "size"
    return Gauge(
        "size", "Size", f"{side}" if rows == columns else f"{columns} × {rows}",
        {"width": columns, "height": rows}, math.log2(max(side, 1)),
        (math.log2(destination.smallest) - 1, math.log2(destination.largest) + 1),
        (math.log2(destination.smallest), math.log2(destination.largest)),
        "fault" if fix else "good", says,
        "Brushes load stamps whose side is a power of two without resampling them.", fix,
    )  # fmt: skip


def range_gauge(height: Pixels, destination: Destination) -> Gauge:
    """Lowest and highest level in use and what is clipped; ground at zero is not counted."""
    used = np.abs(height) > LEVEL
    count = int(np.count_nonzero(used))
    both = destination.zero == "mid"
    low = float(np.clip(height, -1 if both else 0, 1).min()) if count else 0.0
    high = float(np.clip(height, 0, 1).max()) if count else 0.0
    top = np.count_nonzero(height >= 1 - LEVEL) / max(count, 1)
    bottom = np.count_nonzero(height <= -1 + LEVEL if both else height < -LEVEL) / max(count, 1)
    lowest, highest = ((low + 1) / 2, (high + 1) / 2) if both else (low, high)
    reach = max(high, -low)
    clipped = max(top, bottom)
    verdict: Verdict = "good"
    says, fix = "The whole range is in use.", ""
    if not count:
        verdict, says = "fault", "The plate is empty: everything is at zero."
    elif clipped > 0.05:
        verdict, says, fix = "fault", f"{clipped:.0%} of the relief is cut flat.", "levels-wider"
    elif clipped > 0.01:
        verdict, says, fix = "look", f"{clipped:.1%} of the relief is cut flat.", "levels-wider"
    elif reach < 0.85:
        verdict, says, fix = "look", f"Only {reach:.0%} of the range is in use.", "levels"
    return Gauge(
        "range", "Range", f"{lowest * 100:.0f}–{highest * 100:.0f} %",
        {"lowest": lowest, "highest": highest, "clipped_low": bottom, "clipped_high": top},
        reach, (0.0, 1.0), (0.85, 1.0), verdict, says,
        "Unused range wastes depth and strength; clipped tops become flat plateaus.", fix,
    )  # fmt: skip


def border_gauge(height: Pixels) -> Gauge:
    ring = max(float(np.abs(part).max()) for part in (height[0], height[-1], height[:, 0], height[:, -1]))
    ring = 0.0 if ring <= LEVEL else min(ring, 1.0)
    verdict: Verdict = "good" if ring == 0 else ("look" if ring <= 0.01 else "fault")
    says = "The border is exactly zero."
    if ring:
        says = f"Border is {_percent(ring)} away from zero: the stamp will show its square."
    return Gauge(
        "border", "Border", "0" if ring == 0 else _percent(ring), {"departure": ring},
        min(ring, 0.1), (0.0, 0.1), (0.0, 0.002), verdict, says,
        "What is not zero on the outermost ring leaves the outline of the picture on the surface.",
        "" if ring == 0 else "falloff",
    )  # fmt: skip


def _percent(share: float) -> str:
    return f"{share:.0%}".replace("%", " %") if share >= 0.1 else f"{share * 100:.2g} %"


def _reduced(height: Pixels, side: int) -> Pixels:
    longer = max(height.shape)
    if longer <= side:
        return np.ascontiguousarray(height, np.float32)
    ratio = side / longer
    return resample.area(height, max(1, round(height.shape[0] * ratio)), max(1, round(height.shape[1] * ratio)))


def lift_gauge(height: Pixels, destination: Destination) -> Gauge:
    """Mean of the low-passed height where the plate is not ground."""
    small = np.clip(_reduced(height, 512), -1, 1)
    used = (np.abs(small) > LEVEL).astype(np.float32)
    sigma = 0.02 * min(small.shape)
    inside = blur.gaussian(used, sigma) > 0.5
    soft = blur.gaussian(small, 0.06 * min(small.shape))
    lift = float(soft[inside].mean()) if inside.any() else 0.0
    good = destination.lift
    size = abs(lift)
    verdict: Verdict = "good" if size <= good else ("look" if size <= good + 0.15 else "fault")
    says = "The form lies on the surface."
    if verdict != "good":
        says = f"The whole disc stands {size:.0%} up: the stamp reads as a pancake."
    return Gauge(
        "lift", "Lift", f"{lift:.2f}", {"lift": lift}, size, (0.0, 0.7), (0.0, good), verdict, says,
        "A stamp that lifts everything it touches leaves a plateau with static on it.",
        "" if verdict == "good" else "lift",
    )  # fmt: skip


def steepness(height: Pixels) -> float:
    """Strength, as a share of the mark's width, at which 95 % of the relief is under 60 degrees.

    Heights are 0..1 over a square mark; slopes are taken with the mark 1,024 points
    wide, by Sobel's 3 by 3 differences, where the plate is not ground.
    """
    small = np.clip(_reduced(height, MARK_POINTS), -1, 1)
    # An eighth of the 3x3 sums is the slope per point.
    dx = cv2.Sobel(small, cv2.CV_32F, 1, 0, scale=1 / 8, borderType=cv2.BORDER_REPLICATE)
    dy = cv2.Sobel(small, cv2.CV_32F, 0, 1, scale=1 / 8, borderType=cv2.BORDER_REPLICATE)
    slope = cv2.magnitude(dx, dy) * np.float32(max(small.shape))
    relief = (np.abs(small) > LEVEL) | (slope > 1e-4)
    if not relief.any():
        return 1.0
    (steep,) = tone.percentiles(slope, (STEEP_SHARE,), relief.astype(np.uint8))
    return float(min(1.0, math.tan(math.radians(STEEP_ANGLE)) / max(steep, 1e-6)))


def steepness_gauge(height: Pixels) -> Gauge:
    strength = steepness(height)
    verdict: Verdict = "good" if strength >= 0.015 else ("look" if strength >= 0.004 else "fault")
    says = f"Up to a strength of {strength:.1%} of its width the relief keeps its form."
    if verdict != "good":
        says = f"Above {strength:.1%} of its width the relief turns into needles."
    return Gauge(
        "steepness", "Steepness", f"{strength * 100:.1f} %", {"strength": strength},
        min(strength, 0.06), (0.0, 0.06), (0.015, 0.06), verdict, says,
        "Slopes over 60° stretch the surface's mesh and break up under light.",
        "" if verdict == "good" else "soften",
    )  # fmt: skip


def first_strength(height: Pixels) -> float:
    """The proof's automatic strength: 3 % of the mark's width, or less where that is too steep."""
    return min(FIRST_STRENGTH, steepness(height))
