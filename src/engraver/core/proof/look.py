"""How a trial is looked at, and what was seen."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from ..surfaces.kind import Paper
from ..surfaces.view import FIRST_EYE, FIRST_LAMP, SURROUND, Colour, Eye, Lamp
from .projection import Projection

# Squares of the grid have to be so large for lines to be drawn, in squared half-widths of a line as it is drawn;
# so many pixels of the picture at rest, which is drawn at twice its size, then lie between neighbouring points.
_LARGE = 60.0
FINEST_LINES = math.sqrt(_LARGE) / 2
_PAPER = Paper()


@dataclass(frozen=True, slots=True)
class Look:
    """How a trial is looked at.

    ``size`` is (width, height) in pixels; ``moving`` draws from few triangles, ``rough`` without smoothing, as does
    ``moving``; ``fit`` is how many pixels a scene width of 2 takes, 0 for as many as the view has room for; ``lines``
    shows the grid of triangles.
    """

    size: tuple[int, int]
    eye: Eye = FIRST_EYE
    lamp: Lamp = FIRST_LAMP
    moving: bool = False
    rough: bool = False
    surround: Colour = SURROUND
    paper: Paper = _PAPER
    fit: float = 0.0
    lines: bool = False

    @property
    def quick(self) -> bool:
        """Whether it is drawn at its own size; else at twice that, and smoothed."""
        return self.moving or self.rough

    @property
    def places(self) -> tuple[object, ...]:
        """What has to be the same for pixels to stay where they are."""
        return self.size, self.eye, self.moving, self.rough, self.fit, self.lines

    @property
    def thick(self) -> np.float32:
        """Half the width of the grid's lines, in pixels as they are drawn; 0 for none."""
        return np.float32(0.6 if self.quick else 1.0) if self.lines else np.float32(0)

    @property
    def large(self) -> np.float32:
        """The least squares of the grid that show lines, in squared pixels as they are drawn."""
        return np.float32(_LARGE) * self.thick * self.thick


@dataclass(frozen=True, eq=False)
class Seen:
    """A picture, uint8 (height, width, 3), and where its pixels lie.

    Attributes
    ----------
    nearness : float32 (height, width)
        How near what is seen lies, below -1e8 where nothing is. Of this picture alone: the next one may be drawn
        on another thread while the hand asks where it is.
    factor : int
        Pixels of ``projection`` to one of the picture.
    projection : Projection
        How scene and pixels belong together.
    """

    picture: NDArray[np.uint8]
    nearness: Pixels
    factor: int
    projection: Projection

    def place(self, x: float, y: float) -> NDArray[np.float64] | None:
        """The scene place (3,) seen at a place of the picture; None beside the surface."""
        column, row = int(x), int(y)
        rows, columns = self.nearness.shape
        if not (0 <= row < rows and 0 <= column < columns) or self.nearness[row, column] < -1e8:
            return None
        return self.projection.scene(x * self.factor, y * self.factor, float(self.nearness[row, column]))
