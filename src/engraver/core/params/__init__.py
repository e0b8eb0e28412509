"""Parameter fields: what a step declares once and every form, file and page reads."""

from .fields import (
    FieldSpec,
    Params,
    choice,
    curve,
    flag,
    fraction,
    grain,
    integer,
    length,
    number,
    position,
    specs,
)
from .text import parse_assignment, parse_value

__all__ = [
    "FieldSpec",
    "Params",
    "choice",
    "curve",
    "flag",
    "fraction",
    "grain",
    "integer",
    "length",
    "number",
    "parse_assignment",
    "parse_value",
    "position",
    "specs",
]
