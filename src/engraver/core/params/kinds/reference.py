"""Something else of the project that a step looks at: another source, or another plate as it is finished."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, Never

from ... import limits
from ..spec import FieldKind, FieldSpec, declared, when_of


def _naming(what: Literal["source", "plate", "trial"], words: str) -> FieldKind:
    return FieldKind(
        what, parse=lambda text, spec, facts: text.strip(), allowed=lambda spec: words,
        default=lambda spec: "none", row="" if what == "trial" else what, refers=what,
        references=lambda value: ((what, value),) if value else (),
    )  # fmt: skip


SOURCE = _naming("source", "another picture of the project")
PLATE = _naming("plate", "another plate of the project")
TRIAL = _naming("trial", "a trial of the project")


@dataclass(frozen=True, slots=True)
class ReferenceField:
    """Declares fields that hold an id; "" for none, as at first."""

    kind: FieldKind

    def __call__(
        self, label: str, help: str, *, when: Mapping[str, Any] | None = None, editor: str = "", **unknown: Never
    ) -> Any:
        spec = FieldSpec(self.kind, label, help, "", when=when_of(when), editor=editor, unknown=tuple(unknown))
        return declared(spec, max_length=limits.ID)


reference = ReferenceField(SOURCE)
# Followed as the other plate changes.
plate_reference = ReferenceField(PLATE)
# What a plate is made of, followed as it changes.
trial_reference = ReferenceField(TRIAL)
