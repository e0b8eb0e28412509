"""Font files kept in a step: their bytes, told apart by their digest, so that a project needs no font elsewhere."""

from __future__ import annotations

import hashlib
from functools import cached_property
from pathlib import Path
from typing import Any

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    SerializationInfo,
    ValidationInfo,
    field_serializer,
    field_validator,
)

from .. import limits
from ..errors import BadValue
from ..files.read import read_bytes
from ..params.blobs import packed, unpacked
from ..params.spec import FieldKind, FieldSpec, declared
from ..raster import Facts

# Bytes of a font.
MOST = 30_000_000
SHIPPED = Path(__file__).parents[2] / "fonts" / "Inter-SemiBold.otf"


class FontFile(BaseModel):
    """A font: the name of its file, and its bytes."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    name: str = Field(max_length=limits.NAME)
    data: bytes = Field(min_length=1)

    @field_validator("data", mode="before")
    @classmethod
    def _unpacked(cls, value: Any, info: ValidationInfo) -> Any:
        return unpacked(value, info, "a font")

    @field_validator("data")
    @classmethod
    def _is_font(cls, value: bytes) -> bytes:
        if len(value) > MOST:
            raise ValueError(f"a font is at most {MOST // 1_000_000} MB")
        if value[:4] not in (b"\0\1\0\0", b"OTTO", b"true", b"ttcf"):
            raise ValueError("it is no TTF or OTF font")
        return value

    @field_serializer("data", when_used="json")
    def _packed(self, value: bytes, info: SerializationInfo) -> str:
        return packed(value, info, self.digest)

    @cached_property
    def digest(self) -> str:
        """Names the font."""
        return hashlib.blake2b(self.data, digest_size=12).hexdigest()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, FontFile) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    @classmethod
    def read(cls, path: Path) -> FontFile:
        """A font from a file. Raises BadValue for one that is none, FileTrouble where it cannot be read."""
        data = read_bytes(path)
        try:
            return cls(name=path.name[: limits.NAME], data=data)
        except ValueError as error:
            why = "it is too large" if len(data) > MOST else "it is no TTF or OTF font"
            raise BadValue(f"{path.name} cannot be used", why, "Choose another file") from error


def _parse(text: str, spec: FieldSpec, facts: Facts) -> FontFile | None:
    return FontFile.read(Path(text.strip())) if text.strip() else None


FONT = FieldKind(
    "font", parse=_parse, allowed=lambda spec: "the path of a TTF or OTF file",
    default=lambda spec: "the font that ships, Inter", form="the path of a TTF or OTF file",
)  # fmt: skip


def font_field(label: str, help: str) -> Any:
    """A font file; None for the one that ships."""
    return declared(FieldSpec(FONT, label, help, None))
