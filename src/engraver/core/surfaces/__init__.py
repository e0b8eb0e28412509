"""Surfaces that a plate is tried on, one declaration each, in the order in which they are offered."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from ..errors import BadValue
from .ball import BALL
from .box import BOX
from .flat import FLAT
from .kind import Geometry, Paper, Sheet, Single, SurfaceKind
from .own import OWN
from .paper import PAPER
from .pipe import PIPE
from .terrain import TERRAIN

_ALL = (FLAT, BALL, PIPE, BOX, TERRAIN, OWN, PAPER)
SURFACES: Mapping[str, SurfaceKind] = MappingProxyType({kind.id: kind for kind in _ALL})
# Those that the bench offers beside the plate.
ON_BENCH: Mapping[str, SurfaceKind] = MappingProxyType({kind.id: kind for kind in _ALL if kind.command})


def surface(id: str) -> SurfaceKind:
    """The surface with this id. Raises BadValue for an unknown one."""
    if id not in SURFACES:
        raise BadValue(f"There is no surface called {id!r}", "", f"There are: {', '.join(SURFACES)}")
    return SURFACES[id]


def fitting(kind: str, now: str) -> str:
    """Where a kind of destination is judged: the present surface where it suits, else the first that does."""
    if kind in surface(now).suits:
        return now
    return next(s.id for s in ON_BENCH.values() if kind in s.suits)


__all__ = ["ON_BENCH", "SURFACES", "Geometry", "Paper", "Sheet", "Single", "SurfaceKind", "fitting", "surface"]
