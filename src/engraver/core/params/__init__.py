"""Parameter fields: what a step declares once and every form, file and page reads."""

from .brush import BrushSettings
from .kinds.choice import choice
from .kinds.colour import colour
from .kinds.curve import curve
from .kinds.flag import flag
from .kinds.fraction import fraction
from .kinds.grain import grain
from .kinds.integer import integer
from .kinds.length import length
from .kinds.number import number
from .kinds.painted import strokes
from .kinds.points import points
from .kinds.position import position
from .kinds.reference import plate_reference, reference, trial_reference
from .kinds.surface_share import surface_share
from .spec import Colour, CurvePoints, FieldKind, FieldSpec, Params, referring, specs
from .step_zero import StepZero
from .strokes import Stroke, Strokes
from .text import parse_assignment, parse_value, shown_value, split_words, typed_value

__all__ = [
    "BrushSettings",
    "Colour",
    "CurvePoints",
    "FieldKind",
    "FieldSpec",
    "Params",
    "StepZero",
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
    "plate_reference",
    "points",
    "position",
    "reference",
    "referring",
    "shown_value",
    "specs",
    "split_words",
    "strokes",
    "surface_share",
    "trial_reference",
    "typed_value",
]
