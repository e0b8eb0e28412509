"""Delivering: size, zero, polarity, depth, in this order, as one pure function."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import BadValue
from ..files.write import encode
from ..numeric import resample
from ..raster import ZERO_LEVEL, Pixels, Raster
from .destinations import Destination

# Below this share of the range nothing is lost when cuts are dropped: half a 16-bit level.
_LEVEL = 0.5 / 65535


@dataclass(frozen=True, slots=True)
class Delivered:
    """What goes into the file, still in float: (H, W), unclipped, in the destination's convention."""

    pixels: Pixels
    destination: Destination
    reverse: bool = False

    def file(self, dpi: float | None = None) -> bytes:
        """The picture file."""
        return encode(self.pixels, self.destination.format, self.destination.depth, dpi)


def heights(values: Pixels, zero: str) -> Pixels:
    """Heights of a picture in which white raises: 0 on the surface, 1 for white."""
    if zero == "mid":
        result: Pixels = values * np.float32(2) - np.float32(1)
        return result
    return values


def deliver(raster: Raster, destination: Destination, *, side: int | None = None, reverse: bool = False) -> Delivered:
    """What a finished plate becomes for a destination.

    Parameters
    ----------
    raster : Raster
        The finished plate, full size, grey.
    destination : Destination
    side : int, optional
        Bring it to this side first.
    reverse : bool
        The other polarity than the destination's own.

    Raises
    ------
    BadValue
        Not square where a square is wanted (the words name ``crop``); or the plate
        cuts and the destination only raises.
    """
    if destination.square and raster.width != raster.height:
        raise BadValue(
            f"{destination.name} wants a square, and the plate is {raster.width} × {raster.height}", "",
            "Add a square crop: the step 'crop'",
        )  # fmt: skip
    if side is not None and side != raster.width:
        pixels, cover = resample.with_coverage(raster.pixels, raster.coverage, side, side, raster.wrap)
        raster = raster.but(pixels=pixels, coverage=cover)
    values = raster.flat()
    if raster.zero != destination.zero:
        if destination.zero == "mid":
            values = np.float32(0.5) + values * np.float32(0.5)
        else:
            values = heights(values, "mid")
            if float(values.min()) < -_LEVEL:
                raise BadValue(
                    f"{destination.name} cannot cut, and this plate does", "mid-grey is its zero",
                    "Choose a destination whose zero is mid-grey, or add a 'zero' step set to black",
                )  # fmt: skip
    if (destination.raises == "black") != reverse:
        values = np.float32(1) - values
    return Delivered(values, destination, reverse)


def zero_level(destination: Destination, reverse: bool = False) -> float:
    """The grey of untouched ground in the delivered file."""
    level = ZERO_LEVEL[destination.zero]
    return 1 - level if (destination.raises == "black") != reverse else level
