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
        """Ids of the plates that its gestures need, each once."""
        return tuple(dict.fromkeys(id for gesture in self.gestures for id in gesture.plates))

    @property
    def bodies(self) -> tuple[str, ...]:
        """Ids of the plates whose meshes are repeated along curves, or stand at their ends, each once."""
        cords = [g for g in self.gestures if g.declared.curve and g.settings.made == "body"]
        found = (id for g in cords for id in (g.plate, g.settings.first_piece, g.settings.last_piece) if id)
        return tuple(dict.fromkeys(found))

    def gesture(self, uid: str) -> Gesture:
        """Raises BadValue where it is gone."""
        for gesture in self.gestures:
            if gesture.uid == uid:
                return gesture
        raise BadValue("That gesture is no longer in the trial")

    def follows(self, old: str, new: str) -> Trial:
        """The same with one plate in the place of another."""
        return self.model_copy(update={"gestures": tuple(g.follows(old, new) for g in self.gestures)})
