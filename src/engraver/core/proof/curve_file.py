"""Curves from files: JSON of our own, or the longest outline of an SVG."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..curves.model import MOST_POINTS, Curve
from ..errors import BadValue
from ..shapes.svg import read_ways

_FORM = '{"points": [[x, y, z], ...], "closed": true, "sharp": [0, 3]}'
_KEYS = ("points", "closed", "sharp")
# What an outline takes of a surface along its longer side.
_ROOM = 0.8
_FAR = 1e6


@dataclass(frozen=True, eq=False)
class FileCurve:
    """A curve as a file has it: points float64 (n, 3), and what they are; ``shares`` where its points have two
    numbers and may be shares of a surface, x right and y down."""

    points: NDArray[np.float64]
    curve: Curve
    shares: bool = False
    others: int = 0


def read_curve(data: bytes, name: str) -> FileCurve:
    """A curve from the bytes of a file. Raises BadValue or BadPicture with words that name the file."""
    if name.lower().endswith(".svg"):
        return _of_svg(data, name)
    try:
        values = json.loads(data)
    except (ValueError, RecursionError):
        raise BadValue(f"{name} cannot be read", "it is no JSON", f"It is {_FORM}") from None
    listed = values.get("points") if isinstance(values, dict) else None
    if not isinstance(values, dict) or not isinstance(listed, list) or not listed:
        raise BadValue(f"{name} holds no curve", "", f"It is {_FORM}")
    odd = [key for key in values if key not in _KEYS]
    if odd:
        raise BadValue(f"{name} has no {odd[0]!r}", "", f"It has: {', '.join(_KEYS)}")
    if len(listed) > MOST_POINTS:
        raise BadValue(f"{name} has {len(listed):,} points", f"a curve has {MOST_POINTS:,} at most", "Use fewer")
    return FileCurve(*_checked(listed, values, name))


def _checked(listed: list[Any], values: dict[str, Any], name: str) -> tuple[NDArray[np.float64], Curve, bool]:
    try:
        wide = {len(p) for p in listed}
        rows = np.array([[float(v) for v in p] for p in listed], np.float64)
    except (TypeError, ValueError):
        raise BadValue(f"{name} has points that cannot be read", "", f"It is {_FORM}") from None
    if wide not in ({2}, {3}):
        raise BadValue(
            f"{name} has points of {', '.join(map(str, sorted(wide)))} numbers", "all have two, or three", ""
        )
    if not np.isfinite(rows).all() or np.abs(rows).max() > _FAR:
        raise BadValue(f"{name} has a point that lies nowhere", "", "Places are numbers up to a million")
    closed, sharp = values.get("closed", False), values.get("sharp", [])
    good = isinstance(sharp, list) and all(type(n) is int and 0 <= n < len(rows) for n in sharp)
    if not isinstance(closed, bool) or not good:
        raise BadValue(f"{name} cannot be read", "closed is true or false, sharp numbers of points", f"It is {_FORM}")
    points = np.column_stack([rows, np.zeros(len(rows))]) if wide == {2} else rows
    return points, Curve(closed=closed, sharp=tuple(sorted(set(sharp)))), wide == {2}


def _of_svg(data: bytes, name: str) -> FileCurve:
    """The longest outline, its curves as they are: y goes up, as in space."""
    ways = read_ways(data, name)
    part, closed = ways[0]
    corners, before, after = [part[0][-1]], [np.zeros(2)], []
    for one in part[1:]:
        begin, end = corners[-1], one[-1]
        curved = len(one) == 3
        after.append(one[0] - begin if curved else (end - begin) / 3)
        before.append(one[1] - end if curved else (begin - end) / 3)
        corners.append(end)
    points = np.array(corners)
    if (
        closed
        and len(points) > 2
        and np.allclose(points[0], points[-1], atol=1e-9 * max(1.0, float(np.abs(points).max())))
    ):
        before[0] = before.pop()
        points = points[:-1]
    elif closed:
        after.append((points[0] - points[-1]) / 3)
        before[0] = (points[-1] - points[0]) / 3
    if not closed:
        after.append(-before[-1])
        before[0] = -after[0]
    if len(points) > MOST_POINTS:
        raise BadValue(
            f"{name} has an outline of {len(points):,} points", f"{MOST_POINTS:,} are the most", "Simplify it"
        )
    if len(points) < 2:
        raise BadValue(f"{name} holds no curve", "its longest outline is one point", "Choose another file")
    up = np.array([1.0, -1.0])
    handles = {
        n: np.column_stack([np.stack([before[n], after[n]]) * up, np.zeros(2)]) for n in range(len(points))
    }  # fmt: skip
    curve = Curve(closed=closed).with_handles(handles)
    return FileCurve(np.column_stack([points * up, np.zeros(len(points))]), curve, others=len(ways) - 1)


def fitted(found: FileCurve) -> FileCurve:
    """An outline moved and sized so that it takes most of a surface: points as shares of it, x right and y down."""
    flat = found.points[:, :2]
    low, high = flat.min(axis=0), flat.max(axis=0)
    by = _ROOM / max(float((high - low).max()), 1e-12)
    to = np.array([by, -by])
    points = (flat - (low + high) / 2) * to + 0.5
    three = np.array([*to, 1.0])
    curve = found.curve.with_handles({n: h * three for n, h in found.curve.all_handles().items()})
    return FileCurve(np.column_stack([points, np.zeros(len(points))]), curve, True, found.others)


def on_surface(found: FileCurve, chart: Any) -> tuple[NDArray[np.float64], Curve]:
    """A curve of shares as scene places (n, 3) by a surface's chart, its handles with it."""
    places = np.asarray(chart(found.points[:, 0], found.points[:, 1]), np.float64)
    handles = {}
    for n, pair in found.curve.all_handles().items():
        ends = found.points[n, :2] + pair[:, :2]
        handles[n] = np.asarray(chart(ends[:, 0], ends[:, 1]), np.float64) - places[n]
    return places, found.curve.with_handles(handles)
