"""Gauges of the form: centre, lift, steepness, and whether it is recognised when small."""

from __future__ import annotations

import math

import numpy as np

from ..numeric import blur, resample
from ..proof.strength import steepness
from .gauge import LEVEL, Gauge, Measured, judged, told

ICON = 64


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
    """Mean of the low-passed height where the plate is not ground."""
    small = m.form
    used = (np.abs(small) > LEVEL).astype(np.float32)
    inside = blur.gaussian(used, 0.02 * min(small.shape)) > 0.5
    soft = blur.gaussian(small, 0.06 * min(small.shape))
    lift = float(soft[inside].mean()) if inside.any() else 0.0
    size = abs(lift)
    verdict = judged("lift", size, m.destination)
    says = "The form lies on the surface."
    if verdict != "good":
        says = f"The whole disc stands {size:.0%} up: the stamp reads as a pancake."
    return told("lift", m, f"{lift:.2f}", {"lift": lift}, size, verdict, says, "lift")


def steepness_gauge(m: Measured) -> Gauge:
    strength = steepness(m.mark)
    verdict = judged("steepness", strength, m.destination)
    says = f"Up to a strength of {strength:.1%} of its width the relief keeps its form."
    if verdict != "good":
        says = f"Above {strength:.1%} of its width the relief turns into needles."
    value = "flat" if strength >= 1.0 else f"{strength * 100:.1f} %"
    return told("steepness", m, value, {"strength": strength}, strength, verdict, says, "soften")


def seen_gauge(m: Measured) -> Gauge:
    """Contrast (standard deviation) of the picture as an icon of 64 pixels; advice."""
    icon = resample.at_most(m.form, ICON)
    contrast = float(icon.std())
    verdict = judged("recognisable", contrast, m.destination)
    says = "It is recognised as a small icon."
    if verdict != "good":
        says = f"As an icon of {ICON} pixels it is nearly one grey."
    return told("recognisable", m, f"{contrast:.2f}", {"contrast": contrast}, contrast, verdict, says)
