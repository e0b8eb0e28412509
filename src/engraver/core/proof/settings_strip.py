"""Little strips that show what stroke settings do: one stroke, pressed and lit like everything else."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from ..pressing.expand import expand
from ..pressing.gesture import Gesture, packed_points
from ..pressing.relief import Relief, Tip
from ..pressing.settings import GROUPS, StrokeSettings, checked
from ..surfaces import surface
from ..surfaces.ground import Even, Ground
from ..surfaces.view import Lamp
from .plaster import plaster_ramp

# A mark's size as a share of the strip's height, and how high it stands as a share of its size.
_SIZE, _HIGH = 0.74, 0.07
_LAMP = Lamp(315.0, 34.0)


def only(group: str, settings: StrokeSettings) -> StrokeSettings:
    """Neutral settings but for one group's, with marks that stand apart where that is not what the group says."""
    kept = next(g.fields for g in GROUPS if g.id == group)
    values = {name: getattr(settings, name) for name in kept}
    start: dict[str, float | str] = {"spacing": 0.9, "meets": "highest"}
    return checked(**{**start, **values})


def strip_of(
    settings: StrokeSettings, tip: Tip, width: int, rows: int, tooth: NDArray[np.float32] | None = None
) -> NDArray[np.uint8]:
    """A stroke over a plain strip, its pressure growing and falling, uint8 (rows, width, 3), RGB."""
    across = 2.0 / width
    even = Even(rows, width, -1 + across / 2, rows * across / 2 - across / 2, across, -across)
    places = np.zeros((rows, width, 3), np.float32)
    places[..., 0] = even.x + across * np.arange(width)
    places[..., 1] = (even.y - across * np.arange(rows))[:, None]
    up = np.zeros_like(places)
    up[..., 2] = 1
    none = np.zeros((0, 3), np.int32)
    relief = Relief(Ground(places.reshape(-1, 3), up.reshape(-1, 3), none, none, "plane", even=even))
    size = _SIZE * rows * across
    share = np.linspace(0, 1, 40)
    way = np.stack(
        [-1 + size * 0.7 + share * (2 - size * 1.4), np.sin(share * 2 * math.pi) * rows * across * 0.12], -1
    )
    pressure = 0.15 + 0.85 * np.sin(share * math.pi)
    drawn = settings.but(
        size=max(0.002, size / 2),
        strength=_HIGH,
        tooth_scale=min(2.0, max(0.005, settings.tooth_scale * size / 2 / settings.size)),
    )
    data = packed_points(np.column_stack([way, np.zeros(len(way))]), pressure, 0.0, share * 2.0)
    marks = expand(
        Gesture(uid="strip", kind="stroke", plate="p", settings=drawn, data=data, seed=5), surface("flat").geometry
    )
    relief.press(marks, tip, drawn, tooth)
    tall = relief.height.reshape(rows, width) / np.float32(across)
    dx = cv2.Sobel(tall, cv2.CV_32F, 1, 0, scale=1 / 8, borderType=cv2.BORDER_REPLICATE)
    dy = cv2.Sobel(tall, cv2.CV_32F, 0, 1, scale=1 / 8, borderType=cv2.BORDER_REPLICATE)
    x, y, z = _LAMP.direction()
    lit = np.clip((-dx * x + dy * y + z) / np.sqrt(dx * dx + dy * dy + 1), 0, 1)
    ramp = plaster_ramp()
    found: NDArray[np.uint8] = ramp[np.clip((0.2 + 0.72 * lit) * 1150, 0, 1023).astype(np.int32)].astype(np.uint8)
    return found
