"""A trial: a surface with the gestures made on it, kept in the project."""

from __future__ import annotations

from pydantic import Field, field_validator, model_validator

from .. import limits
from ..errors import BadValue
from ..pressing.gesture import Gesture
from ..surfaces import SURFACES, surface
from ..surfaces.kind import SurfaceKind
from .base import Model

# Points of a surface, least and most.
LEAST_POINTS, MOST_POINTS = 60_000, 4_000_000
USUAL_POINTS = 1_000_000


class Trial(Model):
    """A surface and what was pressed into it.

    Attributes
    ----------
    id, name : str
    surface : str
        A key of ``SURFACES``.
    points : int
        How many points the surface has.
    own : str
        The id of the mesh that is the surface, for one that is made from a mesh.
    rounded : bool
        The facets of that mesh are smoothed.
    gestures : tuple of Gesture
        In the order in which they act.
    """

    id: str = Field(max_length=limits.ID)
    name: str = Field("Trial", max_length=limits.NAME)
    surface: str = Field("flat", max_length=40)
    points: int = Field(USUAL_POINTS, ge=LEAST_POINTS, le=MOST_POINTS)
    own: str = Field("", max_length=limits.ID)
    rounded: bool = False
    gestures: tuple[Gesture, ...] = Field((), max_length=limits.GESTURES)

    @field_validator("surface")
    @classmethod
    def _known(cls, value: str) -> str:
        if value not in SURFACES:
            raise ValueError(f"there is no surface called {value}")
        return value

    @model_validator(mode="after")
    def _whole(self) -> Trial:
        if len({g.uid for g in self.gestures}) != len(self.gestures):
            raise ValueError("two gestures of a trial have the same uid")
        return self

    @property
    def declared(self) -> SurfaceKind:
        return surface(self.surface)

    @property
    def plates(self) -> tuple[str, ...]:
        """Ids of the plates that its gestures press or take their tooth from, each once."""
        found: dict[str, None] = {}
        for gesture in self.gestures:
            if gesture.declared.plate and gesture.plate:
                found[gesture.plate] = None
            if gesture.settings.tooth == "plate" and gesture.settings.tooth_plate:
                found[gesture.settings.tooth_plate] = None
        return tuple(found)

    def gesture(self, uid: str) -> Gesture:
        """Raises BadValue where it is gone."""
        for gesture in self.gestures:
            if gesture.uid == uid:
                return gesture
        raise BadValue("That gesture is no longer in the trial")

    def follows(self, old: str, new: str) -> Trial:
        """The same with one plate in the place of another."""

        def changed(gesture: Gesture) -> Gesture:
            more: dict[str, object] = {"plate": new} if gesture.plate == old else {}
            if gesture.settings.tooth_plate == old:
                more["settings"] = gesture.settings.but(tooth_plate=new)
            return gesture.but(**more) if more else gesture

        return self.model_copy(update={"gestures": tuple(changed(g) for g in self.gestures)})
