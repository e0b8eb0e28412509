"""How one parameter is shown, typed and checked, and what a kind of field declares."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal, Never, Self, get_args

from pydantic import BaseModel, ConfigDict, Field

from ..raster import Facts

# What of the project a value names, as pairs of (what, id).
References = Callable[[Any], tuple[tuple[str, str], ...]]

CurvePoints = tuple[tuple[float, float], ...]
Colour = tuple[float, float, float]
When = tuple[tuple[str, tuple[Any, ...]], ...]
# The rows of the settings that a kind can ask for; "" for kinds set by hands or by an editor of their own.
RowName = Literal["", "number", "choice", "switch", "source", "plate", "words"]


@dataclass(frozen=True, slots=True)
class FieldKind:
    """One kind of parameter field. To add one: a file in ``kinds/`` with this and its helper.

    Attributes
    ----------
    id : str
    parse : (text, spec, facts) -> value
        Reads what was typed; raises ValueError with words when it cannot.
    show : (value, spec, facts) -> str
        A value as it is read in the window.
    allowed : (spec) -> str
        What it can be, in Markdown.
    check : (spec, annotation) -> str
        What is wrong with a declaration, or "".
    can_be : (value, spec) -> bool
        Whether a value is one that the field can have.
    default : (spec) -> str
        What it is at first, in Markdown.
    bare : (text, spec) -> str
        A number typed without its unit, with the unit that is shown.
    name : (value, spec) -> str
        A value as a part of a plate's name.
    example : (spec) -> str
        A few values, as they are typed into a list of them; "" for kinds that cannot be listed.
    row : str
        The row of the settings that shows it.
    whole : bool
        Only whole numbers.
    refers : {"", "source", "plate", "trial"}
        What it names of the project.
    references : (value) -> tuple of (what, id), optional
        What of the project a value needs; None where it never needs any.
    form : str
        How it is typed, for the words of an error.
    """

    id: str
    parse: Callable[[str, FieldSpec, Facts], Any]
    allowed: Callable[[FieldSpec], str]
    show: Callable[[Any, FieldSpec, Facts], str] = lambda value, spec, facts: str(value)
    check: Callable[[FieldSpec, Any], str] = lambda spec, annotation: ""
    can_be: Callable[[Any, FieldSpec], bool] = lambda value, spec: False
    default: Callable[[FieldSpec], str] = lambda spec: f"`{spec.default}`"
    bare: Callable[[str, FieldSpec], str] = lambda text, spec: text
    name: Callable[[Any, FieldSpec], str] = lambda value, spec: f"{value:g}"
    example: Callable[[FieldSpec], str] = lambda spec: ""
    row: RowName = ""
    whole: bool = False
    refers: Literal["", "source", "plate", "trial"] = ""
    references: References | None = None
    form: str = "a value"


@dataclass(frozen=True, slots=True)
class FieldSpec:
    """How one parameter is shown, typed and checked.

    ``when`` lists (other field, allowed values) pairs that must all hold for the
    parameter to apply; ``editor`` names an editor of our own that owns it; ``unknown``
    are keywords that its declaration should not have.
    """

    kind: FieldKind
    label: str
    help: str
    default: Any
    lo: float | None = None
    hi: float | None = None
    step: float = 0.01
    unit: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    when: When = ()
    editor: str = ""
    soft: tuple[float, float] | None = None
    unknown: tuple[str, ...] = ()

    def applies(self, values: Mapping[str, Any]) -> bool:
        """Whether the parameter has an effect with these other values."""
        return all(values.get(name) in allowed for name, allowed in self.when)

    @property
    def slider(self) -> tuple[float, float]:
        """The range a slider covers; typing may go up to the hard range."""
        return self.soft or (self.lo or 0.0, 1.0 if self.hi is None else self.hi)


class Params(BaseModel):
    """Base of every step's frozen parameter model; unknown names are refused."""

    # The validator of a model is built when it is first needed: there are many, and a start needs few.
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    def values(self) -> dict[str, Any]:
        """The values by name, as they are: strokes stay strokes."""
        return {name: getattr(self, name) for name in type(self).model_fields}

    def but(self, **changes: Any) -> Self:
        """The same with other values. Raises pydantic's ValidationError for one out of range."""
        return type(self).model_validate({**self.values(), **changes})


def declared(spec: FieldSpec, **more: Any) -> Any:
    """The pydantic field that carries a spec."""
    return Field(spec.default, description=spec.help, json_schema_extra={"spec": spec}, **more)  # type: ignore[dict-item]


def when_of(when: Mapping[str, Any] | None) -> When:
    """Conditions as pairs of a name and the values at which they hold."""
    if not when:
        return ()
    return tuple((name, v if isinstance(v, tuple) else (v,)) for name, v in when.items())


