"""Strokes: ways of the brush painted on a plate, packed, immutable, told apart by their digest.

A stroke's points are little-endian float32 (x, y, pressure, time). Places are shares
of the source's width and height, so that a moved crop does not slide a repair off its
blemish. Equality, keys and undo use the digest; files keep the points as a blob beside
the JSON when a place for blobs is given, else in base64.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from functools import cached_property
from typing import Any

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
    model_validator,
)

from .. import limits
from .blobs import checked_points, packed, unpacked

MAX_POINTS = 100_000
MAX_STROKES = 2000
# Most pixels along the side of a tip.
MOST_TIP = 512


class Stroke(BaseModel):
    """One stroke.

    Attributes
    ----------
    tag : str
        What it says, in its step's own words ("keep", "out", "auto").
    radius : float
        Of the brush, as a share of the source's shorter side.
    shift : (float, float) or None
        From the stroke to the piece it takes, in shares of the source's width and height.
    strength, soft : float
        How strongly it acts, and how much of the brush's radius fades out, both 0..1; not all steps look at them.
    tip : bytes
        A square picture that is laid along the stroke in place of a round brush: little-endian 16-bit
        tones, row by row; none for round.
    tip_plate : str
        The id of a plate whose finished heights are the tip, as they are now; "" for none.
    spacing, turn, vary : float
        Of a tip: the way between two marks in radii, and by how much each is turned (degrees, either way)
        and made smaller (0..1) by chance.
    arm_turn, arm_mirrored : float, bool
        How it lies about the picture's middle beside what the hand drew (degrees); a stroke that is neither
        turned nor mirrored begins what was laid together.
    data : bytes
        The packed points.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    tag: str = Field("", max_length=24)
    radius: float = Field(gt=0, le=2)
    shift: tuple[float, float] | None = None
    strength: float = Field(1.0, ge=0, le=2)
    soft: float = Field(0.6, ge=0, le=1)
    tip: bytes = Field(b"", max_length=2 * MOST_TIP * MOST_TIP)
    tip_plate: str = Field("", max_length=limits.ID)
    spacing: float = Field(0.5, ge=0.05, le=4)
    turn: float = Field(0.0, ge=0, le=180)
    vary: float = Field(0.0, ge=0, le=1)
    arm_turn: float = Field(0.0, ge=0, lt=360)
    arm_mirrored: bool = False
    data: bytes

    @classmethod
    def through(
        cls, places: Sequence[tuple[float, float]], radius: float, tag: str = "",
        shift: tuple[float, float] | None = None, *, strength: float = 1.0, soft: float = 0.6,
        pressure: Sequence[float] | None = None, **more: Any,
    ) -> Stroke:  # fmt: skip
        """A stroke through places in source shares, at full pressure or with one for each place."""
        data = cls.packed(np.asarray(places, float).reshape(-1, 2), pressure)
        return cls(tag=tag, radius=radius, shift=shift, strength=strength, soft=soft, data=data, **more)

    @staticmethod
    def packed(places: NDArray[np.float64], pressure: Sequence[float] | None = None) -> bytes:
        """Places (n, 2) as points, at full pressure or with one for each."""
        points = np.zeros((len(places), 4), "<f4")
        points[:, :2] = places
        points[:, 2] = 1.0 if pressure is None else pressure
        return points.tobytes()

    def tagged(self, tag: str) -> Stroke:
        """The same stroke saying something else."""
        return self.but(tag=tag)

    def but(self, **changes: Any) -> Stroke:
        """The same stroke with something else changed."""
        now = {name: getattr(self, name) for name in type(self).model_fields}
        return Stroke(**{**now, **changes})

    @model_validator(mode="before")
    @classmethod
    def _typed(cls, values: Any) -> Any:
        """A stroke typed by hand says its ``places`` [[x, y], …] instead of packed points."""
        if isinstance(values, dict) and "places" in values:
            typed = {k: v for k, v in values.items() if k != "places"}
            places = np.asarray(values["places"], float)
            if places.ndim != 2 or places.shape[1] != 2 or not len(places):
                raise ValueError("the places of a stroke are given as [[0.4,0.5],[0.6,0.5]]")
            return {**typed, "data": cls.packed(places)}
        return values

    @field_validator("data", "tip", mode="before")
    @classmethod
    def _unpacked(cls, value: Any, info: ValidationInfo) -> Any:
        return unpacked(value, info, "a stroke")

    @field_validator("tip")
    @classmethod
    def _square(cls, value: bytes) -> bytes:
        side = round((len(value) / 2) ** 0.5)
        if 2 * side * side != len(value):
            raise ValueError("a tip is a square of 16-bit tones")
        return value

    @field_validator("data")
    @classmethod
    def _points_only(cls, value: bytes) -> bytes:
        return checked_points(value, 4, 1, MAX_POINTS, "a stroke")

    @field_serializer("data", "tip", when_used="json")
    def _packed(self, value: bytes, info: SerializationInfo) -> str:
        return packed(value, info, self.digest)

    @cached_property
    def digest(self) -> str:
        """Names the stroke: its points and all else it says."""
        head = f"{self.tag} {self.radius!r} {self.shift!r} ".encode()
        if self.tipped:
            head += f"{self.tip_plate}{self.spacing!r} {self.turn!r} {self.vary!r} ".encode() + self.tip
        if (self.strength, self.soft) != (1.0, 0.6):
            head += f"{self.strength!r} {self.soft!r} ".encode()
        return hashlib.blake2b(head + self.data, digest_size=12).hexdigest()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Stroke) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    @property
    def tipped(self) -> bool:
        """Whether a picture is laid along it in place of a round brush."""
        return bool(self.tip or self.tip_plate)

    @property
    def begins(self) -> bool:
        """Whether it is the first of what one movement of the hand has laid."""
        return self.arm_turn == 0 and not self.arm_mirrored

    @cached_property
    def tip_tones(self) -> NDArray[np.float32]:
        """The tip's tones 0..1 (side, side)."""
        tones = np.frombuffer(self.tip, "<u2").astype(np.float32) / np.float32(65535)
        side = round(len(tones) ** 0.5)
        return tones.reshape(side, side)

    @cached_property
    def points(self) -> NDArray[np.float32]:
        """The points as a read-only (n, 4) array."""
        return np.frombuffer(self.data, "<f4").reshape(-1, 4)


Strokes = tuple[Stroke, ...]
