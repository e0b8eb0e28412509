"""Lines with a width, and what outlines that cross fill: joined by the library GEOS."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from .contours import Contours, Points, oval

Ends = Literal["round", "square", "flat"]
Joins = Literal["round", "mitre", "bevel"]
_STRAY = 1e-3


def _quarter(radius: float) -> int:
    """Parts of a quarter circle, so that its chords stray a thousandth of a pixel."""
    part = 2 * math.acos(max(0.0, 1 - min(1.0, _STRAY / max(radius, 1e-6))))
    return max(4, min(512, math.ceil(math.pi / 2 / max(part, 1e-4))))


def _pieces(way: Points, half: NDArray[np.float64]) -> list[Points]:
    """The hull of the two discs at the ends of every leg."""
    pieces = []
    for n in range(len(way) - 1):
        a, b, ra, rb = way[n], way[n + 1], float(half[n]), float(half[n + 1])
        leg = b - a
        far = float(np.hypot(*leg))
        if far <= abs(ra - rb) or far < 1e-9:
            at, r = (a, ra) if ra >= rb else (b, rb)
            pieces.append(oval(r, r) + at)
            continue
        along = math.atan2(leg[1], leg[0])
        touch = math.acos((ra - rb) / far)
        parts = _quarter(max(ra, rb))
        first = along + np.linspace(touch, 2 * math.pi - touch, 2 * parts + 1)
        last = along + np.linspace(-touch, touch, 2 * parts + 1)
        pieces.append(np.concatenate([
            np.column_stack([a[0] + ra * np.cos(first), a[1] + ra * np.sin(first)]),
            np.column_stack([b[0] + rb * np.cos(last), b[1] + rb * np.sin(last)]),
        ]))  # fmt: skip
    return pieces


def stroked(
    way: Points, half: NDArray[np.float64], ends: Ends, closed: bool, joins: Joins, mitre: float = 4.0
) -> Any:
    """A line with a width as a polygon of the library GEOS; for the parameters see :func:`stroke`."""
    import shapely

    if len(way) < 2 or float(half.max()) <= 0:
        return shapely.Polygon()
    if float(np.ptp(half)) > 1e-9:
        return shapely.union_all([shapely.Polygon(p) for p in _pieces(way, np.maximum(half, 1e-3))])
    line = shapely.LinearRing(way) if closed and len(way) > 3 else shapely.LineString(way)
    return shapely.buffer(
        line, float(half[0]), quad_segs=_quarter(float(half[0])), cap_style=ends, join_style=joins, mitre_limit=mitre
    )


def filled(contours: Sequence[Points], even_odd: bool) -> Any:
    """What outlines fill, as a polygon of GEOS: the faces between their lines that they wind round."""
    import shapely

    rings = [np.concatenate([c, c[:1]]) for c in contours if len(c) > 2]
    if not rings:
        return shapely.Polygon()
    lines = shapely.union_all([shapely.LineString(ring) for ring in rings])
    faces = shapely.get_parts(shapely.polygonize([lines]))
    edges = np.concatenate([np.hstack([r[:-1], r[1:]]) for r in rings])
    kept = []
    for face in faces:
        place = shapely.point_on_surface(face)
        x, y = float(place.x), float(place.y)
        x0, y0, x1, y1 = edges.T
        crosses = (y0 <= y) != (y1 <= y)
        with np.errstate(divide="ignore", invalid="ignore"):
            right = crosses & (x0 + (y - y0) / (y1 - y0) * (x1 - x0) > x)
        around = int(np.where(y1[right] > y0[right], 1, -1).sum())
        if around % 2 if even_odd else around:
            kept.append(face)
    return shapely.union_all(kept)


def rings(area: Any) -> Contours:
    """The outlines of a polygon of GEOS, or of several; holes run the other way round."""
    import shapely

    found: list[Points] = []
    for part in shapely.get_parts(area):
        if part.geom_type == "Polygon" and not part.is_empty:
            whole = shapely.orient_polygons(part)
            found += [np.asarray(ring.coords)[:-1] for ring in (whole.exterior, *whole.interiors)]
    return tuple(found)


def stroke(
    way: Points, half: NDArray[np.float64], ends: Ends = "round", *, closed: bool = False, joins: Joins = "round",
    mitre: float = 4.0,
) -> Contours:  # fmt: skip
    """The outline of a line with a width, its parts joined into one.

    Parameters
    ----------
    way : float64 (n, 2)
        Places in pixels; the first again at the end where it is closed.
    half : float64 (n,)
        Half the width at every place. Where it changes the ends are round.
    mitre : float
        How far a mitre may reach, in half widths.
    """
    return rings(stroked(way, half, ends, closed, joins, mitre))