@dataclass(frozen=True, slots=True)
class NumericField:
    """Declares fields of a kind that lie between two ends.

    ``step`` is what an arrow key changes, ``unit`` what stands behind the number, unless a field says otherwise;
    ``soft`` is the range of its slider.
    """

    kind: FieldKind
    step: float = 0.01
    unit: str = ""

    def __call__(
        self, default: float | None, lo: float, hi: float, label: str, help: str, *, step: float | None = None,
        unit: str | None = None, when: Mapping[str, Any] | None = None, editor: str = "",
        soft: tuple[float, float] | None = None, **unknown: Never,
    ) -> Any:  # fmt: skip
        spec = FieldSpec(
            self.kind, label, help, default, lo, hi, self.step if step is None else step,
            self.unit if unit is None else unit, when=when_of(when), editor=editor, soft=soft, unknown=tuple(unknown),
        )  # fmt: skip
        return declared(spec, ge=lo, le=hi)


@dataclass(frozen=True, slots=True)
class PlainField:
    """Declares fields of a kind that has nothing to say but its default."""

    kind: FieldKind
    editor: str = ""

    def __call__(
        self, default: Any, label: str, help: str, *, when: Mapping[str, Any] | None = None,
        editor: str | None = None, **unknown: Never,
    ) -> Any:  # fmt: skip
        return declared(FieldSpec(
            self.kind, label, help, default, when=when_of(when), editor=self.editor if editor is None else editor,
            unknown=tuple(unknown),
        ))  # fmt: skip


def in_range(value: Any, spec: FieldSpec) -> bool:
    """Whether a number lies between a field's ends."""
    good = isinstance(value, int | float) and not isinstance(value, bool)
    return good and spec.lo is not None and spec.hi is not None and spec.lo <= value <= spec.hi


def checked_range(spec: FieldSpec, annotation: Any) -> str:
    """What is wrong with the ends of a declared number."""
    if spec.lo is None or spec.hi is None or not spec.lo < spec.hi:
        return "its range is empty"
    if spec.default is not None and not in_range(spec.default, spec):
        return "its default lies outside its range"
    if spec.soft is not None and not spec.lo <= spec.soft[0] < spec.soft[1] <= spec.hi:
        return "its slider goes beyond its range"
    return ""


def literal_values(annotation: Any) -> tuple[Any, ...]:
    """The values of a Literal, also of one joined by ``|`` from several."""
    found: list[Any] = []
    for part in get_args(annotation):
        inner = literal_values(part) if get_args(part) else (part,)
        found += inner
    return tuple(found)


def _complaint(model: type[Params], name: str, spec: FieldSpec, found: Mapping[str, FieldSpec]) -> str:
    if spec.unknown:
        return f"a {spec.kind.id} has no keyword {spec.unknown[0]!r}"
    if not spec.label or not spec.help.endswith("."):
        return "it needs a label, and a sentence of help"
    wrong = spec.kind.check(spec, model.model_fields[name].annotation)
    if wrong:
        return wrong
    for other, allowed in spec.when:
        if other not in found:
            return f"it applies when an unknown field {other!r} ..."
        for value in allowed:
            if not found[other].kind.can_be(value, found[other]):
                return f"it applies when {other} is {value!r}, which it cannot be"
    return ""


@lru_cache(maxsize=256)
def specs(model: type[Params]) -> Mapping[str, FieldSpec]:
    """The field specs of a parameter model, in order: its own, then those it has in common with others.

    Raises
    ------
    TypeError
        Naming model and field: a field without a kind, an unknown keyword, a choice that its Literal
        does not have, a range or a condition that cannot be.
    """
    found: dict[str, FieldSpec] = {}
    shared = {name for base in model.__mro__[1:] for name in getattr(base, "model_fields", {})}
    own_first = sorted(model.model_fields.items(), key=lambda item: item[0] in shared)
    for name, info in own_first:
        extra = info.json_schema_extra
        spec = extra.get("spec") if isinstance(extra, dict) else None
        if not isinstance(spec, FieldSpec):
            raise TypeError(f"{model.__name__}.{name} is declared without a field kind")
        found[name] = spec
    for name, one in found.items():
        wrong = _complaint(model, name, one, found)
        if wrong:
            raise TypeError(f"{model.__name__}.{name}: {wrong}")
    return found


@lru_cache(maxsize=256)
def referring(model: type[Params]) -> Mapping[str, References]:
    """The fields of a parameter model that can name something of the project, and how."""
    return {name: of for name, spec in specs(model).items() if (of := spec.kind.references) is not None}
