"""A blank: an even grey, to start a plate from nothing."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ..errors import Watch
from ..params import StepZero, flag, fraction, integer
from ..raster import Facts, Raster
from ..recipe.models import Source
from .holding import Holding
from .kind import First, Size, SourceKind

_HELP = "An even grey, to start a plate from nothing."


class Blank(StepZero):
    """Step zero of a blank."""

    kind: ClassVar[str] = "blank"

    side: int = integer(1024, 1, 16384, "Side", "Pixels along each side.", unit="px", soft=(64, 4096))
    grey: float = fraction(0.0, 0.0, 1.0, "Grey", "The even tone it starts with.")
    tiles: bool = flag(False, "Tiles", "What is built on it goes on over its borders.")


def _facts(source: Source, reading: Blank, holding: Holding) -> Facts:
    return Facts(reading.side, reading.side, wrap=(reading.tiles, reading.tiles))


def _raster(source: Source, reading: Blank, size: Size, holding: Holding, check: Watch, coarse: bool) -> Raster:
    return Raster.of(np.full(size, reading.grey, np.float32), wrap=(reading.tiles, reading.tiles))


def _first(source: Source, holding: Holding, what: str | None, before: StepZero | None, check: Watch) -> First:
    return First(before or Blank(), "plain", ())


BLANK = SourceKind(
    id="blank", name="Blank", help=_HELP, reading=Blank, files="none",
    facts=_facts, raster=_raster, first=_first, start=lambda source, holding, check: Blank(),
    words=lambda source, reading, holding: _HELP, even=True,
)  # fmt: skip
