"""The list of all step kinds, in the order in which they are offered."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from ..errors import BadValue
from .clean import DEBAND, DENOISE, DUST, LINES
from .contrast import CURVE, INVERT, LEVELS
from .edge import CLEAR_BORDER, ZERO
from .falloff import FALLOFF
from .form import REMOVE_FORM
from .frame import CROP, TURN
from .gradient import GRADIENT
from .grey import GREY
from .grow import GROW
from .hand import HAND
from .heal import HEAL
from .isolate import ISOLATE
from .kind import Group, StepKind
from .lay_out import CENTRE, SQUARE, STRAIGHTEN
from .lettering import LETTERING
from .light import EVEN_LIGHT
from .local import COARSE_FINE, LOCAL_CONTRAST, SHARPEN
from .noise import NOISE
from .pattern import PATTERN
from .place import PLACE
from .relief import SOFTEN
from .scatter import SCATTER
from .shape import BEVEL, INFLATE, SMOOTH_RELIEF, THICKEN
from .shapes import SHAPES
from .size import SIZE
from .slopes import MASK_FROM, SLOPES
from .tile import SEAMLESS, WRAP_SHIFT
from .tone import EXPOSURE, MATCH, TERRACE, THRESHOLD

GROUPS: tuple[Group, ...] = (
    "source", "frame", "grey", "light", "clean", "isolate", "contrast", "build", "relief", "edge", "tile", "size",
)  # fmt: skip

_ALL = (
    CROP, TURN, STRAIGHTEN, SQUARE, CENTRE,
    SLOPES, GREY,
    EVEN_LIGHT,
    DEBAND, DUST, LINES, DENOISE, HEAL,
    ISOLATE,
    LEVELS, CURVE, EXPOSURE, THRESHOLD, INVERT, LOCAL_CONTRAST, SHARPEN, COARSE_FINE, TERRACE, MATCH,
    SHAPES, LETTERING, PATTERN, GRADIENT, NOISE, SCATTER, PLACE,
    REMOVE_FORM, THICKEN, BEVEL, INFLATE, SMOOTH_RELIEF, SOFTEN, HAND, MASK_FROM,
    FALLOFF, CLEAR_BORDER, ZERO,
    WRAP_SHIFT, SEAMLESS, GROW,
    SIZE,
)  # fmt: skip

KINDS: Mapping[str, StepKind] = MappingProxyType({kind.id: kind for kind in _ALL})


def kind_of(id: str) -> StepKind:
    """The step kind with this id. Raises BadValue for an unknown one."""
    if id not in KINDS:
        raise BadValue(f"There is no step called {id!r}", "", f"Steps are: {', '.join(KINDS)}")
    return KINDS[id]
