"""The frozen models that are saved, undone and compared."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, TypeVar

from pydantic import (
    Field,
    SerializationInfo,
    SerializeAsAny,
    ValidationError,
    ValidationInfo,
    field_serializer,
    field_validator,
    model_validator,
)

from .. import limits
from ..errors import BadValue
from ..files.picture import Reading
from ..params import Params, StepZero, specs
from ..pressing.settings import StrokeSettings
from ..raster import Zero
from ..steps import StepKind, kind_of
from .base import Model, new_id
from .pack import Pack, Packed
from .source import Source, SourceFile
from .trial import Trial

__all__ = [
    "FORMAT_VERSION", "Brush", "MeshAs", "Model", "Pack", "Packed", "PictureAs", "Plate", "Project", "Recipe",
    "Source", "SourceFile", "Step", "Trial", "checked_params", "new_id", "settled",
]  # fmt: skip

FORMAT_VERSION = 6
PictureAs = Literal["surface", "relief", "drawing", "tip", "subject", "sheet", "plain"]
MeshAs = Literal["object", "detail", "rolled"]


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
        if "a font is missing" in str(first["msg"]):
            raise BadValue(f"{kind.name} has a font that is missing from the file") from None
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

    uid: str = Field(max_length=limits.ID)
    kind: str = Field(max_length=limits.ID)
    version: int = 1
    on: bool = True
    name: str = Field("", max_length=limits.NAME)
    params: SerializeAsAny[Params]

    @model_validator(mode="before")
    @classmethod
    def _lift(cls, data: Any, info: ValidationInfo) -> Any:
        if not isinstance(data, dict):
            return data
        kind = kind_of(str(data.get("kind", "")))
        version = data.get("version", kind.version)
        if type(version) is not int or version < 1:
            raise BadValue(f"The step {kind.name} has a version that is no number")
        if version > kind.version:
            raise BadValue(f"The step {kind.name} comes from a newer Engraver", "", "Update Engraver to use it")
        values = data.get("params", {})
        if isinstance(values, Params):
            if type(values) is not kind.params:
                raise BadValue(f"The step {kind.name} got the settings of another step")
            return {**data, "version": kind.version}
        if not isinstance(values, Mapping):
            raise BadValue(f"The step {kind.name} has settings that cannot be read")
        blobs = (info.context or {}).get("blobs")
        lifted = kind.migrate(version, dict(values)) if version != kind.version else values
        return {**data, "version": kind.version, "params": checked_params(kind, lifted, blobs)}

    @classmethod
    def make(cls, kind: str, /, **values: Any) -> Step:
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

    id: str = Field(max_length=limits.ID)
    name: str = Field("Recipe", max_length=limits.NAME)
    steps: tuple[Step, ...] = Field((), max_length=limits.STEPS)

    @model_validator(mode="after")
    def _unique(self) -> Recipe:
        uids = [step.uid for step in self.steps]
        if len(set(uids)) != len(uids):
            raise ValueError("two steps of a recipe have the same uid")
        return self


class Plate(Model):
    """One alpha in the making.

    ``own`` holds this plate's own parameters for steps that are *only here*, by
    the step's uid; the other steps take theirs from the recipe. ``raises`` is the tone
    that stands up in the picture shown: the same relief, told in the other convention. ``ready_for``
    is the id of the destination it is measured for, "" for the usual one.
    """

    id: str = Field(max_length=limits.ID)
    name: str = Field(max_length=limits.NAME)
    source: str = Field(max_length=limits.ID)
    reading: SerializeAsAny[StepZero] = Reading()
    recipe: str = Field(max_length=limits.ID)
    own: dict[str, dict[str, Any]] = Field(default_factory=dict, max_length=limits.STEPS)
    read_as: str = Field("plain", max_length=limits.ID)
    ready_for: str = Field("", max_length=40)
    raises: Literal["white", "black"] = "white"
    seed: int = Field(1, ge=0, lt=2**32)

    @field_validator("reading", mode="before")
    @classmethod
    def _tagged(cls, value: Any, info: ValidationInfo) -> Any:
        """Step zero from a file: the source kinds that are known come with the context, as ``readings``."""
        if isinstance(value, StepZero):
            return value
        known: Mapping[str, type[StepZero]] = (info.context or {}).get("readings", {})
        if not isinstance(value, Mapping):
            raise ValueError("step zero cannot be read")
        kind, version = value.get("kind"), value.get("version")
        model = known.get(kind) if isinstance(kind, str) else None
        if model is None or type(version) is not int:
            raise ValueError("step zero is of a kind that Engraver does not know")
        if version > model.version:
            raise ValueError("step zero comes from a newer Engraver")
        values = {name: v for name, v in value.items() if name not in ("kind", "version")}
        return model.model_validate(model.lifted(version, values) if version < model.version else values)

    @field_serializer("reading")
    def _with_tag(self, reading: StepZero, info: SerializationInfo) -> dict[str, Any]:
        return {"kind": reading.kind, "version": reading.version, **reading.model_dump(mode=info.mode)}


class Brush(Model):
    """A plate and the settings that it is pressed with, kept together under a name.

    Attributes
    ----------
    id, name : str
    plate : Plate
        As it was when the brush was kept; the plate of the same id may have changed since, or be gone.
    steps : tuple of Step
        Its line as it was, with the plate's own values in place.
    settings : StrokeSettings
    zero : {"black", "mid"}
        The tone of the finished plate that leaves a surface untouched.
    made_from : str
        The id of the brush that this one carries on from; "" for none.
    """

    id: str = Field(max_length=limits.ID)
    name: str = Field(max_length=limits.NAME)
    plate: Plate
    steps: tuple[Step, ...] = Field((), max_length=limits.STEPS)
    settings: StrokeSettings = StrokeSettings()
    zero: Zero = "black"
    made_from: str = Field("", max_length=limits.ID)

    @model_validator(mode="after")
    def _whole(self) -> Brush:
        Recipe(id=self.id, steps=self.steps)  # as strict with its steps
        return self


_Item = TypeVar("_Item", Plate, Source, Recipe, Trial, Brush)


class Project(Model):
    """Everything in one file."""

    version: int = FORMAT_VERSION
    name: str = Field("Untitled", max_length=limits.NAME)
    sources: tuple[Source, ...] = Field((), max_length=limits.SOURCES)
    recipes: tuple[Recipe, ...] = Field((), max_length=limits.RECIPES)
    plates: tuple[Plate, ...] = Field((), max_length=limits.PLATES)
    trials: tuple[Trial, ...] = Field((), max_length=limits.TRIALS)
    brushes: tuple[Brush, ...] = Field((), max_length=limits.BRUSHES)
    pack: Pack = Pack()

    @model_validator(mode="after")
    def _whole(self) -> Project:
        sources, recipes = {s.id: s.kind for s in self.sources}, {r.id for r in self.recipes}
        for items in (self.sources, self.recipes, self.plates, self.trials, self.brushes):
            if len({item.id for item in items}) != len(items):
                raise ValueError("two things in it have the same id")
        for plate in self.plates:
            if plate.source not in sources or plate.recipe not in recipes:
                raise ValueError(f"the plate {plate.name} refers to something that is not in the project")
            if plate.reading.kind != sources[plate.source]:
                raise ValueError(f"the plate {plate.name} reads its source as another kind than it is")
        for brush in self.brushes:
            if sources.get(brush.plate.source) != brush.plate.reading.kind:
                raise ValueError(f"the brush {brush.name} is of a source that is not in the project")
        return self

    def plate(self, id: str) -> Plate:
        return _find(self.plates, id, "plate")

    def source(self, id: str) -> Source:
        return _find(self.sources, id, "source")

    def trial(self, id: str) -> Trial:
        return _find(self.trials, id, "trial")

    def brush(self, id: str) -> Brush:
        return _find(self.brushes, id, "brush")

    def recipe(self, id: str) -> Recipe:
        return _find(self.recipes, id, "recipe")

    def line(self, plate_id: str) -> tuple[Step, ...]:
        """The plate's steps, its own parameters in place; they were checked when they were set or read."""
        plate = self.plate(plate_id)
        return tuple(
            step.model_copy(update={"params": step.params.model_copy(update=plate.own[step.uid])})
            if step.uid in plate.own
            else step
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
