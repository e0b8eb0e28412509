"""The frozen models that are saved, undone and compared."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, SerializeAsAny, ValidationError, ValidationInfo, model_validator

from engraver.core.mesh.capture import Capture

from ..errors import BadValue
from ..files.picture import Reading
from ..params import Params, fraction, integer, specs
from ..steps import StepKind, kind_of

FORMAT_VERSION = 1
PictureAs = Literal["surface", "relief", "drawing", "tip", "subject", "sheet", "plain"]
MeshAs = Literal["object", "detail", "rolled"]
ReadAs = PictureAs | MeshAs
# Step zero of a plate: how a picture is read, or a mesh captured.
AnyReading = Reading | Capture


def new_id(prefix: str) -> str:
    """A short random id, unique within any project."""
    return f"{prefix}-{secrets.token_hex(4)}"


class Model(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


def checked_params(kind: StepKind, values: Mapping[str, Any], blobs: Mapping[str, bytes] | None = None) -> Params:
    """The step's parameter model from plain values; ``blobs`` hold the strokes kept beside a file's JSON.

    Raises
    ------
    BadValue
        Naming step, parameter, what was got and what is allowed.
    """
    try:
        return kind.params.model_validate(dict(values), context={"blobs": blobs or {}})
    except ValidationError as error:
        first = error.errors()[0]
        name = str(first["loc"][0]) if first["loc"] else ""
        known = specs(kind.params)
        if name and name not in known:
            raise BadValue(
                f"{kind.name} has no setting {name!r}", "", f"It has: {', '.join(known) or 'none'}"
            ) from None
        if "a stroke is missing" in str(first["msg"]):
            raise BadValue(f"{kind.name} has a stroke whose points are missing from the file") from None
        raise BadValue(_sentence(kind, name, first), "", _allowed(kind, name)) from None


def _sentence(kind: StepKind, name: str, first: Any) -> str:
    if not name:
        return f"{kind.name}: {str(first['msg']).removeprefix('Value error, ')}"
    got = first.get("input")
    shown = f" cannot be {got!r}" if isinstance(got, str | int | float | bool) else " has a value it cannot have"
    return f"{kind.name}: {specs(kind.params)[name].label} ({name}){shown}"


def _allowed(kind: StepKind, name: str) -> str:
    if not name:
        return ""
    spec = specs(kind.params)[name]
    if spec.choices:
        return "Choose " + ", ".join(value for value, _ in spec.choices)
    if spec.lo is not None:
        return f"It goes from {spec.lo:g} to {spec.hi:g}"
    return ""


class Step(Model):
    """One operation on the plate, with parameters, switched on or off.

    ``uid`` is made once and kept by the recipe: it seeds the step's randomness.
    """

    uid: str
    kind: str
    version: int = 1
    on: bool = True
    name: str = ""
    params: SerializeAsAny[Params]

    @model_validator(mode="before")
    @classmethod
    def _lift(cls, data: Any, info: ValidationInfo) -> Any:
        if not isinstance(data, dict):
            return data
        kind = kind_of(str(data.get("kind", "")))
        version = data.get("version", kind.version)
        if isinstance(version, int) and version > kind.version:
            raise BadValue(f"The step {kind.name} comes from a newer Engraver", "", "Update Engraver to use it")
        values = data.get("params", {})
        if isinstance(values, Params):
            if type(values) is not kind.params:
                raise BadValue(f"The step {kind.name} got the settings of another step")
            return {**data, "version": kind.version}
        if not isinstance(values, Mapping):
            raise BadValue(f"The step {kind.name} has settings that cannot be read")
        blobs = (info.context or {}).get("blobs")
        lifted = kind.migrate(int(version), dict(values)) if version != kind.version else values
        return {**data, "version": kind.version, "params": checked_params(kind, lifted, blobs)}

    @classmethod
    def make(cls, kind: str, **values: Any) -> Step:
        """A new step of this kind with these parameters."""
        return cls(uid=new_id("s"), kind=kind, params=checked_params(kind_of(kind), values))

    @property
    def declared(self) -> StepKind:
        return kind_of(self.kind)

    @property
    def title(self) -> str:
        return self.name or self.declared.name

    def with_params(self, **changes: Any) -> Step:
        """The same step with some parameters changed, checked."""
        values = {**self.params.values(), **changes}
        return self.model_copy(update={"params": checked_params(self.declared, values)})


class Recipe(Model):
    """A line of steps, kept without its source."""

    id: str
    name: str = "Recipe"
    steps: tuple[Step, ...] = ()

    @model_validator(mode="after")
    def _unique(self) -> Recipe:
        uids = [step.uid for step in self.steps]
        if len(set(uids)) != len(uids):
            raise ValueError("two steps of a recipe have the same uid")
        return self


class Source(Model):
    """Where plates start: a picture or a mesh, kept as it came or linked, or a blank.

    ``sha256`` is the digest of the file's bytes; ``link`` its path when it
    is not embedded. A blank has a ``side`` in pixels and a ``grey``.
    """

    id: str
    kind: Literal["picture", "mesh", "blank"] = "picture"
    name: str
    sha256: str = ""
    link: str | None = None
    side: int = Field(1024, ge=1, le=16384)
    grey: float = Field(0.0, ge=0.0, le=1.0)

    @property
    def embedded(self) -> bool:
        """Whether its bytes are kept in the project."""
        return self.kind != "blank" and self.link is None


class Blank(Params):
    """The settings of a blank source, as the window shows them."""

    side: int = integer(1024, 1, 16384, "Side", "Pixels along each side.", unit="px", soft=(64, 4096))
    grey: float = fraction(0.5, 0.0, 1.0, "Grey", "The even tone it starts with.")


class Plate(Model):
    """One alpha in the making.

    ``own`` holds this plate's own parameters for steps that are *only here*, by
    the step's uid; the other steps take theirs from the recipe. ``raises`` is the tone
    that stands up in the picture shown: the same relief, told in the other convention. ``ready_for``
    is the id of the destination it is measured for, "" for the usual one.
    """

    id: str
    name: str
    source: str
    reading: AnyReading = Reading()
    recipe: str
    own: dict[str, dict[str, Any]] = Field(default_factory=dict)
    read_as: ReadAs = "plain"
    ready_for: str = Field("", max_length=40)
    raises: Literal["white", "black"] = "white"
    seed: int = Field(1, ge=0, lt=2**32)


_Item = TypeVar("_Item", Plate, Source, Recipe)


class Project(Model):
    """Everything in one file."""

    version: int = FORMAT_VERSION
    name: str = "Untitled"
    sources: tuple[Source, ...] = ()
    recipes: tuple[Recipe, ...] = ()
    plates: tuple[Plate, ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> Project:
        sources, recipes = {s.id for s in self.sources}, {r.id for r in self.recipes}
        for plate in self.plates:
            if plate.source not in sources or plate.recipe not in recipes:
                raise ValueError(f"the plate {plate.name} refers to something that is not in the project")
        return self

    def plate(self, id: str) -> Plate:
        return _find(self.plates, id, "plate")

    def source(self, id: str) -> Source:
        return _find(self.sources, id, "source")

    def recipe(self, id: str) -> Recipe:
        return _find(self.recipes, id, "recipe")

    def line(self, plate_id: str) -> tuple[Step, ...]:
        """The plate's steps, its own parameters in place."""
        plate = self.plate(plate_id)
        return tuple(
            step.with_params(**plate.own[step.uid]) if step.uid in plate.own else step
            for step in self.recipe(plate.recipe).steps
        )


def _find(items: tuple[_Item, ...], id: str, what: str) -> _Item:
    for item in items:
        if item.id == id:
            return item
    raise BadValue(f"There is no such {what} in the project")


def settled(project: Project, blobs: Mapping[str, bytes] | None = None) -> Project:
    """A project just read: the plates' own values checked by their steps, strokes in place.

    Raises
    ------
    BadValue
        A plate holds something its step cannot have.
    """
    plates = []
    for plate in project.plates:
        kinds = {step.uid: step.declared for step in project.recipe(plate.recipe).steps}
        own = {
            uid: {name: getattr(checked_params(kinds[uid], values, blobs), name) for name in values}
            for uid, values in plate.own.items()
            if uid in kinds
        }
        plates.append(plate.model_copy(update={"own": own}))
    return project.model_copy(update={"plates": tuple(plates)})
