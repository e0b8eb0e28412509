"""Destinations: what a file is for, with all its rules. Each is a small JSON file; the artist can add some."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources
from pathlib import Path
from types import MappingProxyType
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from ..errors import BadValue, EngraverError, FileTrouble, file_trouble
from ..files.atomic import write_bytes
from ..files.names import file_stem
from ..files.write import EXTENSIONS, HOLDS, Depth, PictureFormat
from ..raster import Wrap, Zero
from .kinds import KINDS, Zone

EXTENSION = ".json"
_LARGEST_FILE = 65_536
_ORDER = (
    "sculpt-stamp", "sculpt-stamp-mid", "brush-form", "terrain-stamp", "terrain-grid", "paint-tip", "clear-tip",
    "layer-mask", "tiling-height", "stroke-strip", "plain-jpeg",
)  # fmt: skip
_FIELDS = ("plate", "destination", "side")
# pydantic's words, said as the rest of the program says them.
_TOLD = {"Input should be": "must be", "String should have": "must have", "greater than or equal to": "at least",
         "less than or equal to": "at most"}  # fmt: skip
_PLAIN = {
    "int_parsing": "must be a whole number", "int_from_float": "must be a whole number",
    "float_parsing": "must be a number", "string_too_short": "must not be empty",
    "extra_forbidden": "is no field of a destination",
}  # fmt: skip


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


class Sizes(_Part):
    """Sides along the longer side, in pixels."""

    smallest: int = Field(64, ge=1, le=16384)
    largest: int = Field(4096, ge=1, le=16384)
    preferred: int = Field(1024, ge=1, le=16384)
    rule: Literal["any", "power-of-two", "power-of-two-plus-one"] = "any"

    @model_validator(mode="after")
    def _consistent(self) -> Sizes:
        if not self.smallest <= self.preferred <= self.largest:
            raise ValueError("the preferred side must lie between the smallest and the largest")
        if not self.fits(self.preferred):
            raise ValueError("the preferred side must follow the rule")
        return self

    def fits(self, side: int) -> bool:
        """Whether a side is allowed."""
        return self.smallest <= side <= self.largest and self.ruled(side)

    def ruled(self, side: int) -> bool:
        """Whether a side follows the rule, whatever its size."""
        base = side - 1 if self.rule == "power-of-two-plus-one" else side
        return self.rule == "any" or (base > 0 and base & (base - 1) == 0)

    def nearest(self, side: int) -> int:
        """The allowed side nearest to this one."""
        if self.rule == "any":
            return min(self.largest, max(self.smallest, side))
        more = 1 if self.rule == "power-of-two-plus-one" else 0
        allowed = [n for n in (int(2**k) + more for k in range(15)) if self.fits(n)]
        return min(allowed, key=lambda n: abs(n - side))


class Twin(_Part):
    """A second file of the same picture."""

    format: PictureFormat = "png"
    depth: Depth = "16"


class Destination(_Part):
    """The rules of one use.

    ``raises`` is the tone that stands up (paints, reveals). ``zones`` replace the usual zones of gauges
    by their ids; ``left_out`` names gauges that do not apply. ``name_pattern`` makes file names. ``icons`` are
    sides of the icons that go with a brush there, in pixels.
    """

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")
    name: str = Field(min_length=1, max_length=60)
    purpose: str = Field("", max_length=200)
    kind: Literal["height", "paint", "mask"] = "height"
    zero: Zero = "black"
    raises: Literal["white", "black"] = "white"
    sizes: Sizes = Sizes()
    square: bool = True
    format: PictureFormat = "png"
    depth: Depth = "16"
    twin: Twin | None = None
    channels: Literal["grey", "grey+alpha"] = "grey"
    dpi: float | None = Field(None, ge=1, le=10_000)
    tiling: Literal["none", "strip", "both"] = "none"
    border: Literal["zero", "free"] = "zero"
    zones: Mapping[str, Zone] = Field(default_factory=dict)
    left_out: tuple[str, ...] = ()
    name_pattern: str = Field("{plate}", min_length=1, max_length=80)
    note: str = Field("", max_length=300)
    icons: tuple[int, ...] = Field((), max_length=8)

    @property
    def verb(self) -> str:
        """What the tone that stands up does there."""
        return {"height": "raises", "paint": "paints", "mask": "reveals"}[self.kind]

    @field_validator("name_pattern")
    @classmethod
    def _pattern(cls, value: str) -> str:
        rest = re.sub(r"\{(" + "|".join(_FIELDS) + r")\}", "", value)
        if "{" in rest or "}" in rest or "/" in rest or "\\" in rest:
            raise ValueError("a name pattern may hold {plate}, {destination} and {side}, and no folder")
        return value

    @field_validator("icons")
    @classmethod
    def _sides(cls, value: tuple[int, ...]) -> tuple[int, ...]:
        if any(not 16 <= side <= 2048 for side in value):
            raise ValueError("an icon has a side from 16 to 2048 pixels")
        return value

    @field_validator("zones", "left_out")
    @classmethod
    def _gauges(cls, value: Mapping[str, Zone] | tuple[str, ...]) -> Mapping[str, Zone] | tuple[str, ...]:
        unknown = [id for id in value if id not in KINDS]
        if unknown:
            raise ValueError(f"there is no gauge called {unknown[0]!r}")
        return value

    @model_validator(mode="after")
    def _possible(self) -> Destination:
        pairs = [(self.format, self.depth), *([(self.twin.format, self.twin.depth)] if self.twin else [])]
        for kind, depth in pairs:
            if depth not in HOLDS[kind]:
                raise ValueError(f"{kind.upper()} cannot hold {depth} bits")
        if self.channels == "grey+alpha" and (self.format, self.depth) != ("png", "8"):
            raise ValueError("grey with transparency is written as an 8-bit PNG")
        return self

    @property
    def extension(self) -> str:
        return EXTENSIONS[self.format]

    @property
    def help(self) -> str:
        return self.purpose

    def wraps(self, plate: Wrap) -> Wrap:
        """Along which axes a plate is to repeat here: as the destination says, else as the plate does."""
        return {"none": plate, "strip": (True, False), "both": (True, True)}[self.tiling]

    def takes_shape(self, width: int, height: int) -> bool:
        """Whether a plate of so many pixels has the shape that is wanted."""
        return not self.square or width == height

    def stem(self, plate: str, side: int) -> str:
        """The file name without its ending."""
        values = {"plate": plate, "destination": self.id, "side": str(side)}
        return file_stem(re.sub(r"\{(\w+)\}", lambda m: values[m.group(1)], self.name_pattern))

    def file_words(self) -> str:
        """Depth and format in words."""
        depth = {"8": "8-bit", "16": "16-bit", "float": "32-bit"}[self.depth]
        words = f"{depth} {self.format.upper()}"
        if self.channels == "grey+alpha":
            words += " with transparency"
        return words + (f" and {self.twin.format.upper()}" if self.twin else "")

    def polarity(self) -> str:
        """What white and black mean here, in words."""
        other = "black" if self.raises == "white" else "white"
        if self.kind == "paint":
            return f"{self.raises} paints"
        if self.kind == "mask":
            return f"{self.raises} reveals · {other} hides"
        return polarity_words(self.zero, self.raises)


def polarity_words(zero: Zero, raises: Literal["white", "black"] = "white") -> str:
    """The polarity in words, as it stands next to every picture of heights."""
    other = "black" if raises == "white" else "white"
    if zero == "mid":
        return f"{raises} raises · {other} cuts · mid-grey is zero"
    return f"{raises} raises · {other} is zero"


# -- files -------------------------------------------------------------------------------


def parse(data: bytes, name: str) -> Destination:
    """A destination from the bytes of its file.

    Raises
    ------
    BadValue
        Naming the file, and what in it cannot be.
    """
    try:
        values: Any = json.loads(data)
    except (ValueError, RecursionError):
        raise BadValue(f"{name} is not a destination", "it is not JSON", "Make it anew in the window") from None
    return make(values, name)


def make(values: Any, name: str, called: Mapping[str, str] | None = None) -> Destination:
    """A destination from plain values.

    Raises BadValue naming the field that cannot be, and why; by what a form calls it, where ``called`` says so.
    """
    try:
        return Destination.model_validate(values)
    except ValidationError as error:
        first = error.errors()[0]
        where, words = ".".join(str(part) for part in first["loc"]), str(first["msg"]).removeprefix("Value error, ")
        for theirs, ours in _TOLD.items():
            words = words.replace(theirs, ours)
        words = _PLAIN.get(first["type"], words)
        if words.startswith(("must", "is ")):
            why = f"{(called or {}).get(where, where)} {words}"
        else:  # words that name what they speak of; who wrote the file also wants its place
            why = words if called is not None or not where else f"{where}: {words}"
        raise BadValue(f"{name} is not a destination", why, "Correct it, or make it anew in the window") from None


def to_json(to: Destination) -> bytes:
    """The file of a destination; what is as usual is left out."""
    values = to.model_dump(mode="json", exclude_defaults=True)
    return (json.dumps(values, indent=1, ensure_ascii=False) + "\n").encode()


@lru_cache(maxsize=1)
def shipped() -> Mapping[str, Destination]:
    """The destinations that come with the program, in the order they are offered."""
    folder = resources.files(__package__) / "shipped"
    read = {id: parse((folder / f"{id}{EXTENSION}").read_bytes(), id) for id in _ORDER}
    return MappingProxyType(read)


def load_folder(folder: Path) -> tuple[dict[str, Destination], list[EngraverError]]:
    """The artist's own destinations, and what was wrong with files that are none."""
    found: dict[str, Destination] = {}
    wrong: list[EngraverError] = []
    for path in sorted(folder.glob(f"*{EXTENSION}")) if folder.is_dir() else []:
        try:
            if path.stat().st_size > _LARGEST_FILE:
                raise BadValue(
                    f"{path.name} is not a destination", "it is far too large", "Take it out of the folder"
                )
            one = parse(path.read_bytes(), path.name)
            found[one.id] = one
        except OSError as error:
            trouble = error if isinstance(error, FileTrouble) else file_trouble("read", path, error)
            wrong.append(trouble)
        except BadValue as error:
            wrong.append(error)
    return found, wrong


