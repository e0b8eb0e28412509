"""Delivering: size, zero, polarity, depth, in this order, as one pure function."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import BadValue
from ..files.write import EXTENSIONS, UNSIGNED, Signed, encode
from ..numeric.sizing import to_size
from ..pressing.tip import heights
from ..raster import ZERO_LEVEL, Facts, Pixels, Raster, Wrap
from .destinations import Destination

# Below this share of the range nothing is lost when cuts are dropped: half a 16-bit level.
_LEVEL = 0.5 / 65535


class CannotCut(BadValue):
    """A plate that cuts, for a destination that only raises: either may be changed."""


@dataclass(frozen=True, slots=True)
class Delivered:
    """What goes into the files, still in float.

    Attributes
    ----------
    pixels : float32 (H, W)
        Unclipped, in the destination's convention.
    alpha : float32 (H, W) or None
        Transparency, where the destination has it: over ground at zero it gives ``pixels`` again.
    ink : float32 (H, W) or None
        The tones that go with ``alpha``.
    reverse : bool
        The other polarity than the destination's own.
    wrap : (bool, bool)
        Whether the plate says that it repeats.
    facts : Facts or None
        Of the plate, at the size that is delivered.
    """

    pixels: Pixels
    destination: Destination
    reverse: bool = False
    alpha: Pixels | None = None
    ink: Pixels | None = None
    wrap: Wrap = (False, False)
    facts: Facts | None = None

    @property
    def side(self) -> int:
        return int(max(self.pixels.shape))

    def file(self, dpi: float | None = None, signed: Signed = UNSIGNED) -> bytes:
        """The picture file."""
        to = self.destination
        values = self.pixels if self.ink is None else self.ink
        return encode(values, to.format, to.depth, dpi or to.dpi, alpha=self.alpha, signed=signed)

    def files(self, stem: str, signed: Signed = UNSIGNED) -> list[tuple[str, bytes]]:
        """Every file of this delivery by its name: the picture, its twin, and the note beside bare numbers."""
        to = self.destination
        found = [(f"{stem}{to.extension}", self.file(signed=signed))]
        if to.twin is not None:
            name = f"{stem}{EXTENSIONS[to.twin.format]}"
            found.append((name, encode(self.pixels, to.twin.format, to.twin.depth, to.dpi, signed=signed)))
        if to.format == "raw":
            found.append((f"{stem}.txt", self._note(stem).encode()))
        return found

    def names(self, stem: str) -> list[str]:
        """The names that :meth:`files` gives, without making them."""
        to = self.destination
        twin = [f"{stem}{EXTENSIONS[to.twin.format]}"] if to.twin is not None else []
        return [f"{stem}{to.extension}", *twin, *([f"{stem}.txt"] if to.format == "raw" else [])]

    def _note(self, stem: str) -> str:
        rows, columns = self.pixels.shape
        low, high = float(self.pixels.min()), float(self.pixels.max())
        return (
            f"{stem}.raw: {columns} x {rows} points, row by row from the top left,\n"
            "16 bits each, unsigned, little-endian (low byte first), no header.\n"
            f"0 is {'the lowest height' if self.destination.raises == 'white' else 'the highest height'}, "
            f"65535 the other end; in use: {max(0.0, low) * 65535:.0f} to {min(1.0, high) * 65535:.0f}.\n"
            f"{self._ground()}"
        )

    def _ground(self) -> str:
        """What heights and pixels are on the ground, as far as the source tells."""
        facts = self.facts
        if facts is None:
            return ""
        white = "65535" if (self.destination.raises == "white") != self.reverse else "0"
        height = f"{white} is {facts.height_words()} above the zero of the plate.\n" if facts.height_words() else ""
        wide = f"Two neighbouring points are {facts.spacing_words()} apart.\n" if facts.spacing else ""
        return height + wide


def fitting_side(raster: Raster, destination: Destination) -> int | None:
    """The side to which a plate has to be brought for a destination; None when it fits as it is."""
    return fitting_side_of(max(raster.width, raster.height), destination)


def fitting_side_of(side: int, destination: Destination) -> int | None:
    """As :func:`fitting_side`, by the longer side of a plate."""
    return None if destination.sizes.fits(side) else destination.sizes.nearest(side)


def deliver(
    raster: Raster, destination: Destination, *, side: int | None = None, reverse: bool = False, judge: bool = False
) -> Delivered:
    """What a finished plate becomes for a destination.

    Parameters
    ----------
    raster : Raster
        The finished plate, full size, grey.
    destination : Destination
    side : int, optional
        Bring its longer side to this first; it is never stretched.
    reverse : bool
        The other polarity than the destination's own.
    judge : bool
        Only to be measured: what is not square is let through, and its gauge says so.

    Raises
    ------
    BadValue
        Not square where a square is wanted (the words name ``crop``); or the plate
        cuts and the destination only raises.
    """
    if not judge and not destination.takes_shape(raster.width, raster.height):
        raise BadValue(
            f"{destination.name} wants a square, and the plate is {raster.width} × {raster.height}", "",
            "Add a square crop: the step 'crop'",
        )  # fmt: skip
    longer, facts = max(raster.width, raster.height), raster.facts()
    if side is not None and side != longer:
        grid = destination.sizes.rule == "power-of-two-plus-one"
        rows, columns = (max(1, round(n * side / longer)) for n in (raster.height, raster.width))
        raster = to_size(raster, rows, columns, grid=grid)
        less = int(grid and min(rows, columns) > 1)
        spread = facts.source_per_pixel * (facts.width - less) / (columns - less)
        facts = facts.but(width=columns, height=rows, source_per_pixel=spread)
    values = raster.flat()
    if raster.zero != destination.zero:
        if destination.zero == "mid":
            values = np.float32(0.5) + values * np.float32(0.5)
        else:
            values = heights(values, "mid")
            if float(values.min()) < -_LEVEL:
                raise CannotCut(
                    f"{destination.name} cannot cut, and this plate does", "mid-grey is its zero",
                    "Choose a destination whose zero is mid-grey, or add a 'zero' step set to black",
                )  # fmt: skip
    dark = (destination.raises == "black") != reverse
    alpha = ink = None
    if destination.channels == "grey+alpha":
        alpha, ink = _clear(values, destination, dark)
    if dark:
        values = np.float32(1) - values
    return Delivered(values, destination, reverse, alpha, ink, raster.wrap, facts)


def _clear(values: Pixels, destination: Destination, dark: bool) -> tuple[Pixels, Pixels]:
    """Transparency and ink: how far the tone lies from zero, in one full ink (in two where zero is mid-grey)."""
    level = np.float32(ZERO_LEVEL[destination.zero])
    away = (values - level) / np.float32(1 - level)
    alpha: Pixels = np.clip(np.abs(away) if level else away, 0, 1)
    raises = away > 0 if level else np.ones_like(values, bool)
    return alpha, (raises != dark).astype(np.float32)


def zero_level(destination: Destination, reverse: bool = False) -> float:
    """The grey of untouched ground in the delivered file."""
    level = ZERO_LEVEL[destination.zero]
    return 1 - level if (destination.raises == "black") != reverse else level
