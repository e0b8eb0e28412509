"""What is drawn of a picture, pixel by pixel, before it has colours."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels


@dataclass(frozen=True, slots=True, eq=False)
class Buffers:
    """Room for one picture of a size; it is drawn with ``factor`` times its rows and columns.

    Attributes
    ----------
    nearness : float32 (rows, columns)
        How near what is seen lies, -1e9 where nothing is.
    image : float32 (3, rows, columns)
        Normals in the eye's axes; of a page how much it is inked, as the last of three.
    wire : uint8 (rows, columns)
        1 where a line of the grid is seen.
    light : float32 (rows, columns)
        Brightness, below 0 where nothing is.
    picture : uint8 (rows / factor, columns / factor, 3)
        RGB.
    """

    nearness: Pixels
    image: Pixels
    wire: NDArray[np.uint8]
    light: Pixels
    picture: NDArray[np.uint8]
    factor: int

    @classmethod
    def of(cls, size: tuple[int, int], factor: int) -> Buffers:
        """For a picture of a size, (width, height)."""
        rows, columns = size[1] * factor, size[0] * factor
        nearness, light = np.empty((2, rows, columns), np.float32)
        image, wire = np.zeros((3, rows, columns), np.float32), np.zeros((rows, columns), np.uint8)
        return cls(nearness, image, wire, light, np.empty((size[1], size[0], 3), np.uint8), factor)

    @property
    def drawn(self) -> tuple[Pixels, Pixels, NDArray[np.uint8]]:
        """What triangles are drawn into: nearness, image and wire."""
        return self.nearness, self.image, self.wire

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) as it is drawn."""
        return self.nearness.shape[1], self.nearness.shape[0]

    def cover(self) -> Pixels:
        """How much of each pixel of the picture is surface, not what lies behind: float32 (height, width), 0..1."""
        height, width = self.picture.shape[:2]
        there = (self.nearness > -1e8).astype(np.float32)
        share: Pixels = there.reshape(height, self.factor, width, self.factor).mean(axis=(1, 3))
        return share
