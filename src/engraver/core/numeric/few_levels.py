"""Few tones: how many even steps a picture holds, and where nothing hides them."""

from __future__ import annotations

import cv2
import numpy as np

from ..raster import Pixels
from .ranks import percentile

# Mean square of what a smoothing takes away, in squared steps, above which something else hides them.
_ROUGH = 0.3
# The side at which tones are looked at for steps.
_LOOKED_AT = 512


def even_levels(tones: Pixels) -> int:
    """How many even steps lie from black to white, where there are 256 or fewer; 0 for more.

    Parameters
    ----------
    tones : float32 (H, W)
        0..1; at least 99.5 % of them lie on the steps, to within a fiftieth of one.
    """
    few = tones[:: max(1, tones.shape[0] // _LOOKED_AT), :: max(1, tones.shape[1] // _LOOKED_AT)]
    if float(np.ptp(few)) < 0.02:
        return 0
    for count in (15, 31, 63, 127, 255, 256):
        at = few * count
        if percentile(np.abs(at - np.round(at)), 99.5) < 0.02:
            return count
    return 0


def bare_steps(tones: Pixels, levels: float) -> float:
    """Share of what slopes that is as smooth as its steps let it be, 0..1: nothing there hides them.

    What a light smoothing takes away of a smooth slope cut into steps has the mean square of rounding, a twelfth of a
    squared step (W. R. Bennett, "Spectra of quantized signals", 1948, from memory), and a little more at the steps.

    Parameters
    ----------
    tones : float32 (H, W)
        0..1.
    levels : float
        Steps from black to white.
    """
    scaled = np.ascontiguousarray(tones * levels, np.float32)
    rest = scaled - cv2.GaussianBlur(scaled, (0, 0), 1.5)
    rough = cv2.boxFilter(rest * rest, -1, (9, 9))
    box = np.ones((7, 7), np.uint8)
    slopes = (cv2.dilate(scaled, box) - cv2.erode(scaled, box)) > 0.5
    return float((rough[slopes] < _ROUGH).mean()) if slopes.any() else 0.0
