"""Parameter fields: what a step declares once and every form, file and page reads."""

from .fields import (
    BY_HAND,
    FieldSpec,
    Params,
    choice,
    colour,
    curve,
    flag,
    fraction,
    grain,
    integer,
    length,
    number,
    points,
    position,
    reference,
    specs,
    strokes,
)
from .strokes import Stroke, Strokes
from .text import parse_assignment, parse_value, split_words

__all__ = [
    "BY_HAND",
    "FieldSpec",
    "Params",
    "Stroke",
    "Strokes",
    "choice",
    "colour",
    "curve",
    "flag",
    "fraction",
    "grain",
    "integer",
    "length",
    "number",
    "parse_assignment",
    "parse_value",
    "points",
    "position",
    "reference",
    "specs",
    "split_words",
    "strokes",
]
