"""Gauges of the outline: whether it runs in stairs, and whether the frame has cut it off."""

from __future__ import annotations

import numpy as np

from ..numeric.stairs import stairs
from ..words import about
from .gauge import Gauge, Measured, judged, told

# What is lower than this share of the highest is ground, and so near the frame, as a share of the side, it is met.
_GROUND, _NEAR = 0.01, 0.012
# A cut runs level within the first share of the side, and hardly goes on within the second: a round form does.
_LEVEL, _ROUND, _STRAIGHT = 0.005, 0.02, 0.75
# From so much of a side on it is a cut; with more than so much the picture fills its frame.
_LEAST, _MOST = 0.04, 0.75
_SIDES = ("upper", "lower", "left", "right")


def stairs_gauge(m: Measured) -> Gauge:
    """How far the places where borders are steepest keep to a lattice."""
    found = stairs(m.values)
    verdict = judged("stairs", found.strength, m.destination)
    says = "Its borders run smoothly."
    if verdict != "good":
        says = f"Its borders run in stairs of {found.step:.1f} pixels: they were cut hard, and enlarged after that."
    value = f"{found.step:.1f} px" if verdict != "good" else "none"
    numbers = {"strength": found.strength, "step": found.step}
    return told("stairs", m, value, numbers, found.strength, verdict, says, "size-first")


def cut_gauge(m: Measured) -> Gauge:
    """The share of the frame along which the form ends in a straight cut."""
    sides = _cut_sides(np.abs(m.form))
    share = sum(sides.values()) / 4
    verdict = judged("cut-off", share, m.destination)
    says = "The whole form lies inside its frame."
    if verdict != "good":
        where = " and ".join(f"{name} edge" for name in sides)
        says = f"The form is cut off at the {where}: a wider crop, or a source that shows all of it, makes it whole."
    return told("cut-off", m, about(share) if share else "whole", {"share": share}, share, verdict, says)


def _cut_sides(form: np.ndarray) -> dict[str, float]:
    """The sides where something that has ground round it ends straight at the frame, and along how much of them."""
    there, shorter = form > _GROUND * max(float(form.max()), 1e-9), min(form.shape)
    found: dict[str, float] = {}
    met = 0
    for name, view in zip(_SIDES, (there, there[::-1], there.T, there.T[::-1]), strict=True):
        depth = np.where(view.any(axis=0), view.argmax(axis=0), len(view))
        first = int(depth.min())
        if first > max(1, round(_NEAR * shorter)):
            continue
        met += 1
        level = int((depth <= first + max(1, round(_LEVEL * shorter))).sum())
        wide = int((depth <= first + max(4, round(_ROUND * shorter))).sum())
        if level >= _STRAIGHT * wide and _LEAST <= level / len(depth) <= _MOST:
            found[name] = level / len(depth)
    return found if met <= 2 else {}
