"""Habits: what a program at the other end does with a file, as switches. Each ships as a small JSON file."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources
from types import MappingProxyType
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from engraver.core.errors import BadValue
from engraver.core.raster import Zero

Takes = Literal["png", "tiff", "jpeg", "exr", "raw"]
_ORDER = (
    "stamps-16", "stamps-8", "mid-grey", "black-raises", "small-sides", "own-falloff", "float-heights", "terrain-16",
    "tiles-16", "masks",
)  # fmt: skip


class Habit(BaseModel):
    """What one program does.

    Attributes
    ----------
    id, name, purpose : str
    formats : tuple of str
        The kinds of file that it reads at all.
    bits : {8, 16}
        What it keeps of whole numbers; OpenEXR and float TIFF keep all.
    raises : {"white", "black"}
        The tone that stands up.
    zero : {"black", "mid"}
        The tone that leaves the surface alone; with black raising, "black" says white does.
    largest : int
        The longest side that it reads, in pixels.
    square : {"stretch", "pad"}
        How it makes a square of what is none.
    repeats : bool
        It lays the file side by side, so that borders have to meet rather than be zero.
    fall : {"none", "soft"}
        The falloff that it adds, over the distance from the middle.
    strength : float
        How high it presses white, as a share of the mark's width.
    new_files : {"at-once", "at-start"}
        When it finds new files.
    destinations : tuple of str
        Our destinations whose files it reads as they are meant.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")
    name: str = Field(min_length=1, max_length=60)
    purpose: str = Field("", max_length=200)
    formats: tuple[Takes, ...] = ("png", "tiff")
    bits: Literal[8, 16] = 16
    raises: Literal["white", "black"] = "white"
    zero: Zero = "black"
    largest: int = Field(8192, ge=16, le=16384)
    square: Literal["stretch", "pad"] = "stretch"
    repeats: bool = False
    fall: Literal["none", "soft"] = "none"
    strength: float = Field(0.1, gt=0, le=0.5)
    new_files: Literal["at-once", "at-start"] = "at-once"
    destinations: tuple[str, ...] = ()


@lru_cache(maxsize=1)
def habits() -> Mapping[str, Habit]:
    """The habits that ship, by id, in their order."""
    folder = resources.files(__package__).joinpath("habits")
    found = {id: Habit.model_validate_json(folder.joinpath(f"{id}.json").read_bytes()) for id in _ORDER}
    return MappingProxyType(found)


def habit(id: str) -> Habit:
    """Raises BadValue that names those there are."""
    if id not in habits():
        raise BadValue(f"There is no habit {id!r}", "", f"There are: {', '.join(habits())}")
    return habits()[id]


def habit_from(data: bytes, name: str) -> Habit:
    """A habit from a file of one's own. Raises BadValue."""
    try:
        return Habit.model_validate(json.loads(data))
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        raise BadValue(f"{name} is no habit", f"{place}: {first['msg']}") from error
    except (ValueError, RecursionError) as error:
        raise BadValue(f"{name} is no habit", "it is not JSON") from error


def habit_for(destination: str) -> Habit:
    """The habit that reads files of a destination as they are meant; that of plain stamps for any other."""
    found = (h for h in habits().values() if destination in h.destinations)
    return next(found, next(iter(habits().values())))
