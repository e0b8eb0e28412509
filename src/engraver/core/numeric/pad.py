"""Growing a picture over its borders."""

from __future__ import annotations

import cv2

from ..raster import Pixels, Wrap


def pad(values: Pixels, x: int, y: int, wrap: Wrap) -> Pixels:
    """Grow an array by ``x`` and ``y`` on each side: wrapping where it wraps, mirrored elsewhere."""
    if x == 0 and y == 0:
        return values
    across = cv2.BORDER_WRAP if wrap[0] else cv2.BORDER_REFLECT
    down = cv2.BORDER_WRAP if wrap[1] else cv2.BORDER_REFLECT
    grown: Pixels = cv2.copyMakeBorder(values, 0, 0, x, x, across) if x else values
    return cv2.copyMakeBorder(grown, y, y, 0, 0, down) if y else grown
