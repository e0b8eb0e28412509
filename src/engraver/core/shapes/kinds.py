"""The kinds of shapes, each declared once: its outline, and which of a shape's numbers it has.

To add one: a function that makes its outline and a line in the list.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

import numpy as np

from ..numeric import contours, stroking
from ..numeric.contours import Contours
from . import outline_data

if TYPE_CHECKING:
    from .model import Shape


@dataclass(frozen=True, slots=True)
class ShapeKind:
    """One kind of shape.

    Attributes
    ----------
    id, name : str
    outline : (shape, short) -> closed polygons about its middle, not turned, in pixels; ``short`` is the
        plate's shorter side
    uses : tuple of str
        The numbers it has besides place, width, turn and how it stands.
    begins : mapping
        What one that is added begins with, besides its kind; its width, where nothing is said, is 0.4.
    told : str
        The number by which one is told from another in a list.
    """

    id: str
    name: str
    outline: Callable[[Shape, float], Contours]
    uses: tuple[str, ...] = ()
    begins: Mapping[str, Any] = field(default_factory=lambda: MappingProxyType({}))
    told: str = "width"

    @property
    def drawn(self) -> bool:
        """Whether it goes through places, which are moved one by one; its frame is what holds them."""
        return "points" in self.uses

    @property
    def two_sizes(self) -> bool:
        """Whether its breadth is a number of its own."""
        return "height" in self.uses


_WAY = ((-0.22, 0.06), (-0.08, -0.08), (0.08, 0.08), (0.22, -0.06))
_SHIELD = "M-.5-.5L.5-.5L.5 .05C.5 .3 .25 .42 0 .5C-.25 .42-.5 .3-.5 .05Z"


def _half(s: Shape, short: float) -> float:
    """Half its width in pixels."""
    return s.width * short / 2


def _box(s: Shape, width: float, height: float, short: float) -> Contours:
    others = (s.corner_2, s.corner_3, s.corner_4) if s.each else (s.corner,) * 3
    radii = [c * short for c in (s.corner, *others)]
    return (contours.rounded(contours.box(width, height), radii),)


def _square(s: Shape, short: float) -> Contours:
    return _box(s, s.width * short, s.width * short, short)


def _rectangle(s: Shape, short: float) -> Contours:
    return _box(s, s.width * short, s.height * short, short)


def _disc(s: Shape, short: float) -> Contours:
    return (contours.oval(_half(s, short), _half(s, short)),)


def _oval(s: Shape, short: float) -> Contours:
    return (contours.oval(_half(s, short), s.height * short / 2),)


def _ring(s: Shape, short: float) -> Contours:
    return contours.sector(_half(s, short), _half(s, short), s.inner, 0.0, 2 * math.pi)


def _sector(s: Shape, short: float) -> Contours:
    start, sweep = math.radians(s.start), math.radians(s.sweep)
    return contours.sector(_half(s, short), _half(s, short), s.inner, start, sweep)


def _arc(s: Shape, short: float) -> Contours:
    return contours.band(_half(s, short), s.inner, math.radians(s.start), math.radians(s.sweep))


def _polygon(s: Shape, short: float) -> Contours:
    points = contours.regular(s.sides, _half(s, short), _half(s, short))
    return (contours.rounded(points, s.corner * short),)


def _star(s: Shape, short: float) -> Contours:
    points = contours.star(s.sides, _half(s, short), _half(s, short), s.inner)
    return (contours.rounded(points, s.corner * short),)


def _cross(s: Shape, short: float) -> Contours:
    wide = s.width * short
    return (contours.rounded(contours.cross(wide, wide, wide * s.inner), s.corner * short),)


def _slot(s: Shape, short: float) -> Contours:
    return (contours.capsule(s.width * short, s.height * short / 2, s.height * short / 2),)


def _capsule(s: Shape, short: float) -> Contours:
    return (contours.capsule(s.width * short, s.height * short / 2, s.height * short / 2 * s.inner),)


def _line(s: Shape, short: float) -> Contours:
    half = _half(s, short)
    return stroking.stroke(np.array([(-half, 0.0), (half, 0.0)]), np.full(2, s.height * short / 2), s.ends)


def _path(s: Shape, short: float) -> Contours:
    """Through its points: along them as a line of some width, or filled."""
    if len(s.points) < 2:
        return ()
    places = np.array([p[:2] for p in s.points]) * short
    handled = any(len(p) > 3 for p in s.points)
    if handled:
        way, where = contours.handled(places, np.array([_handles(p) for p in s.points]) * short, s.closed)
    elif s.smooth:
        way, where = contours.through(places, s.closed)
    else:
        way = np.concatenate([places, places[:1]]) if s.closed else places
        where = np.arange(len(way), dtype=np.float64)
    if s.filled:
        return (way,) if len(way) > 2 else ()
    press = np.array([p[2] if len(p) > 2 else 1.0 for p in s.points])
    press = np.append(press, press[0])
    half = np.interp(where, np.arange(len(press)), press) * (s.thick * short / 2)
    if not s.closed:
        half *= _tapered(way, s.taper_start, s.taper_end)
    return stroking.stroke(way, half, s.ends, closed=s.closed, joins="round" if s.smooth or handled else s.joins)


def _handles(point: tuple[float, ...]) -> tuple[float, ...]:
    """In and out, from the point; a point without handles is a corner."""
    return tuple(point[3:7]) if len(point) >= 7 else (0.0, 0.0, 0.0, 0.0)


def _tapered(way: contours.Points, start: float, end: float) -> contours.Points:
    """How wide a line is along its way, 0..1: it grows from a point over a share of its length."""
    legs = np.hypot(*np.diff(way, axis=0).T)
    along = np.concatenate([[0.0], np.cumsum(legs)]) / max(float(legs.sum()), 1e-9)
    share = np.ones(len(way))
    for part, t in ((start, along), (end, 1 - along)):
        if part > 0:
            share *= np.clip(t / part, 0.02, 1)
    return share


def _svg(s: Shape, short: float) -> Contours:
    return outline_data.contours_of(s.outline, s.width * short, s.height * short)


_ALL = (
    ShapeKind("disc", "Disc", _disc),
    ShapeKind("oval", "Oval", _oval, ("height",)),
    ShapeKind("ring", "Ring", _ring, ("inner",), {"inner": 0.7}),
    ShapeKind("square", "Square", _square, ("corner", "each")),
    ShapeKind("rectangle", "Rectangle", _rectangle, ("height", "corner", "each")),
    ShapeKind("polygon", "Polygon", _polygon, ("sides", "corner")),
    ShapeKind("star", "Star", _star, ("sides", "inner", "corner"), {"sides": 5}),
    ShapeKind("cross", "Cross", _cross, ("inner", "corner"), {"inner": 0.3}),
    ShapeKind("slot", "Slot", _slot, ("height",), {"height": 0.12}),
    ShapeKind("arc", "Arc", _arc, ("inner", "start", "sweep"), {"inner": 0.7, "sweep": 240.0}),
    ShapeKind("sector", "Sector", _sector, ("inner", "start", "sweep")),
    ShapeKind("capsule", "Capsule", _capsule, ("height", "inner"), {"height": 0.12}),
    ShapeKind("line", "Line", _line, ("height", "ends"), {"height": 0.06}),
    ShapeKind(
        "path", "Drawn way", _path,
        ("points", "thick", "smooth", "closed", "filled", "ends", "joins", "taper_start", "taper_end"),
        {"points": _WAY}, "thick",
    ),
    ShapeKind(
        "outline", "Outline", _svg, ("height", "outline"), {"outline": _SHIELD, "width": 0.3, "height": 0.36}
    ),
)  # fmt: skip

SHAPES: Mapping[str, ShapeKind] = MappingProxyType({kind.id: kind for kind in _ALL})


def using(field: str) -> tuple[str, ...]:
    """The kinds that have one of the numbers."""
    return tuple(kind.id for kind in _ALL if field in kind.uses)
