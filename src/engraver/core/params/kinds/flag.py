"""A switch."""

from __future__ import annotations

from ...raster import Facts
from ..spec import FieldKind, FieldSpec, PlainField

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

flag = PlainField(FLAG)
