"""Few tones: how many even steps a picture holds, and where nothing hides them."""

from __future__ import annotations

import cv2
import numpy as np

from ..raster import Pixels

# Mean square of what a smoothing takes away, in steps: that of steps alone is a twelfth and a little more.
ROUGH = 0.3


def even_levels(tones: Pixels) -> int:
    """How many even steps lie from black to white, where there are 256 or fewer; 0 for more."""
    few = tones[:: max(1, tones.shape[0] // 512), :: max(1, tones.shape[1] // 512)]
    if float(np.ptp(few)) < 0.02:
        return 0
    for count in (15, 31, 63, 127, 255, 256):
        at = few * count
        if float(np.percentile(np.abs(at - np.round(at)), 99.5)) < 0.02:
            return count
    return 0


def bare_steps(tones: Pixels, levels: int) -> float:
    """Share of what slopes that is as smooth as its levels let it be: nothing there hides the steps."""
    scaled = np.ascontiguousarray(tones * levels, np.float32)
    rest = scaled - cv2.GaussianBlur(scaled, (0, 0), 1.5)
    rough = cv2.boxFilter(rest * rest, -1, (9, 9))
    box = np.ones((7, 7), np.uint8)
    slopes = (cv2.dilate(scaled, box) - cv2.erode(scaled, box)) > 0.5
    return float((rough[slopes] < ROUGH).mean()) if slopes.any() else 0.0