def known(folder: Path | None = None) -> Mapping[str, Destination]:
    """All destinations: those that ship, then the artist's own; one of the same id takes the shipped one's place."""
    return offered(load_folder(folder)[0] if folder is not None else {})


def offered(own: Mapping[str, Destination]) -> Mapping[str, Destination]:
    """Those that ship, then the artist's own; one of the same id takes the shipped one's place."""
    return MappingProxyType({**shipped(), **own})


def keep(to: Destination, folder: Path) -> Path:
    """Write an own destination. Raises FileTrouble when the folder refuses."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise file_trouble("made", folder, error) from error
    path = folder / f"{to.id}{EXTENSION}"
    write_bytes(path, to_json(to))
    return path


def forget(id: str, folder: Path) -> None:
    """Remove an own destination. Raises FileTrouble when the folder refuses."""
    path = folder / f"{id}{EXTENSION}"
    try:
        path.unlink(missing_ok=True)
    except OSError as error:
        raise file_trouble("removed", path, error) from error


def destination(id: str, among: Mapping[str, Destination] | None = None) -> Destination:
    """The destination with this id. Raises BadValue for an unknown one."""
    offered = shipped() if among is None else among
    if id not in offered:
        raise BadValue(f"There is no destination called {id!r}", "", f"There are: {', '.join(offered)}")
    return offered[id]
