"""A plate as it is pressed along a curve: a strip whose columns run along the way."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..numeric import resample
from ..raster import Pixels, Raster, Wrap
from .tip import heights_of

# Rows that a strip is never made smaller than.
_LEAST = 4
# Fewer columns than this cannot be told to tile, and a step that is none, in tones.
_SOME_COLUMNS, _NOTHING = 8, 1e-6


@dataclass(frozen=True, eq=False)
class Strip:
    """Heights of a plate that lie along a curve.

    Attributes
    ----------
    tall : float32 (H, W)
        Heights times coverage, 1 for white, below 0 where it cuts. Columns run along the way; the top row lies to
        its left.
    cover : float32 (H, W) or None
        How much of each pixel is there, 0..1.
    wraps : bool
        Its last column goes on in its first.
    across : bool
        Its last row goes on in its first: it can be twisted.
    made : dict
        Smaller ones made so far, by their rows.
    """

    tall: Pixels
    cover: Pixels | None = None
    wraps: bool = False
    across: bool = False
    made: dict[int, Strip] = field(default_factory=dict)

    @property
    def long(self) -> float:
        """Its length, counted in its widths."""
        rows, columns = self.tall.shape
        return float(columns / rows)

    def at_rows(self, rows: float) -> Strip:
        """The same with about so many rows, averaged; itself where it has no more."""
        have, columns = self.tall.shape
        wanted = max(_LEAST, int(np.ceil(rows)))
        if wanted >= have:
            return self
        if wanted not in self.made:
            wide = max(_LEAST, round(columns * wanted / have))
            self.made[wanted] = Strip(
                self._less(self.tall, wanted, wide),
                None if self.cover is None else self._less(self.cover, wanted, wide), self.wraps, self.across,
            )  # fmt: skip
        return self.made[wanted]

    def _less(self, tones: Pixels, rows: int, columns: int) -> Pixels:
        """Averaged; where it goes on in itself its neighbours are its own."""
        if self.wraps:
            tones = np.tile(tones, (1, 3))
        if self.across:
            tones = np.tile(tones, (3, 1))
        times = 3 if self.across else 1, 3 if self.wraps else 1
        less = resample.joined_area(tones, rows * times[0], columns * times[1])
        top, left = rows * (times[0] // 2), columns * (times[1] // 2)
        return np.ascontiguousarray(less[top : top + rows, left : left + columns])


def joins(tall: Pixels) -> bool:
    """Whether the last column goes on in the first as columns do elsewhere: a file that tiles without saying so."""
    if tall.shape[1] < _SOME_COLUMNS:
        return False
    steps = np.abs(np.diff(tall, axis=1)).mean(axis=0)
    seam = float(np.abs(tall[:, 0] - tall[:, -1]).mean())
    # About as steep as the steps beside it, and as nearly all others.
    beside = float(max(steps[:2].max(), steps[-2:].max()))
    return seam <= max(1.5 * beside, _NOTHING) and seam <= max(2 * float(np.quantile(steps, 0.95)), _NOTHING)


def strip_of(raster: Raster) -> Strip:
    """A finished plate as a strip: along the axis on which it tiles; along its width where that is both, or none."""
    return strip_of_heights(heights_of(raster), raster.coverage, raster.wrap)


def strip_of_heights(tall: Pixels, cover: Pixels | None = None, wrap: Wrap = (False, False)) -> Strip:
    """As :func:`strip_of` from heights (H, W), 1 for white, and coverage where not all of it is there."""
    x, y = wrap
    if not x and not y and cover is None:  # a file does not say: it lies along its longer side
        x, y = joins(tall), joins(tall.T)
        y = y and (x or tall.shape[0] > tall.shape[1])
    if y and not x:
        tall, cover = np.rot90(tall), None if cover is None else np.rot90(cover)
        x, y = y, x
    return Strip(np.ascontiguousarray(tall), None if cover is None else np.ascontiguousarray(cover), x, y)
