"""How a surface is looked at and lit."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels

Colour = tuple[int, int, int]
FIRST_TILT = 35.0
# The neutral ground behind.
SURROUND: Colour = (134, 133, 127)
# How far the eye stands away, in scene units, at zoom 1.
CAMERA = 5.2
# How far what is seen can be moved aside.
MOST_PAN = 3.0
# How high the lamp can stand, in degrees.
LAMP_HEIGHTS = (4.0, 85.0)


@dataclass(frozen=True, slots=True)
class Eye:
    """Where the surface is looked at from, in degrees; zoom 1 fills the view; x and y move what is seen, in
    shares of what is seen at zoom 1."""

    tilt: float = FIRST_TILT
    turn: float = -9.0
    zoom: float = 1.0
    x: float = 0.0
    y: float = 0.0

    def turned(self, tilt: float, turn: float) -> Eye:
        """Tilted and turned by so many degrees more."""
        return replace(self, tilt=self.tilt + tilt, turn=self.turn + turn)

    def moved(self, x: float, y: float) -> Eye:
        """What is seen moved over the view, in shares of the room that it may fill, to the right and up."""
        most = MOST_PAN
        far = (self.x + x / self.zoom, self.y + y / self.zoom)
        return replace(self, x=min(most, max(-most, far[0])), y=min(most, max(-most, far[1])))

    def zoomed(self, zoom: float, x: float, y: float) -> Eye:
        """Another zoom; what is seen at (x, y) from the middle, counted as in :meth:`moved`, stays there."""
        by = 1 / zoom - 1 / self.zoom
        return replace(self, zoom=zoom).moved(x * by * zoom, y * by * zoom)

    def rotation(self) -> NDArray[np.float32]:
        """From the scene to the eye's own axes (x right, y up, z to the eye), float32 (3, 3)."""
        t, s = math.radians(self.tilt), math.radians(self.turn)
        about_z = np.array([[math.cos(s), -math.sin(s), 0], [math.sin(s), math.cos(s), 0], [0, 0, 1]])
        about_x = np.array([[1, 0, 0], [0, math.cos(t), math.sin(t)], [0, -math.sin(t), math.cos(t)]])
        turned: NDArray[np.float32] = (about_x @ about_z).astype(np.float32)
        return turned


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

    def moved(self, azimuth: float, height: float) -> Lamp:
        """Moved by so many degrees, no lower than a raking light and not quite to the top."""
        low, high = LAMP_HEIGHTS
        return Lamp((self.azimuth + azimuth) % 360, min(high, max(low, self.height + height)))

    @classmethod
    def at(cls, x: float, y: float) -> Lamp:
        """Where a place on a dial of radius 1 puts it, x right and y down: straight above in its middle."""
        share = min(1.0, math.hypot(x, y))
        return cls(math.degrees(math.atan2(x, -y)) % 360, math.degrees(math.acos(share))).moved(0, 0)

    def on_dial(self) -> tuple[float, float]:
        """Where it stands on a dial of radius 1: the way back from :meth:`at`."""
        share, a = math.cos(math.radians(self.height)), math.radians(self.azimuth)
        return math.sin(a) * share, -math.cos(a) * share


FIRST_EYE, FIRST_LAMP = Eye(), Lamp()
