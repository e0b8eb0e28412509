"""How a proof is looked at and lit."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..raster import Pixels

Colour = tuple[int, int, int]
FIRST_TILT = 35.0
# The neutral ground behind.
SURROUND: Colour = (134, 133, 127)


@dataclass(frozen=True, slots=True)
class Eye:
    """Where the surface is looked at from, in degrees; zoom 1 fills the view."""

    tilt: float = FIRST_TILT
    turn: float = -9.0
    zoom: float = 1.0


@dataclass(frozen=True, slots=True)
class Lamp:
    """The movable light: azimuth clockwise from the top, height above the surface, in degrees."""

    azimuth: float = 315.0
    height: float = 38.0

    def direction(self) -> Pixels:
        """Towards the lamp, (3,): x right, y up, z to the eye."""
        a, h = math.radians(self.azimuth), math.radians(self.height)
        across = math.cos(h)
        towards: Pixels = np.array([math.sin(a) * across, math.cos(a) * across, math.sin(h)], np.float32)
        return towards


FIRST_EYE, FIRST_LAMP = Eye(), Lamp()
