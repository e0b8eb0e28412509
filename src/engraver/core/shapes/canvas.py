"""What shapes are laid on, one after the other: heights over the ground, and how much of each pixel is built on."""

from __future__ import annotations

import math

import numpy as np

from ..numeric import outlined
from ..numeric.contours import Contours
from ..numeric.meeting import Meets, lay
from ..numeric.outlined import Bounds
from ..raster import Wrap
from .standing import Standing, reach_of, stand

# How often a large shape goes on over a border that wraps, to either side.
_TURNS = 4


class Canvas:
    """Heights of ``rows`` by ``columns`` pixels; lengths are shares of ``short``, its shorter side by itself.

    ``laid`` holds heights over the ground, times ``cover``, how much of each pixel is built on.
    """

    def __init__(self, rows: int, columns: int, wrap: Wrap = (False, False)) -> None:
        self.rows, self.columns, self.wrap = rows, columns, wrap
        self.short = float(min(rows, columns))
        self.laid = np.zeros((rows, columns), np.float32)
        self.cover = np.zeros((rows, columns), np.float32)

    def lay(self, contours: Contours, standing: Standing, meets: Meets, even_odd: bool = False) -> None:
        """Lay a shape; over a border that wraps it goes on at the other side.

        Parameters
        ----------
        contours : closed polygons in pixels of the canvas
        even_odd : bool
            The fill rule.
        """
        within = outlined.bounds(contours)
        reach = reach_of(standing, self.short)
        for across in self._turns(0, within[0] - reach, within[2] + reach):
            for down in self._turns(1, within[1] - reach, within[3] + reach):
                x, y = across * self.columns, down * self.rows
                if not (x or y):
                    self._one(contours, within, standing, meets, even_odd)
                    continue
                moved = tuple(np.add(points, (x, y)) for points in contours)
                there = (within[0] + x, within[1] + y, within[2] + x, within[3] + y)
                self._one(moved, there, standing, meets, even_odd)

    def _turns(self, axis: int, low: float, high: float) -> range:
        """How often to either side a shape comes again along an axis."""
        if not self.wrap[axis]:
            return range(1)
        size = self.columns if axis == 0 else self.rows
        first, last = -math.floor(high / size), -math.floor(low / size)
        return range(max(-_TURNS, first), min(_TURNS, last) + 1)

    def _one(self, contours: Contours, within: Bounds, standing: Standing, meets: Meets, even_odd: bool) -> None:
        found = stand(standing, contours, within, even_odd, self.short, self.rows, self.columns)
        if found is None:
            return
        box, cover, height = found
        below, built_on = self.laid[box.slices], self.cover[box.slices]
        lay(below, built_on, cover, height, meets)
