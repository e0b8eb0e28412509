"""What is known of a picture file, how it is read, and the common way to a raster."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import BadPicture
from ..numeric.split_rows import split_rows
from ..params import StepZero, flag, integer, number
from ..raster import Facts, Raster

# Beyond this a decoder is not even started: 13,300 pixels squared.
MAX_PIXELS = 178_000_000
# What lies further from zero is no height but the emptiness behind it, as depth pictures write it: a hole.
# Whole numbers of 32 bits stay inside.
FARTHEST = 4.3e9
_CLEAR = "Export the picture again from where it came from, or choose another one"

Samples = Literal["bits", "whole", "signed", "float"]


@dataclass(frozen=True, slots=True)
class PictureFacts:
    """What the header of a picture tells, before its pixels are read.

    ``samples`` is "bits" for 1-bit, "whole" for unsigned whole numbers, "signed"
    and "float" for values that need a stated lowest and highest, as ``elevation``
    does: whole numbers that count heights. ``range`` is what the file itself says
    is black and white. ``unit`` is that of its heights, ``spacing`` the width of a
    pixel on the ground and its unit. Width and height are those after the picture
    is turned upright.
    """

    format: str
    width: int
    height: int
    depth: int
    channels: int
    alpha: bool = False
    samples: Samples = "whole"
    dpi: float | None = None
    pages: int = 1
    camera: bool = False
    lossy: bool = False
    elevation: bool = False
    range: tuple[float, float] | None = None
    unit: str = ""
    spacing: tuple[float, str] | None = None

    @property
    def ranged(self) -> bool:
        """Whether it takes a lowest and a highest value to make tones of what is stored."""
        return self.samples in ("float", "signed") or self.elevation

    @property
    def sharp_side(self) -> int:
        """The side of the largest square plate this picture fills without enlarging."""
        return min(self.width, self.height)

    def words(self) -> str:
        """One line for the artist."""
        kind = "grey" if self.channels == 1 else "colour"
        depth = f"{self.depth}-bit {'float ' if self.samples == 'float' else ''}{kind}"
        dpi = f" · {self.dpi:.0f} DPI" if self.dpi else ""
        ground = f" · a pixel is {self.spacing[0]:.4g} {self.spacing[1]}" if self.spacing else ""
        return f"{self.width} × {self.height} · {depth} {self.format}{dpi}{ground}"

    def range_words(self, lo: float, hi: float) -> str:
        """What black and white stand for."""
        unit = f" {self.unit}" if self.unit else ""
        return f"black is {lo:.5g}{unit}, white {hi:.5g}{unit}"


class Reading(StepZero):
    """Reading parameters, step zero of a plate: how the source becomes a raster."""

    kind: ClassVar[str] = "picture"

    lo: float | None = number(
        None, -FARTHEST, FARTHEST, "Lowest", "The stored value that becomes black; for float and elevation pictures."
    )  # fmt: skip
    hi: float | None = number(
        None, -FARTHEST, FARTHEST, "Highest", "The stored value that becomes white; for float and elevation pictures."
    )  # fmt: skip
    reversed: bool = flag(False, "Read reversed", "White and black change places: for pictures of depth.")
    page: int = integer(0, 0, 9999, "Page", "Which picture of a file that holds several.")


@dataclass(frozen=True, slots=True)
class Decoded:
    """Stored values as they came: (H, W) or (H, W, 3), upright, with alpha 0..1 or None."""

    values: NDArray[Any]
    alpha: NDArray[np.float32] | None
    facts: PictureFacts
    nodata: float | None = None

    @property
    def nbytes(self) -> int:
        return self.values.nbytes + (0 if self.alpha is None else self.alpha.nbytes)


def check_size(name: str, width: int, height: int) -> None:
    """Refuse a picture whose header claims no pixels or more than can be handled."""
    if width < 1 or height < 1:
        raise BadPicture(f"{name} cannot be read", "it has no pixels", _CLEAR)
    if width * height > MAX_PIXELS:
        raise BadPicture(
            f"{name} cannot be read",
            f"it says it is {width:,} × {height:,} pixels, more than Engraver takes in",
            f"Make it smaller than {MAX_PIXELS / 1e6:.0f} million pixels first",
        )


def broken(name: str, why: str = "the file is damaged or was cut short") -> BadPicture:
    """The one sentence for a picture that its decoder gave up on."""
    return BadPicture(f"{name} cannot be read", why, _CLEAR)


def upright(values: NDArray[Any], orientation: int) -> NDArray[Any]:
    """Turn stored pixels by the EXIF/TIFF orientation tag (1..8, TIFF 6.0 p. 36)."""
    if orientation in (5, 6, 7, 8):
        values = values.swapaxes(0, 1)
    if orientation in (2, 3, 6, 7):
        values = values[:, ::-1]
    if orientation in (3, 4, 7, 8):
        values = values[::-1]
    return values


def _scaled(decoded: Decoded, reading: Reading, name: str) -> tuple[NDArray[np.float32], Any, float | None]:
    """Values in 0..1 by lo and hi, a mask of what is there, and the units of the full range."""
    values: NDArray[Any] = decoded.values.astype(np.float64 if decoded.facts.samples == "signed" else np.float32)
    there = np.isfinite(values) & (np.abs(values) <= FARTHEST)
    if decoded.nodata is not None and np.isfinite(decoded.nodata):
        there &= values != decoded.nodata
    if not there.any():
        raise BadPicture(f"{name} cannot be read", "it holds not one finite value", _CLEAR)
    lo, hi = reading.lo, reading.hi
    if lo is None or hi is None:
        found_lo, found_hi = stated_range(decoded.facts, values, there)
        lo, hi = (found_lo if lo is None else lo), (found_hi if hi is None else hi)
    if hi <= lo:
        hi = lo + 1.0
    values[~there] = lo
    scaled = ((values - lo) / (hi - lo)).astype(np.float32)
    mask = there if there.ndim == 2 else there.all(axis=2)
    return scaled, (None if mask.all() else mask.astype(np.float32)), hi - lo


def stated_range(facts: PictureFacts, values: NDArray[Any], there: NDArray[np.bool_]) -> tuple[float, float]:
    """What is black and what is white: as the file says; else 0 and 1 for values that lie there; else their ends."""
    if facts.range is not None:
        return facts.range
    lo, hi = float(values[there].min()), float(values[there].max())
    return (0.0, 1.0) if facts.samples == "float" and lo >= 0 and hi <= 1 else (lo, hi)


def believable(low: Any, high: Any) -> tuple[float, float] | None:
    """A range that a file says, when it can be one."""
    try:
        lo, hi = float(low), float(high)
    except (TypeError, ValueError):
        return None
    return (lo, hi) if -FARTHEST <= lo < hi <= FARTHEST else None


def to_raster(decoded: Decoded, reading: Reading, name: str) -> Raster:
    """Stored values to a raster: whole numbers by their depth, others by lo and hi."""
    facts = decoded.facts
    units: float | None = None
    cover = decoded.alpha
    if _by_range(facts, reading):
        pixels, mask, units = _scaled(decoded, reading, name)
        if mask is not None:
            cover = mask if cover is None else cover * mask
        lattice = None
    else:
        top = float(2**facts.depth - 1)
        pixels = np.empty(decoded.values.shape, np.float32)

        def share(first: int, end: int) -> None:
            np.divide(decoded.values[first:end], np.float32(top), out=pixels[first:end], dtype=np.float32)

        split_rows(share, len(pixels))
        lattice = None if facts.lossy else 1 / top
    if reading.reversed:
        pixels = np.float32(1) - pixels
    if cover is not None and float(cover.min()) >= 1.0:
        cover = None
    return Raster.of(pixels, cover, units=units, lattice=lattice, unit=facts.unit, spacing=facts.spacing)


def _by_range(facts: PictureFacts, reading: Reading) -> bool:
    """Elevations in whole numbers too, where a range is stated: plates of earlier versions have none."""
    return facts.samples in ("float", "signed") or (facts.elevation and reading.lo is not None)


def raster_facts(facts: PictureFacts, reading: Reading) -> Facts:
    """What :func:`to_raster` will give, as far as the header tells."""
    ranged = _by_range(facts, reading)
    stated = ranged and reading.lo is not None and reading.hi is not None
    return Facts(
        facts.width, facts.height, facts.channels, coverage=facts.alpha or ranged,
        units=max(reading.hi - reading.lo, 1e-12) if stated else None,  # type: ignore[operator]
        lattice=None if ranged or facts.lossy else 1 / (2**facts.depth - 1),
        unit=facts.unit, spacing=facts.spacing,
    )  # fmt: skip
