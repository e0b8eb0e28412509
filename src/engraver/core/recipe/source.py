"""Where plates start: a declared kind with the files it is made of, and what is known of them without pixels."""

from __future__ import annotations

import re

from pydantic import Field, field_validator

from .. import limits
from ..files.picture import PictureFacts, check_size
from .base import Model

_SHA = re.compile(r"[0-9a-f]{64}\Z")


class SourceFile(Model):
    """One file of a source.

    ``sha256`` is the digest of its bytes, in hex; ``link`` its path when it is not kept in the project;
    ``facts`` what its header told when it was taken in, for a picture.
    """

    sha256: str
    link: str | None = Field(None, max_length=limits.PATH)
    facts: PictureFacts | None = None

    @field_validator("sha256")
    @classmethod
    def _hex(cls, value: str) -> str:
        if not _SHA.match(value):
            raise ValueError("a file is named by its SHA-256 in hex")
        return value

    @field_validator("facts")
    @classmethod
    def _possible(cls, value: PictureFacts | None) -> PictureFacts | None:
        if value is not None:
            check_size("a source", value.width, value.height)
            if value.channels not in (1, 3) or not 1 <= value.depth <= 64 or len(value.format) > limits.ID:
                raise ValueError("the facts of a picture are none that a picture can have")
        return value


class Source(Model):
    """Where plates start. ``kind`` is the id of a declared source kind; everything else is asked of that."""

    id: str = Field(max_length=limits.ID)
    kind: str = Field("picture", max_length=limits.ID)
    name: str = Field(max_length=limits.NAME)
    files: tuple[SourceFile, ...] = Field((), max_length=limits.FILES)

    @property
    def file(self) -> SourceFile:
        """The one file of a source that has one. Raises IndexError for a source without files."""
        return self.files[0]

    @property
    def digests(self) -> tuple[str, ...]:
        """The SHA-256 of every file."""
        return tuple(file.sha256 for file in self.files)

    @property
    def embedded(self) -> tuple[str, ...]:
        """The digests of the files whose bytes are kept in the project."""
        return tuple(file.sha256 for file in self.files if file.link is None)
