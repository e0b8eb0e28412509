"""Marks as rows of place, radius, turn and strength, and how they meet what lies below."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..numeric import resample
from ..raster import Pixels

# How a mark meets what lies there: the greater one stands, the one farther from zero stands, or it
# leaves a share of what is still bare.
Meeting = Literal["greater", "farther", "covers"]


@dataclass(frozen=True, slots=True)
class Mark:
    """One mark: its middle in pixels (centres at .5), half the side of its square in pixels, its turn
    clockwise in degrees, whether it is turned over, and how strong it is."""

    x: float
    y: float
    radius: float
    turn: float = 0.0
    flip: bool = False
    strength: float = 1.0


def along(path: NDArray[np.float64], step: float) -> NDArray[np.float64]:
    """Rows of ``path`` (n, 2 or more) at even ways along it, about ``step`` apart; its ends among them."""
    legs = np.hypot(*np.diff(path[:, :2], axis=0).T) if len(path) > 1 else np.zeros(0)
    total = float(legs.sum())
    count = int(total / max(step, 0.5))
    if count < 1:
        return path[:1]
    way, at = np.concatenate([[0.0], np.cumsum(legs)]), np.linspace(0, total, count + 1)
    return np.column_stack([np.interp(at, way, path[:, k]) for k in range(path.shape[1])])


def _spot(tip: Pixels, mark: Mark, rows: int, columns: int) -> tuple[tuple[slice, slice], Pixels] | None:
    """Where a mark lies on a raster, and its heights there; None beside it."""
    reach = math.ceil(mark.radius * 1.5) + 2
    box = (
        slice(max(0, int(mark.y) - reach), min(rows, int(mark.y) + reach + 1)),
        slice(max(0, int(mark.x) - reach), min(columns, int(mark.x) + reach + 1)),
    )
    if box[0].start >= box[0].stop or box[1].start >= box[1].stop:
        return None
    # A mark smaller than its tip is averaged, not sampled.
    small = resample.at_most(tip, max(2.0, 2 * mark.radius), 1)
    half = small.shape[0] / 2
    # From a pixel of the raster back into the tip, centres at .5 on both sides.
    scale = half / max(mark.radius, 1e-6)
    angle = math.radians(mark.turn)
    c, s = math.cos(angle) * scale, math.sin(angle) * scale
    u, v = box[1].start + 0.5 - mark.x, box[0].start + 0.5 - mark.y
    back = np.array([[c, s, c * u + s * v + half - 0.5], [-s, c, c * v - s * u + half - 0.5]])
    if mark.flip:
        small = np.ascontiguousarray(small[:, ::-1])
    size = box[1].stop - box[1].start, box[0].stop - box[0].start
    way = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    found: Pixels = cv2.warpAffine(small, back, size, flags=way)
    return box, found


def lay(tip: Pixels, marks: Iterable[Mark], out: Pixels, meeting: Meeting, check: Watch = unwatched) -> None:
    """Lay marks one after the other.

    Parameters
    ----------
    tip : float32 (n, n)
        Heights of the mark over its square.
    marks : iterable of Mark
        In pixels of ``out``.
    out : float32 (H, W)
        Changed in place; with "covers" it holds how bare it still is, 1 for untouched.
    """
    for mark in marks:
        check()
        found = _spot(tip, mark, *out.shape)
        if found is None:
            continue
        box, height = found
        there = out[box]
        if meeting == "covers":
            there *= 1 - np.float32(mark.strength) * height
            continue
        height *= np.float32(mark.strength)
        if meeting == "greater":
            np.maximum(there, height, out=there)
        else:
            np.copyto(there, height, where=np.abs(height) > np.abs(there))
