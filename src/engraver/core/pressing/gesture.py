"""Gestures: what the hand did to make marks, as data, packed and told apart by their digest.

A point is six little-endian float32 numbers: place (x, y, z) in scene units on the surface without marks, pressure
0..1, time in seconds, and the way the pen leans (radians, clockwise on the surface; 0 where it does not tell).
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from types import MappingProxyType
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

from .. import limits
from ..params.blobs import checked_points, packed, unpacked
from .settings import StrokeSettings

Does = Literal["single", "drag-out", "stroke", "smooth", "scrape", "wipe"]
Keeps = Literal["nothing", "peaks", "hollows"]
KEEPS: Mapping[Keeps, str] = MappingProxyType({
    "nothing": "Everything", "peaks": "Keep the peaks", "hollows": "Keep the hollows",
})  # fmt: skip
COLUMNS = 6
MOST_POINTS = 100_000
MOST_ARMS = 24


@dataclass(frozen=True, slots=True)
class GestureKind:
    """One thing that the hand can do on a surface.

    Attributes
    ----------
    id, name, help, icon : str
    plate : bool
        It presses a plate; else it is a tool that works on what is there.
    along : bool
        It has marks along its way; else its first point, and for some its last, say all.
    points : bool
        It has points.
    """

    id: Does
    name: str
    help: str
    icon: str
    plate: bool = True
    along: bool = False
    points: bool = True


_ALL = (
    GestureKind("single", "Single", "One mark at the set size.", "mark"),
    GestureKind("drag-out", "Drag out", "Press, and drag the mark out to its size and turn.", "drag-out"),
    GestureKind("stroke", "Stroke", "Marks along the way of the hand.", "stroke", along=True),
    GestureKind("smooth", "Smooth", "Evens out what is there.", "smooth", plate=False, along=True),
    GestureKind("scrape", "Scrape", "Takes off what stands over the plane under the tool.", "scrape", plate=False,
                along=True),
    GestureKind("wipe", "Wipe", "Takes all marks off the surface.", "wipe", plate=False, points=False),
)  # fmt: skip
GESTURES: Mapping[str, GestureKind] = MappingProxyType({kind.id: kind for kind in _ALL})


class Gesture(BaseModel):
    """One gesture.

    Attributes
    ----------
    uid : str
        Made once; it seeds what happens by chance.
    kind : str
        A key of ``GESTURES``.
    plate : str
        The id of the plate it was made with; "" for tools.
    settings : StrokeSettings
    mirror : bool
        Its marks stand on the other side of the middle, too.
    arms : int
        How often its marks stand round the surface's axis.
    corner : bool
        Dragged out from a corner, not from the middle.
    keeps : {"nothing", "peaks", "hollows"}
        What a smoothing leaves as it is.
    on : bool
        Whether it has an effect.
    seed : int
    data : bytes
        The packed points.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    uid: str = Field(max_length=limits.ID)
    kind: Does
    plate: str = Field("", max_length=limits.ID)
    settings: StrokeSettings = Field(default_factory=StrokeSettings)
    mirror: bool = False
    arms: int = Field(1, ge=1, le=MOST_ARMS)
    corner: bool = False
    keeps: Keeps = "nothing"
    on: bool = True
    seed: int = Field(1, ge=0, lt=2**32)
    data: bytes = b""

    @field_validator("data", mode="before")
    @classmethod
    def _unpacked(cls, value: Any, info: ValidationInfo) -> Any:
        return unpacked(value, info, "a stroke")

    @field_validator("data")
    @classmethod
    def _points_only(cls, value: bytes) -> bytes:
        return checked_points(value, COLUMNS, 0, MOST_POINTS, "a gesture")

    @field_serializer("data", when_used="json")
    def _packed(self, value: bytes, info: SerializationInfo) -> str:
        return packed(value, info, self.digest)

    @cached_property
    def digest(self) -> str:
        """Names all that its marks depend on, but for the pixels of its plate."""
        head = (
            f"{self.kind} {self.plate} {self.settings.model_dump_json()} {self.mirror} {self.arms} {self.corner} "
            f"{self.keeps} {self.on} {self.seed} "
        )
        return hashlib.blake2b(head.encode() + self.data, digest_size=12).hexdigest()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Gesture) and (self.uid, self.digest) == (other.uid, other.digest)

    def __hash__(self) -> int:
        return hash(self.digest)

    def but(self, **changes: Any) -> Gesture:
        """The same with something else changed."""
        return Gesture(**{**{name: getattr(self, name) for name in type(self).model_fields}, **changes})

    @property
    def declared(self) -> GestureKind:
        return GESTURES[self.kind]

    @cached_property
    def points(self) -> NDArray[np.float64]:
        """Its points, float64 (n, 6)."""
        return np.frombuffer(self.data, "<f4").reshape(-1, COLUMNS).astype(np.float64)


def packed_points(
    places: NDArray[np.float64], pressure: NDArray[np.float64] | float = 1.0, time: NDArray[np.float64] | float = 0.0,
    lean: NDArray[np.float64] | float = 0.0,
) -> bytes:  # fmt: skip
    """Places (n, 3) and what the pen told there as the bytes of a gesture; the last of too many are left out."""
    points = np.zeros((min(len(places), MOST_POINTS), COLUMNS), "<f4")
    points[:, :3] = places[:MOST_POINTS]
    for k, value in enumerate((pressure, time, lean), start=3):
        points[:, k] = value if isinstance(value, float | int) else value[:MOST_POINTS]
    return points.tobytes()
