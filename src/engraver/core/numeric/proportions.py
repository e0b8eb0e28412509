"""The proportions of a rectangle that was photographed aslant, from its four corners alone."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

# What is usual of a lens, its focal length in parts of the picture's longer side; how far lenses are from it, and how
# far corners are from where they should be, tells how much either is believed.
_USUAL, _BELIEF = 0.9, 3e-4
_SHORTEST, _LONGEST = 0.45, 6.0


def width_over_height(corners: NDArray[np.float64], size: tuple[float, float]) -> float:
    """How many times as wide as high a rectangle is.

    Parameters
    ----------
    corners : float64 (4, 2)
        In pixels, clockwise from the top left; convex.
    size : (float, float)
        Width and height in pixels of the picture that the camera took, whose middle its axis meets.

    Notes
    -----
    Z. Zhang and L.-W. He, "Whiteboard scanning and image enhancement", 2007: that the sides are square to each other
    tells the focal length, and with it their proportions. Where they tell little of it, as when one pair is parallel
    in the picture, a usual lens counts instead (ridge regression of the inverse square of the focal length).
    """
    a, b, d, c = np.column_stack([(corners - np.array(size) / 2) / max(size), np.ones(4)])[[0, 1, 3, 2]]
    across = float(np.cross(a, c) @ d) / float(np.cross(b, c) @ d) * b - a
    down = float(np.cross(a, c) @ b) / float(np.cross(d, c) @ b) * d - a
    near, far = float(across[:2] @ down[:2]), float(across[2] * down[2])
    bend = (_BELIEF / _USUAL**2 - near * far) / (near**2 + _BELIEF)
    bend = min(max(bend, 1 / _LONGEST**2), 1 / _SHORTEST**2)
    sizes = [math.hypot(math.sqrt(bend) * way[0], math.sqrt(bend) * way[1], way[2]) for way in (across, down)]
    return sizes[0] / sizes[1]
