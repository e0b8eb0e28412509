"""A switch."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Never

from ...raster import Facts
from ..spec import FieldKind, FieldSpec, declared, when_of

_WORDS = {"true": True, "yes": True, "on": True, "1": True, "false": False, "no": False, "off": False, "0": False}


def _parse(text: str, spec: FieldSpec, facts: Facts) -> bool:
    word = text.strip().lower()
    if word not in _WORDS:
        raise ValueError("it is a switch")
    return _WORDS[word]


FLAG = FieldKind(
    "flag", parse=_parse, show=lambda value, spec, facts: "yes" if value else "no", allowed=lambda spec: "yes, no",
    can_be=lambda value, spec: isinstance(value, bool), default=lambda spec: "yes" if spec.default else "no",
    row="switch", form="yes or no",
)  # fmt: skip


def flag(
    default: bool, label: str, help: str, *, when: Mapping[str, Any] | None = None, editor: str = "",
    **unknown: Never,
) -> Any:  # fmt: skip
    """A switch."""
    return declared(FieldSpec(
        FLAG, label, help, default, when=when_of(when), editor=editor, unknown=tuple(unknown)
    ))  # fmt: skip
