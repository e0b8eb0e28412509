"""pack.json: what is in a pack, for programs and for people who rebuild a brush by hand."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from .. import limits
from ..params import shown_value, specs
from ..pressing.settings import StrokeSettings
from ..raster import Facts, Zero

KIND: Literal["engraver pack"] = "engraver pack"
VERSION = 1
MOST_PIECES, MOST_FILES = 10_000, 100_000
Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
# A path inside the pack: no part of it leads out, and none is hidden.
Inside = Annotated[str, Field(pattern=r"^[^/\\:\x00-\x1f. ][^/\\:\x00-\x1f]*(/[^/\\:\x00-\x1f. ][^/\\:\x00-\x1f]*)*$",
                              max_length=400)]  # fmt: skip


class _Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


class ForUse(_Model):
    """A destination of the pack, in words."""

    id: str = Field(max_length=limits.ID)
    name: str = Field(max_length=limits.NAME)
    purpose: str = Field("", max_length=400)
    polarity: str = Field(description="What white and black mean.", max_length=200)
    note: str = Field("", description="What to watch for.", max_length=400)
    file: str = Field(description="Depth and format in words.", max_length=100)


class InFile(_Model):
    """A picture of a piece."""

    path: Inside
    destination: str = Field(max_length=limits.ID)
    sha256: Digest
    bytes: int = Field(ge=0)
    width: int = Field(ge=1)
    height: int = Field(ge=1)


class StrokeSetting(_Model):
    """One setting of a brush, as it is and as it is read."""

    id: str = Field(max_length=limits.ID)
    name: str = Field(max_length=limits.NAME)
    value: Any
    read: str = Field(description="With its unit.", max_length=4000)
    help: str = Field(max_length=1000)


class InPack(_Model):
    """A plate or a brush of the pack."""

    name: str = Field(min_length=1, max_length=limits.NAME)
    kind: Literal["alpha", "brush"]
    zero: Zero = Field(description="The tone of the plate that leaves a surface alone.")
    tiling: bool
    icons: tuple[Inside, ...] = Field((), max_length=8)
    files: tuple[InFile, ...] = Field(max_length=400)
    stroke: tuple[StrokeSetting, ...] = Field((), max_length=200)
    key: str = Field("", description="Changes when the piece has to be made again.", max_length=64)


class OtherFile(_Model):
    """A file that belongs to the pack as a whole, or an icon."""

    path: Inside
    sha256: Digest
    bytes: int = Field(ge=0)


class PackFile(_Model):
    """What is in a pack."""

    kind: Literal["engraver pack"] = KIND
    version: int = Field(VERSION, ge=1)
    name: str = Field(max_length=limits.NAME)
    author: str = Field("", max_length=limits.NAME)
    licence: str = Field("", max_length=limits.NAME)
    about: str = Field("", max_length=8000)
    destinations: tuple[ForUse, ...] = Field((), max_length=40)
    pieces: tuple[InPack, ...] = Field((), max_length=MOST_PIECES)
    left_out: dict[str, str] = Field(default_factory=dict, description="Pieces that stayed out, and why.")
    files: tuple[OtherFile, ...] = Field((), max_length=MOST_FILES)

    def digests(self) -> dict[str, str]:
        """The SHA-256 of every file by its path."""
        pictures = {f.path: f.sha256 for piece in self.pieces for f in piece.files}
        return pictures | {f.path: f.sha256 for f in self.files}


def to_json(listing: PackFile) -> bytes:
    """A list as it is written: the same bytes for the same list."""
    return (json.dumps(listing.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n").encode()


def schema_json() -> bytes:
    """The JSON schema of pack.json, as it ships."""
    schema = PackFile.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return (json.dumps(schema, indent=1) + "\n").encode()


def settings_listed(settings: StrokeSettings | None) -> tuple[StrokeSetting, ...]:
    """Every stroke setting of a brush in plain units; none for a plate."""
    if settings is None:
        return ()
    facts, values = Facts(1000, 1000), settings.model_dump(mode="json")
    return tuple(
        StrokeSetting(id=name, name=spec.label, value=values[name], help=spec.help,
                      read=shown_value(getattr(settings, name), spec, facts))
        for name, spec in specs(StrokeSettings).items()
    )  # fmt: skip
