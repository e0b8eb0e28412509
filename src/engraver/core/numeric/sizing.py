"""A raster brought to another number of pixels, with what must not change on the way: its ring, its posts."""

from __future__ import annotations

import numpy as np

from ..raster import ZERO_LEVEL, Raster
from . import filters, resample

# Left, top, right, bottom: the outermost column or row of an (H, W, ...) array.
Side = tuple[slice | int, slice | int]
_ALL = slice(None)
_SIDES: tuple[Side, ...] = ((_ALL, 0), (0, _ALL), (_ALL, -1), (-1, _ALL))


def to_size(raster: Raster, rows: int, columns: int, name: filters.Filter = "auto", *, grid: bool = False) -> Raster:
    """A raster of (rows, columns) pixels.

    Parameters
    ----------
    name : {"auto", "area", "lanczos", "mitchell", "nearest"}
        As :func:`.filters.by_filter` has them.
    grid : bool
        Its pixels are posts, not cells, as those of terrain grids of 2^n + 1: the outermost stay where they
        are, and depend on no other row or column, so that tiles with a common edge still share it.

    A side whose outermost pixels are at zero keeps them there to the last bit.
    Pixels (H, W) or (H, W, 3) and coverage are resampled together, what is not there bleeding nowhere.
    """
    if (raster.height, raster.width) == (rows, columns):
        return raster
    wrap = (False, False) if grid else raster.wrap
    pixels, cover = resample.through(
        raster.pixels, raster.coverage,
        lambda plane: filters.by_filter(plane, rows, columns, name, wrap, grid=grid),
    )  # fmt: skip
    still = still_sides(raster)
    if still:
        level = ZERO_LEVEL[raster.zero]
        pixels, cover = np.array(pixels), None if cover is None else np.array(cover)
        for side in still:
            if cover is None:
                pixels[side] = level
            else:
                cover[side] = 0
    return raster.but(pixels=pixels, coverage=cover)


def still_sides(raster: Raster) -> list[Side]:
    """Those outermost columns and rows that lie exactly at zero, and do not go on over the border."""
    if raster.channels != 1 and raster.coverage is None:
        return []
    level = ZERO_LEVEL[raster.zero]
    found: list[Side] = []
    for n, side in enumerate(_SIDES):
        if raster.wrap[n % 2]:
            continue
        off = np.abs(raster.pixels[side] - np.float32(level)) if raster.coverage is None else raster.coverage[side]
        if not off.any():
            found.append(side)
    return found
