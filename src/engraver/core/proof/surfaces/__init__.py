"""Surfaces that a plate is tried on, one declaration each, in the order in which they are offered."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from ...errors import BadValue
from .ball import BALL
from .flat import FLAT
from .kind import Body, Grid, Paper, Sheet, SurfaceKind
from .paper import PAPER

_ALL = (FLAT, BALL, PAPER)
SURFACES: Mapping[str, SurfaceKind] = MappingProxyType({kind.id: kind for kind in _ALL})


def surface(id: str) -> SurfaceKind:
    """The surface with this id. Raises BadValue for an unknown one."""
    if id not in SURFACES:
        raise BadValue(f"There is no surface called {id!r}", "", f"There are: {', '.join(SURFACES)}")
    return SURFACES[id]


def fitting(kind: str, now: str) -> str:
    """Where a kind of destination is judged: the present surface where it suits, else the first that does."""
    if kind in surface(now).suits:
        return now
    return next(s.id for s in _ALL if kind in s.suits)


__all__ = ["SURFACES", "Body", "Grid", "Paper", "Sheet", "SurfaceKind", "fitting", "surface"]
