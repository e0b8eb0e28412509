"""One of a few named options."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ..spec import FieldKind, FieldSpec, declared, literal_values, when_of


def _check(spec: FieldSpec, annotation: Any) -> str:
    values = tuple(value for value, _ in spec.choices)
    allowed = literal_values(annotation)
    if set(values) != set(allowed):
        odd = sorted(set(values) ^ set(allowed), key=str)
        return f"its choices and its Literal differ: {', '.join(map(str, odd))}"
    return "" if spec.default in values else "its default is not one of its choices"


CHOICE = FieldKind(
    "choice", parse=lambda text, spec, facts: text.strip(),
    show=lambda value, spec, facts: dict(spec.choices)[value],
    allowed=lambda spec: ", ".join(f"`{value}` ({label})" for value, label in spec.choices), check=_check,
    can_be=lambda value, spec: value in dict(spec.choices),
    name=lambda value, spec: dict(spec.choices)[value].lower(),
    example=lambda spec: ", ".join(value for value, _ in spec.choices[:3]), row="choice",
)  # fmt: skip


def choice(
    default: str, choices: Mapping[str, str], label: str, help: str, *, when: Mapping[str, Any] | None = None,
    editor: str = "", **unknown: Never,
) -> Any:  # fmt: skip
    """One of a few named options; the field's type must be the matching Literal."""
    return declared(FieldSpec(
        CHOICE, label, help, default, choices=tuple(choices.items()), when=when_of(when), editor=editor,
        unknown=tuple(unknown),
    ))  # fmt: skip
