"""Which gauges there are: names, scales, usual zones, why they matter. Rows, editor and docs read them from here."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from ..numeric import seam

Value = Annotated[float, Field(allow_inf_nan=False)]


class Zone(BaseModel):
    """Values that are good, and those around them that are worth a look; beyond lies a fault."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    good: tuple[Value, Value]
    look: tuple[Value, Value]

    @model_validator(mode="after")
    def _ordered(self) -> Zone:
        if not self.look[0] <= self.good[0] <= self.good[1] <= self.look[1]:
            raise ValueError("the good zone must lie inside the zone worth a look")
        return self


@dataclass(frozen=True, slots=True)
class Kind:
    """One gauge's declaration.

    Attributes
    ----------
    scale : (float, float)
        Ends of the scale that is drawn.
    limit : {"upper", "lower"}
        Which end of its zones matters: large values are bad, or small ones.
    usual : Zone or None
        Its zones where a destination sets none; None when it is judged by a rule of another form.
    share : bool
        Whether it is a share 0..1 that is told in per cent.
    advice : bool
        Never at fault.
    slow : bool
        Measured after the others.
    of_form : bool
        Says nothing of a plate that is flat.
    in_copy : bool
        Can be told from a smaller copy of the plate.
    """

    id: str
    name: str
    scale: tuple[float, float]
    limit: Literal["upper", "lower"]
    usual: Zone | None
    why: str
    share: bool = False
    advice: bool = False
    slow: bool = False
    of_form: bool = True
    in_copy: bool = True


def _upto(good: float, look: float) -> Zone:
    return Zone(good=(0.0, good), look=(0.0, max(good, look)))


def _from(good: float, look: float = 0.0) -> Zone:
    return Zone(good=(good, 1.0), look=(look, 1.0))


# In the order in which they are shown.
_ALL = (
    Kind("size", "Size", (6.0, 14.0), "upper", None,
         "A file of another size is resampled by the program that reads it, or refused.",
         in_copy=False),
    Kind("range", "Range", (0.0, 1.0), "lower", _from(0.85), "Unused range wastes depth and strength.", share=True),
    Kind("clipping", "Clipping", (0.0, 0.1), "upper", _upto(0.01, 0.05),
         "What lies beyond the ends becomes a flat plateau with a hard edge.", share=True, of_form=False),
    Kind("border", "Border", (0.0, 0.1), "upper", _upto(0.0, 0.01),
         "What is not zero on the outermost ring leaves the outline of the picture on the surface.",
         share=True, of_form=False),
    Kind("seam", "Seam", (0.0, 2.5), "upper", _upto(seam.GOOD, seam.FAULT),
         "Told is the share of its inner steps that are smaller than the one over the border.", slow=True),
    Kind("cut-off", "Cut off", (0.0, 0.4), "upper", _upto(0.005, 1.0),
         "Where the frame cuts a form off, its straight end shows on the surface.", share=True, advice=True),
    Kind("lift", "Lift", (0.0, 0.7), "upper", _upto(0.35, 0.5),
         "A stamp that lifts everything it touches leaves a plateau with static on it."),
    Kind("steepness", "Steepness", (0.0, 0.06), "lower", _from(0.015, 0.004),
         "Slopes over 60° stretch the surface's mesh and break up under light.", share=True),
    Kind("stairs", "Stairs", (0.0, 1.0), "upper", _upto(0.24, 0.5),
         "A hard border that was enlarged after it was cut shows the pixels it was cut on.", slow=True,
         in_copy=False),
    Kind("banding", "Banding", (0.0, 0.2), "upper", _upto(0.02, 0.08),
         "Too few levels turn a smooth slope into terraces.", share=True, slow=True),
    Kind("detail", "True detail", (0.0, 1.0), "lower", _from(0.75),
         "A larger file than the detail in it only costs room; a sharper source would add to it.",
         share=True, advice=True, slow=True, in_copy=False),
    Kind("noise", "Noise", (0.0, 0.05), "upper", _upto(0.01, 1.0),
         "Noise is pressed into the surface like everything else.", share=True, advice=True, slow=True),
    Kind("centre", "Centre", (0.0, 0.15), "upper", _upto(0.02, 0.06),
         "A mark is set and turned about the middle of its picture.", share=True),
    Kind("evenness", "Evenness", (0.0, 1.0), "upper", _upto(0.3, 0.5),
         "A large light patch repeats with the tile and gives it away from afar.", slow=True),
    Kind("repeat", "Repeat", (0.0, 1.0), "upper", _upto(0.5, 1.0),
         "What looks alike within a tile is seen as a pattern when the tile repeats.", advice=True, slow=True),
    Kind("recognisable", "As an icon", (0.0, 0.5), "lower", _from(0.07),
         "In a list of many brushes it is found by its little picture.", advice=True),
    Kind("polarity", "Polarity", (0.0, 1.0), "upper", _upto(0.02, 1.0),
         "A stamp told the wrong way round cuts where it should raise.", share=True, advice=True, of_form=False),
)  # fmt: skip
KINDS: Mapping[str, Kind] = MappingProxyType({kind.id: kind for kind in _ALL})
