"""Something else of the project that a step looks at: another source, or another plate as it is finished."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ..spec import FieldKind, FieldSpec, declared, when_of

SOURCE = FieldKind(
    "source", parse=lambda text, spec, facts: text.strip(), allowed=lambda spec: "another picture of the project",
    default=lambda spec: "none", row="source", refers="source",
    references=lambda value: (("source", value),) if value else (),
)  # fmt: skip
PLATE = FieldKind(
    "plate", parse=lambda text, spec, facts: text.strip(), allowed=lambda spec: "another plate of the project",
    default=lambda spec: "none", row="plate", refers="plate",
    references=lambda value: (("plate", value),) if value else (),
)  # fmt: skip


def reference(
    label: str, help: str, *, when: Mapping[str, Any] | None = None, editor: str = "", **unknown: Never
) -> Any:
    """Another source of the project by its id; "" for none."""
    return declared(FieldSpec(
        SOURCE, label, help, "", when=when_of(when), editor=editor, unknown=tuple(unknown)
    ), max_length=80)  # fmt: skip


def plate_reference(
    label: str, help: str, *, when: Mapping[str, Any] | None = None, editor: str = "", **unknown: Never
) -> Any:
    """Another plate of the project by its id, followed as it changes; "" for none."""
    return declared(FieldSpec(
        PLATE, label, help, "", when=when_of(when), editor=editor, unknown=tuple(unknown)
    ), max_length=80)  # fmt: skip
