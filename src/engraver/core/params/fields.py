"""The kinds of parameter field.

Each helper returns a pydantic field that carries a :class:`FieldSpec`: label,
help, range, unit and when it applies. Two kinds of length exist. A *length* is
a fraction of the shorter side of the raster that enters the step; a *grain* is
in source pixels. Neither changes when the plate's side does.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field

from .strokes import MAX_STROKES

Kind = Literal[
    "length", "grain", "fraction", "number", "integer", "choice", "flag", "curve", "position-x", "position-y",
    "points", "colour", "strokes", "reference",
]  # fmt: skip
CurvePoints = tuple[tuple[float, float], ...]
Colour = tuple[float, float, float]
# Kinds set by hands on the plate or by an editor of their own: no row of the settings shows them.
BY_HAND: tuple[Kind, ...] = ("curve", "points", "colour", "strokes")
When = tuple[tuple[str, tuple[Any, ...]], ...]


@dataclass(frozen=True, slots=True)
class FieldSpec:
    """How one parameter is shown, typed and checked.

    ``when`` lists (other field, allowed values) pairs that must all hold for the
    parameter to apply; ``editor`` names an editor of our own that owns it.
    """

    kind: Kind
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


def _when(when: Mapping[str, Any] | None) -> When:
    if not when:
        return ()
    return tuple((name, v if isinstance(v, tuple) else (v,)) for name, v in when.items())


def _numeric(kind: Kind, default: Any, lo: float, hi: float, label: str, help: str, **more: Any) -> Any:
    spec = FieldSpec(
        kind, label, help, default, lo, hi,
        step=more.get("step", 0.01), unit=more.get("unit", ""), when=_when(more.get("when")),
        editor=more.get("editor", ""), soft=more.get("soft"),
    )  # fmt: skip
    return Field(default, ge=lo, le=hi, description=help, json_schema_extra={"spec": spec})  # type: ignore[dict-item]


def length(default: float, lo: float, hi: float, label: str, help: str, **more: Any) -> Any:
    """A length as a fraction of the shorter side of the raster that enters the step."""
    return _numeric("length", default, lo, hi, label, help, **{"step": 0.001, **more})


def grain(default: float, lo: float, hi: float, label: str, help: str, **more: Any) -> Any:
    """A length in source pixels: the size of a speck, of noise, of a scan line."""
    return _numeric("grain", default, lo, hi, label, help, unit="px", **{"step": 0.5, **more})


def position(axis: Literal["x", "y"], default: float, label: str, help: str, **more: Any) -> Any:
    """A place along one axis, 0 at the left or top border, 1 at the other."""
    kind: Kind = "position-x" if axis == "x" else "position-y"
    return _numeric(kind, default, 0.0, 1.0, label, help, **{"step": 0.001, **more})


def fraction(default: float, lo: float, hi: float, label: str, help: str, **more: Any) -> Any:
    """A share, shown in per cent."""
    return _numeric("fraction", default, lo, hi, label, help, **more)


def number(default: float | None, lo: float, hi: float, label: str, help: str, **more: Any) -> Any:
    """A plain number with an optional unit."""
    return _numeric("number", default, lo, hi, label, help, **more)


def integer(default: int, lo: int, hi: int, label: str, help: str, **more: Any) -> Any:
    """A whole number."""
    return _numeric("integer", default, lo, hi, label, help, **{"step": 1, **more})


def choice(default: str, choices: Mapping[str, str], label: str, help: str, **more: Any) -> Any:
    """One of a few named options; the field's type must be the matching Literal."""
    spec = FieldSpec(
        "choice", label, help, default, choices=tuple(choices.items()),
        when=_when(more.get("when")), editor=more.get("editor", ""),
    )  # fmt: skip
    return Field(default, description=help, json_schema_extra={"spec": spec})  # type: ignore[dict-item]


def flag(default: bool, label: str, help: str, **more: Any) -> Any:
    """A switch."""
    spec = FieldSpec("flag", label, help, default, when=_when(more.get("when")), editor=more.get("editor", ""))
    return Field(default, description=help, json_schema_extra={"spec": spec})  # type: ignore[dict-item]


def curve(default: CurvePoints, label: str, help: str, **more: Any) -> Any:
    """Points (x, y) with rising x in 0..1, joined by a curve that never overshoots."""
    spec = FieldSpec("curve", label, help, default, when=_when(more.get("when")), editor=more.get("editor", "curve"))
    return Field(default, description=help, json_schema_extra={"spec": spec})  # type: ignore[dict-item]


def _plain(kind: Kind, default: Any, label: str, help: str, **more: Any) -> Any:
    spec = FieldSpec(kind, label, help, default, when=_when(more.get("when")), editor=more.get("editor", ""))
    return Field(default, description=help, json_schema_extra={"spec": spec})  # type: ignore[dict-item]


def points(default: CurvePoints, label: str, help: str, **more: Any) -> Any:
    """Places (x, y) as shares of the width and height of the raster that enters the step."""
    return _plain("points", default, label, help, **more)


def colour(default: Colour, label: str, help: str, **more: Any) -> Any:
    """A colour (red, green, blue), each 0..1, encoded as stored."""
    return _plain("colour", default, label, help, **more)


def strokes(label: str, help: str, **more: Any) -> Any:
    """Strokes painted on the plate, kept in source shares; none at first."""
    return Field(
        (), max_length=MAX_STROKES, description=help,
        json_schema_extra={"spec": FieldSpec("strokes", label, help, (), when=_when(more.get("when")))},  # type: ignore[dict-item]
    )  # fmt: skip


def reference(label: str, help: str, **more: Any) -> Any:
    """Another source of the project by its id; "" for none."""
    return _plain("reference", "", label, help, **more)


@lru_cache(maxsize=256)
def specs(model: type[Params]) -> Mapping[str, FieldSpec]:
    """The field specs of a parameter model, in order.

    Raises
    ------
    TypeError
        When a field was declared without one of the helpers above.
    """
    found: dict[str, FieldSpec] = {}
    for name, info in model.model_fields.items():
        extra = info.json_schema_extra
        spec = extra.get("spec") if isinstance(extra, dict) else None
        if not isinstance(spec, FieldSpec):
            raise TypeError(f"{model.__name__}.{name} is declared without a field kind")
        if spec.kind == "choice" and spec.default not in dict(spec.choices):
            raise TypeError(f"{model.__name__}.{name}: its default is not one of its choices")
        for other, _ in spec.when:
            if other not in model.model_fields:
                raise TypeError(f"{model.__name__}.{name} applies when an unknown field {other!r} ...")
        found[name] = spec
    return found
