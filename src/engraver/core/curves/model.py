"""An editable curve as data: what its points are, beside their places."""

from __future__ import annotations

import hashlib
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    SerializationInfo,
    ValidationInfo,
    field_serializer,
    field_validator,
)

from ..params.blobs import checked_points, packed, unpacked

# Points that a hand can still edit.
MOST_POINTS = 2_000
End = Literal["start", "end"]
_ROW = 6


class Curve(BaseModel):
    """What belongs to a curve beside the places of its points.

    Attributes
    ----------
    closed : bool
        Its end is its start.
    sharp : tuple of int
        Numbers of points at which it has a corner; elsewhere it is smooth.
    handled : tuple of int
        Numbers of points with handles of their own; elsewhere the curve finds its way.
    handles : bytes
        For each of those, float32 (6,): where the handle before and the one after stand, from the point.
    held : tuple of {"start", "end"}
        Ends that stay while other points move.
    offset : float
        How far over the surface it runs along the normal, as a share of the surface's width.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    closed: bool = False
    sharp: tuple[int, ...] = Field((), max_length=MOST_POINTS)
    handled: tuple[int, ...] = Field((), max_length=MOST_POINTS)
    handles: bytes = b""
    held: tuple[End, ...] = Field((), max_length=2)
    offset: float = Field(0.0, ge=-1, le=1)

    @field_validator("sharp", "handled")
    @classmethod
    def _rising(cls, value: tuple[int, ...]) -> tuple[int, ...]:
        if any(n < 0 for n in value) or list(value) != sorted(set(value)):
            raise ValueError("points are named once each, in order")
        return value

    @field_validator("handles", mode="before")
    @classmethod
    def _unpacked(cls, value: Any, info: ValidationInfo) -> Any:
        return unpacked(value, info, "a curve's handles")

    @field_validator("handles")
    @classmethod
    def _whole(cls, value: bytes, info: ValidationInfo) -> bytes:
        count = len(info.data.get("handled", ()))
        return checked_points(value, _ROW, count, count, "a curve's handles")

    @field_serializer("handles", when_used="json")
    def _packed(self, value: bytes, info: SerializationInfo) -> str:
        return packed(value, info, self.digest)

    @cached_property
    def digest(self) -> str:
        """Names all of it."""
        head = f"{self.closed} {self.sharp} {self.handled} {self.held} {self.offset} "
        return hashlib.blake2b(head.encode() + self.handles, digest_size=12).hexdigest()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Curve) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    def but(self, **changes: Any) -> Curve:
        """The same with something else changed. Raises pydantic's ValidationError."""
        return Curve(**{**{name: getattr(self, name) for name in type(self).model_fields}, **changes})

    def handle_of(self, n: int) -> NDArray[np.float64] | None:
        """The two handles of a point, float64 (2, 3), from the point; None where it has none of its own."""
        if n not in self.handled:
            return None
        rows = np.frombuffer(self.handles, "<f4").reshape(-1, 2, 3)
        found: NDArray[np.float64] = rows[self.handled.index(n)].astype(np.float64)
        return found

    def with_handles(self, handles: dict[int, NDArray[np.float64]]) -> Curve:
        """The same with these handles (2, 3) by the numbers of their points, and no others."""
        listed = tuple(sorted(handles))
        rows = np.array([handles[n].reshape(_ROW) for n in listed], "<f4").reshape(-1, _ROW)
        return self.but(handled=listed, handles=rows.tobytes())

    def all_handles(self) -> dict[int, NDArray[np.float64]]:
        """Handles (2, 3) by the numbers of their points."""
        found = {n: self.handle_of(n) for n in self.handled}
        return {n: h for n, h in found.items() if h is not None}

    def renumbered(self, to: dict[int, int]) -> Curve:
        """The same with its points numbered anew; a point that is not named is gone."""
        handles = {to[n]: h for n, h in self.all_handles().items() if n in to}
        kept = self.but(sharp=tuple(sorted(to[n] for n in self.sharp if n in to)), handled=(), handles=b"")
        return kept.with_handles(handles)
