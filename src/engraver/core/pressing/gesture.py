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
from ..curves.model import Curve
from ..params.blobs import checked_points, packed, unpacked
from .settings import GROUPS, StrokeSettings

Does = Literal["single", "drag-out", "stroke", "along", "smooth", "scrape", "wipe"]
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
    curve : bool
        Its points are those of an editable curve, along which one joined thing lies.
    asks : tuple of str
        The stroke settings that it asks for; empty for all but those of curves.
    chosen_words : str
        What is told where one of them is chosen.
    """

    id: Does
    name: str
    help: str
    icon: str
    plate: bool = True
    along: bool = False
    points: bool = True
    curve: bool = False
    asks: tuple[str, ...] = ()
    chosen_words: str = "Its marks are lit on the surface; what is set here is its own."

    def takes(self, setting: str, made: str = "band") -> bool:
        """Whether it asks for a stroke setting; ``made`` is what lies along a curve."""
        if self.curve and made == "body" and setting in _BANDS_ALONE:
            return False
        return setting in self.asks if self.asks else setting not in _CURVES_ALONE


# What a tool without a plate asks for; what a band or a cord along a curve does beside its own groups.
_OF_TOOLS = ("size", "flow")
_BANDS_ALONE = frozenset((
    "strength", "acts", "level", "meets", "flow", "press_strength", "press_flow",
    *(name for g in GROUPS if g.id in ("tooth", "fall") for name in g.fields),
))  # fmt: skip
_CURVES_ALONE = frozenset(name for g in GROUPS if g.curve for name in g.fields)
_OF_CURVES = (
    "size", "strength", "acts", "level", "meets", "flow", "steady", "taper_in", "taper_out", "press_size",
    "press_least", "press_strength", "press_flow", *next(g.fields for g in GROUPS if g.id == "tooth"),
    *next(g.fields for g in GROUPS if g.id == "fall"), *(name for g in GROUPS if g.curve for name in g.fields),
)  # fmt: skip
_ALL = (
    GestureKind("single", "Single", "One mark at the set size.", "mark"),
    GestureKind("drag-out", "Drag out", "Press, and drag the mark out to its size and turn.", "drag-out"),
    GestureKind("stroke", "Stroke", "Marks along the way of the hand.", "stroke", along=True),
    GestureKind("along", "Along a curve", "One band or cord along a curve that stays editable.", "along", along=True,
                curve=True, asks=_OF_CURVES,
                chosen_words="Drag its points; press on the curve for one more, at an end to carry it on."),
    GestureKind("smooth", "Smooth", "Evens out what is there.", "smooth", plate=False, along=True,
                asks=_OF_TOOLS),
    GestureKind("scrape", "Scrape", "Takes off what stands over the plane under the tool.", "scrape", plate=False,
                along=True, asks=_OF_TOOLS),
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
    curve : Curve or None
        Of one along a curve: what its points are beside their places.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

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
    curve: Curve | None = None

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
            f"{self.keeps} {self.on} {self.seed} {self.way.digest if self.declared.curve else ''} "
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
    def way(self) -> Curve:
        """What its points are beside their places; an open, smooth curve where nothing is said."""
        return self.curve or Curve()

    @property
    def declared(self) -> GestureKind:
        return GESTURES[self.kind]

    @property
    def plates(self) -> tuple[str, ...]:
        """Ids of all plates that it needs: what it presses, its tooth, and what stands at the ends of a curve."""
        s = self.settings
        curve = self.declared.curve
        wanted = (
            self.plate if self.declared.plate else "", s.tooth_plate if s.tooth == "plate" else "",
            s.first_piece if curve else "", s.last_piece if curve else "",
        )  # fmt: skip
        return tuple(dict.fromkeys(id for id in wanted if id))

    def follows(self, old: str, new: str) -> Gesture:
        """The same with one plate in the place of another."""
        settings = self.settings.follows(old, new)
        if old != self.plate and settings == self.settings:
            return self
        return self.but(plate=new if self.plate == old else self.plate, settings=settings)

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
