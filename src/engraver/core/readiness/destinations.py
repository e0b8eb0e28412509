"""Destinations: what a file is for, with all its rules."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Literal

from ..errors import BadValue
from ..files.write import Depth, PictureFormat
from ..raster import Zero


@dataclass(frozen=True, slots=True)
class Destination:
    """The rules of one use. ``lift`` is the highest mean height that is still good."""

    id: str
    name: str
    help: str
    zero: Zero
    raises: Literal["white", "black"] = "white"
    square: bool = True
    power_of_two: bool = True
    smallest: int = 256
    largest: int = 4096
    format: PictureFormat = "png"
    depth: Depth = "16"
    lift: float = 0.35

    @property
    def extension(self) -> str:
        return ".png" if self.format == "png" else ".tif"

    def sides(self) -> tuple[int, ...]:
        """The sides that fit, when they must be powers of two."""
        return tuple(2**n for n in range(16) if self.smallest <= 2**n <= self.largest)


_ALL = (
    Destination(
        "sculpt-stamp", "Sculpting stamp", "A stamp for a sculpting brush: white raises, black is zero.", "black"
    ),
    Destination(
        "sculpt-stamp-mid", "Sculpting stamp, two-way",
        "A stamp that raises and cuts: white raises, black cuts, mid-grey is zero.", "mid", lift=0.2,
    ),
)  # fmt: skip

DESTINATIONS: Mapping[str, Destination] = MappingProxyType({d.id: d for d in _ALL})


def destination(id: str) -> Destination:
    """The destination with this id. Raises BadValue for an unknown one."""
    if id not in DESTINATIONS:
        raise BadValue(f"There is no destination called {id!r}", "", f"There are: {', '.join(DESTINATIONS)}")
    return DESTINATIONS[id]


def polarity_words(zero: Zero, raises: Literal["white", "black"] = "white") -> str:
    """The polarity in words, as it stands next to every picture."""
    other = "black" if raises == "white" else "white"
    if zero == "mid":
        return f"{raises} raises · {other} cuts · mid-grey is zero"
    return f"{raises} raises · {other} is zero"
