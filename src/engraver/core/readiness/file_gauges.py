"""Gauges of the file: size, range, clipping, border, and what white and black mean."""

from __future__ import annotations

import math

import cv2
import numpy as np

from ..files.write import quantise
from ..numeric import blur, plateau
from ..raster import ZERO_LEVEL, Pixels
from ..words import about, per_cent
from .gauge import LEVEL, Gauge, Measured, judged, told
from .kinds import KINDS

# What lies so little below a black zero is ground that a filter left uneven.
DEEP = 0.02


def size_gauge(m: Measured) -> Gauge:
    rows, columns = m.values.shape
    to, side = m.destination, max(rows, columns)
    sizes, fix = to.sizes, ""
    says = "The side fits."
    if not to.takes_shape(columns, rows):
        says, fix = f"{columns} × {rows} is not square.", "crop"
    elif not sizes.smallest <= side <= sizes.largest:
        says, fix = f"{side} is outside {sizes.smallest} to {sizes.largest} pixels.", "size"
    elif not sizes.ruled(side):
        rule = "one more than a power of two" if sizes.rule == "power-of-two-plus-one" else "a power of two"
        says, fix = f"{side} is not {rule}.", "size"
    low, high = math.log2(sizes.smallest), math.log2(sizes.largest)
    return Gauge(
        "size", KINDS["size"].name, f"{side}" if rows == columns else f"{columns} × {rows}",
        {"width": columns, "height": rows}, math.log2(max(side, 1)), (low - 1, high + 1), (low, high),
        "fault" if fix else "good", says,
        KINDS["size"].why, fix,
    )  # fmt: skip


def range_gauge(m: Measured) -> Gauge:
    """Lowest and highest level in use; ground at zero is not counted, nor are a few lone pixels."""
    both = m.destination.zero == "mid"
    low, high = m.reach if m.flat else m.bulk
    used = max(high, -low) > LEVEL
    low, high = max(low, -1.0 if both else 0.0), min(max(high, 0.0), 1.0)
    low = min(low, 0.0) if both else (low if used else 0.0)
    lowest, highest = ((low + 1) / 2, (high + 1) / 2) if both else (low, high)
    reach = max(high, -low)
    verdict = judged("range", reach, m.destination)
    says, fix = "The whole range is in use.", ""
    if not used:
        verdict, says = "fault", "The plate is flat: everything is at zero."
    elif verdict != "good":
        says, fix = f"Only {per_cent(reach)} of the range is in use.", "levels"
    if both and used:
        parts = ((high, "raises"), (-low, "cuts"))
        told_apart = " and ".join(f"{way} by {about(part)} of what it can" for part, way in parts if part > LEVEL)
        says = f"It {told_apart}." + (" The whole range is in use." if verdict == "good" else "")
    value = f"{lowest * 100:.0f}–{highest * 100:.0f} %" if used else "flat"
    numbers = {"lowest": lowest, "highest": highest, "raises": high, "cuts": -low}
    return told("range", m, value, numbers, reach, verdict, says, fix)


def clipping_gauge(m: Measured) -> Gauge:
    """Share of the relief beyond an end, or cut flat below it; a top that is meant to be flat is not counted."""
    # Half a pixel, so that a plate that is all ground does not divide by nothing.
    relief = max(m.relief, 0.5) / m.height.size
    lower, upper = plateau.cut_flat(m.height, LEVEL)
    low, high = m.reach
    deep = -1 - LEVEL if m.destination.zero == "mid" else -DEEP
    top = max(m.share(1 + LEVEL, math.inf) / relief if high > 1 + LEVEL else 0.0, upper)
    lost = m.share(-math.inf, deep) / relief if low <= deep else 0.0
    bottom = max(lost, lower if m.destination.zero == "mid" else 0.0)
    clipped = max(top, bottom)
    verdict = judged("clipping", clipped, m.destination)
    if m.destination.kind != "height" and verdict != "good":
        verdict = "good"  # ink is full, a mask reveals all: that is what they are for
    says = "Nothing is cut flat."
    if verdict != "good":
        says = f"{about(clipped)} of the relief is cut flat."
    value = about(clipped) if clipped > 5e-5 else "none"
    numbers = {"clipped_low": bottom, "clipped_high": top}
    return told("clipping", m, value, numbers, clipped, verdict, says, "levels-wider")


def border_gauge(m: Measured) -> Gauge:
    """How far the outermost ring lies from zero, as it is stored; where it is to repeat it has no border."""
    v, depth = m.values, m.destination.depth
    top = {"8": 255.0, "16": 65535.0, "float": 1.0}[depth]
    level = ZERO_LEVEL[m.destination.zero]
    zero = level if depth == "float" else float(np.floor(level * top + 0.5))
    wrap = (False, False) if m.destination.tiling == "none" else m.wrap
    sides = ([] if wrap[1] else [v[0], v[-1]]) + ([] if wrap[0] else [v[:, 0], v[:, -1]])
    parts = [quantise(np.ascontiguousarray(side), depth) for side in sides]
    ring = max(float(np.abs(p.astype(np.float64) - zero).max()) for p in parts) / top / (1 - level)
    # Mid-grey lies between two levels of a file of whole numbers: the one above it is zero too.
    least = 0.6 / 65535 / (1 - level) if level else 1e-9
    ring = min(ring, 1.0) if ring > least else 0.0
    verdict = judged("border", ring, m.destination)
    says = "The border is exactly zero."
    if ring:
        says = f"Border is {about(ring)} away from zero: the stamp will show its square."
    value = "0" if ring == 0 else about(ring)
    fix = "clear-border" if ring <= 0.01 else "falloff"
    return told("border", m, value, {"departure": ring}, ring, verdict, says, fix)


def polarity_gauge(m: Measured) -> Gauge:
    """Polarity and zero as a sentence; it turns only over a plate that cuts where that cannot be."""
    to = m.destination
    lost = m.share(-math.inf, -DEEP) if to.zero == "black" else 0.0
    verdict = judged("polarity", lost, to)
    says = f"{to.polarity().capitalize()}."
    if verdict != "good":
        says += f" {about(lost)} of the plate lies below zero and will be lost."
    numbers = {"below_zero": lost, "light": light_share(m.form)}
    return told("polarity", m, to.raises, numbers, lost, verdict, says)


def light_share(form: Pixels) -> float:
    """Where the median of a form's heights lies between its low and its high ones, 0..1, away from its rim.

    Near 0 what is high is thin lines between wide low parts: joints that should perhaps be cut.
    A flat form, or one too small to tell, is 0.5.

    Parameters
    ----------
    form : float32 (H, W)
        Heights, 0 on the surface; a side of a few hundred pixels is enough.
    """
    shorter = min(form.shape)
    inside = blur.gaussian((np.abs(form) > 0.004).astype(np.float32), 0.02 * shorter) > 0.9
    reach = max(3, round(0.06 * shorter)) | 1
    inside = cv2.erode(inside.astype(np.uint8), np.ones((reach, reach), np.uint8)) > 0
    if inside.sum() < 0.01 * form.size:
        return 0.5
    low, middle, high = np.percentile(form[inside], (5, 50, 95))
    return float((middle - low) / (high - low)) if high - low > 0.1 else 0.5
