"""Gauges of the form: centre, lift, steepness, and whether it is recognised when small."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from ..numeric import blur, resample
from ..numeric.plateau import MEANT, unevenness
from ..proof.strength import steepnesses
from ..raster import Pixels
from ..words import per_cent
from .gauge import LEVEL, Gauge, Measured, judged, told

ICON = 64
# A wall of one pixel reaches 60 degrees at a strength of 3.5 over the side in pixels; what is nearly so is one.
WALL = 4.8
# So little a level top changes from one of 256 points to the next.
_LEVEL_TOP = 0.002


def centre_gauge(m: Measured) -> Gauge:
    """How far the middle of what is there lies from the middle of the plate, as a share of the shorter side."""
    small = np.abs(m.form).astype(np.float64)
    total = float(small.sum())
    off = 0.0
    if total > LEVEL * small.size:
        rows, columns = small.shape
        x = float((small.sum(axis=0) * (np.arange(columns) + 0.5)).sum() / total) - columns / 2
        y = float((small.sum(axis=1) * (np.arange(rows) + 0.5)).sum() / total) - rows / 2
        off = math.hypot(x, y) / min(rows, columns)
    verdict = judged("centre", off, m.destination)
    says = "It lies in the middle." if verdict == "good" else f"It lies {off * 100:.1f} % of the side off the middle."
    fix = "centre" if m.faded else "falloff"
    return told("centre", m, f"{off * 100:.1f} %" if total else "flat", {"off": off}, off, verdict, says, fix)


def lift_gauge(m: Measured) -> Gauge:
    """Means of the low-passed heights above and below zero where the plate is not ground."""
    small = m.form
    used = (np.abs(small) > LEVEL).astype(np.float32)
    inside = blur.gaussian(used, 0.02 * min(small.shape)) > 0.5
    soft = blur.gaussian(small, 0.06 * min(small.shape))[inside]
    up, down = (float(np.maximum(way * soft, 0).mean()) if soft.size else 0.0 for way in (1, -1))
    # Where half lies up and half down, each half is as high as it is.
    raised, cut = (float(np.maximum(way * soft, 0).sum() / max((way * soft > 0).sum(), 1)) for way in (1, -1))
    size = max(raised if up > 0.25 * (up + down) else up, cut if down > 0.25 * (up + down) else down)
    verdict = judged("lift", size, m.destination)
    says, bare = "The form lies on the surface.", verdict != "good" and m.faded and _bare(small, used > 0)
    if verdict != "good":
        ways = " and ".join(f"{per_cent(part)} {way}" for part, way in ((raised, "up"), (cut, "down"))
                            if part >= 0.5 * size)  # fmt: skip
        says = f"Wide parts stand {ways}: the stamp reads as a pancake."
        if bare:  # an emblem's top is meant
            verdict, says = "look", f"Its flat top stands {ways}: as an emblem does, but no texture should."
    value = f"{raised:.2f} up, {cut:.2f} down" if cut > 0.05 else f"{raised:.2f}"
    numbers = {"lift": up - down, "up": raised, "down": cut}
    return told("lift", m, value, numbers, size, verdict, says, "" if bare else "lift")


def _bare(small: Pixels, used: NDArray[np.bool_]) -> bool:
    """Whether what stands off the ground is mostly level, with nothing on it."""
    return bool((unevenness(small)[used] <= _LEVEL_TOP).mean() >= MEANT)


def steepness_gauge(m: Measured) -> Gauge:
    (strength, on_slopes), walls = steepnesses(m.mark, wanted=True), False
    if strength >= 0.015:
        walls = on_slopes < WALL / max(m.mark.shape)
        strength = min(strength, on_slopes) if walls else strength
    verdict = judged("steepness", strength, m.destination)
    says = f"Up to a strength of {per_cent(strength, 1)} of its width the relief keeps its form."
    if walls:
        verdict = "look" if verdict == "fault" else verdict
        says = "It rises in upright walls, one pixel wide: a bevel or softening gives them a slope."
    elif verdict != "good":
        says = f"Above {per_cent(strength, 1)} of its width the relief turns into needles."
    value = "walls" if walls else "flat" if strength >= 1.0 else f"{strength * 100:.1f} %"
    return told("steepness", m, value, {"strength": strength}, strength, verdict, says, "soften")


def seen_gauge(m: Measured) -> Gauge:
    """Contrast of the picture as an icon of 64 pixels, about its own wide form; or how much its outline tells."""
    icon = resample.at_most(m.form, ICON)
    used = (np.abs(icon) > 0.02).astype(np.float32)
    wide = blur.normalised(icon, used, ICON / 16, (False, False))
    # What fades is looked at over its own height: a soft rim is no picture.
    inside = (blur.gaussian(used, 1.5) > 0.85) & (np.abs(wide) > 0.6 * float(np.abs(wide).max(initial=0)))
    own = (icon - wide)[inside] / np.maximum(np.abs(wide[inside]), 0.05)
    contrast = float(own.std()) * float(np.abs(wide).max(initial=0)) if inside.sum() > 16 else 0.0
    seen = max(contrast, _outline(used))
    verdict = judged("recognisable", seen, m.destination)
    says = "It is recognised as a small icon."
    if verdict != "good":
        says = f"At {ICON} pixels it is nearly one grey, with a plain outline."
    return told("recognisable", m, f"{seen:.2f}", {"contrast": contrast, "seen": seen}, seen, verdict, says)


def _outline(used: np.ndarray) -> float:
    """How far the outline is from that of a disc or a square: 0 for those, 0.3 and more for a figure."""
    count, _, _, _ = cv2.connectedComponentsWithStats(used.astype(np.uint8))
    outlines, _ = cv2.findContours(used.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not outlines:
        return 0.0
    hull = cv2.convexHull(np.concatenate(outlines))
    full = max(cv2.contourArea(hull), 1.0)
    return float(max(0.0, 1 - used.sum() / (full + 0.5 * len(hull)))) if count > 1 else 0.0
