"""The kinds of shapes, each declared once: its outline, and which of a shape's numbers it has.

To add one: a function that makes its outline and a line in the list.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING

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
    """

    id: str
    name: str
    outline: Callable[[Shape, float], Contours]
    uses: tuple[str, ...] = ()


def _half(s: Shape, short: float) -> tuple[float, float]:
    return s.width * short / 2, s.height * short / 2


def _ring(s: Shape, short: float) -> Contours:
    r = s.width * short / 2
    return contours.sector(r, r, s.inner, 0.0, 2 * math.pi)


def _box(s: Shape, width: float, height: float, short: float) -> Contours:
    others = (s.corner_2, s.corner_3, s.corner_4) if s.each else (s.corner,) * 3
    radii = [c * short for c in (s.corner, *others)]
    return (contours.rounded(contours.box(width, height), radii),)


def _cornered(points: contours.Points, s: Shape, short: float) -> Contours:
    return (contours.rounded(points, s.corner * short),)


def _capsule(s: Shape, short: float) -> Contours:
    return (contours.capsule(s.width * short, s.height * short / 2, s.height * short / 2 * s.inner),)


def _line(s: Shape, short: float) -> Contours:
    half = s.width * short / 2
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
    ShapeKind("disc", "Disc", lambda s, short: (contours.oval(*(s.width * short / 2,) * 2),)),
    ShapeKind("oval", "Oval", lambda s, short: (contours.oval(*_half(s, short)),), ("height",)),
    ShapeKind("ring", "Ring", _ring, ("inner",)),
    ShapeKind("square", "Square", lambda s, short: _box(s, s.width * short, s.width * short, short),
              ("corner", "each")),
    ShapeKind("rectangle", "Rectangle", lambda s, short: _box(s, s.width * short, s.height * short, short),
              ("height", "corner", "each")),
    ShapeKind("polygon", "Polygon", lambda s, short: _cornered(
        contours.regular(s.sides, *(s.width * short / 2,) * 2), s, short), ("sides", "corner")),
    ShapeKind("star", "Star", lambda s, short: _cornered(
        contours.star(s.sides, *(s.width * short / 2,) * 2, s.inner), s, short), ("sides", "inner", "corner")),
    ShapeKind("cross", "Cross", lambda s, short: _cornered(
        contours.cross(s.width * short, s.width * short, s.width * short * s.inner), s, short), ("inner", "corner")),
    ShapeKind("slot", "Slot", lambda s, short: (
        contours.capsule(s.width * short, s.height * short / 2, s.height * short / 2),), ("height",)),
    ShapeKind("arc", "Arc", lambda s, short: contours.band(
        s.width * short / 2, s.inner, math.radians(s.start), math.radians(s.sweep)), ("inner", "start", "sweep")),
    ShapeKind("sector", "Sector", lambda s, short: contours.sector(
        s.width * short / 2, s.width * short / 2, s.inner, math.radians(s.start), math.radians(s.sweep)),
        ("inner", "start", "sweep")),
    ShapeKind("capsule", "Capsule", _capsule, ("height", "inner")),
    ShapeKind("line", "Line", _line, ("height", "ends")),
    ShapeKind("path", "Drawn way", _path,
              ("points", "thick", "smooth", "closed", "filled", "ends", "joins", "taper_start", "taper_end")),
    ShapeKind("outline", "Outline", _svg, ("height", "outline")),
)  # fmt: skip

SHAPES: Mapping[str, ShapeKind] = MappingProxyType({kind.id: kind for kind in _ALL})


def using(field: str) -> tuple[str, ...]:
    """The kinds that have one of the numbers."""
    return tuple(kind.id for kind in _ALL if field in kind.uses)
