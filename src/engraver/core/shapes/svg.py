"""SVG files as outlines: what is filled and what has a stroke, in its place, with its transforms.

Read by the library svgelements; joined by GEOS. Scripts, pictures, text, clips and masks are left out, and nothing
outside the file is ever looked at.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..errors import BadPicture, BadValue, Watch, unwatched
from ..numeric import stroking
from ..numeric.contours import Points, bezier
from .outline_data import data_of

# Bytes of a file, and elements in it once every repeated one is counted.
MOST_BYTES, MOST_ELEMENTS = 20_000_000, 20_000
# The longer side at which curves are flattened where outlines must be joined.
_FINE = 4096.0
_HREF = ("href", "{http://www.w3.org/1999/xlink}href")
Part = list[Points]


@dataclass(frozen=True, slots=True)
class Drawn:
    """An outline as data in its box; the width, height and middle of that box in the file's own units."""

    data: str
    width: float
    height: float
    middle: tuple[float, float]
    even_odd: bool


def _refused(name: str, why: str, fix: str = "Save it again as a plain SVG") -> BadPicture:
    return BadPicture(f"{name} cannot be read", why, fix)


def _checked(data: bytes, name: str) -> None:
    """Raises BadPicture for what is no SVG, declares entities, or repeats itself without end."""
    from xml.etree.ElementTree import Element, ParseError

    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    if len(data) > MOST_BYTES:
        raise _refused(name, f"it is larger than {MOST_BYTES // 1_000_000} MB", "Simplify it")
    try:
        root: Element = fromstring(data)
    except DefusedXmlException:
        raise _refused(name, "it declares entities, which can hide anything") from None
    except (ParseError, ValueError, RecursionError) as error:
        raise _refused(name, f"it is broken ({error})") from None
    if root.tag.rpartition("}")[2] != "svg":
        raise _refused(name, "it is no SVG")
    known = {e.get("id"): e for e in root.iter() if e.get("id")}
    sizes: dict[int, int] = {}

    def size(element: Element, inside: tuple[int, ...]) -> int:
        if id(element) in inside or len(inside) > 200:
            raise _refused(name, "it is nested in itself or too deeply")
        if id(element) not in sizes:
            deeper = (*inside, id(element))
            total = 1 + sum(size(child, deeper) for child in element)
            if element.tag.rpartition("}")[2] == "use":
                target = next((element.get(h) for h in _HREF if element.get(h)), "") or ""
                if target.startswith("#") and target[1:] in known:
                    total += size(known[target[1:]], deeper)
            sizes[id(element)] = total
        if sizes[id(element)] > MOST_ELEMENTS:
            raise _refused(name, f"it draws more than {MOST_ELEMENTS} elements", "Simplify it")
        return sizes[id(element)]

    size(root, ())


def _parts(path: Any) -> list[tuple[Part, bool]]:
    """The outlines of a path: places and curves, and whether each is closed."""
    from svgelements import Arc, Close, CubicBezier, Line, Move, QuadraticBezier

    found: list[tuple[Part, bool]] = []

    def at(point: Any) -> tuple[float, float]:
        return float(point.x), float(point.y)

    for segment in path:
        if isinstance(segment, Move):
            if segment.end is not None:
                found.append(([np.array([at(segment.end)])], False))
        elif not found:
            continue
        elif isinstance(segment, Close):
            found[-1] = (found[-1][0], True)
            found.append(([found[-1][0][0].copy()], False))
        elif isinstance(segment, Line):
            found[-1][0].append(np.array([at(segment.end)]))
        elif isinstance(segment, QuadraticBezier):
            a, b, c = (np.array(at(p)) for p in (segment.start, segment.control, segment.end))
            found[-1][0].append(np.array([a + (b - a) * 2 / 3, c + (b - c) * 2 / 3, c]))
        elif isinstance(segment, CubicBezier):
            found[-1][0].append(np.array([at(p) for p in (segment.control1, segment.control2, segment.end)]))
        elif isinstance(segment, Arc):
            curves = segment.as_cubic_curves()
            found[-1][0].extend(np.array([at(c.control1), at(c.control2), at(c.end)]) for c in curves)
    return [(part, closed) for part, closed in found if len(part) > 1]


def _flat(part: Part, stray: float) -> Points:
    places = [part[0]]
    for one in part[1:]:
        places.append(one if len(one) == 1 else bezier(np.concatenate([places[-1][-1:], one]), stray))
    return np.concatenate(places)


@dataclass(frozen=True, slots=True)
class _Element:
    """One element: its outlines, and how it is drawn."""

    parts: list[tuple[Part, bool]]
    filled: bool
    even_odd: bool
    stroke: float
    ends: stroking.Ends
    joins: stroking.Joins
    mitre: float


_ENDS: dict[str, stroking.Ends] = {"round": "round", "square": "square", "butt": "flat"}
_JOINS: dict[str, stroking.Joins] = {"round": "round", "bevel": "bevel", "miter": "mitre"}


def _elements(data: bytes, name: str) -> Iterator[_Element]:
    from svgelements import SVG, Path, Shape

    try:
        whole = SVG.parse(io.BytesIO(data), reify=False)
        for element in whole.elements():
            if not isinstance(element, Shape):
                continue
            said = element.values
            hidden = said.get("display") == "none" or said.get("visibility") in ("hidden", "collapse")
            if hidden or str(said.get("opacity")) == "0":
                continue
            matrix = element.transform
            path = abs(Path(element))
            grow = abs(matrix.a * matrix.d - matrix.b * matrix.c) ** 0.5
            fill, stroke = (str(said.get(key) or "") for key in ("fill", "stroke"))
            wide = float(element.stroke_width or 0) * grow
            yield _Element(
                _parts(path), fill != "none" and str(said.get("fill-opacity")) != "0",
                said.get("fill-rule") == "evenodd",
                wide if stroke not in ("", "none") and str(said.get("stroke-opacity")) != "0" else 0.0,
                _ENDS.get(str(said.get("stroke-linecap")), "flat"),
                _JOINS.get(str(said.get("stroke-linejoin")), "mitre"),
                float(said.get("stroke-miterlimit") or 4),
            )  # fmt: skip
    except BadPicture:
        raise
    except Exception as error:  # the library raises what it happens to meet in a broken file
        raise _refused(name, f"it is broken ({error})") from None


def _joined(elements: list[_Element], check: Watch) -> list[Part]:
    """All that is drawn as outlines that neither cross nor overlap, holes running the other way round."""
    import shapely

    places = np.concatenate([one for e in elements for part, _ in e.parts for one in part])
    longest = max(float(np.ptp(places, axis=0).max()), 1e-9)
    scale, areas = _FINE / longest, []
    for element in elements:
        check()
        flat = [(_flat([one * scale for one in part], 0.02), closed) for part, closed in element.parts]
        if element.filled:
            areas.append(stroking.filled([way for way, _ in flat], element.even_odd))
        if element.stroke > 0:
            for way, closed in flat:
                line = np.concatenate([way, way[:1]]) if closed and np.any(way[0] != way[-1]) else way
                half = np.full(len(line), element.stroke * scale / 2)
                areas.append(stroking.stroked(line, half, element.ends, closed, element.joins, element.mitre))
    whole = shapely.simplify(shapely.union_all([area for area in areas if not area.is_empty]), 0.01)
    return [[point[None] / scale for point in ring] for ring in stroking.rings(whole)]


def _apart(elements: list[_Element]) -> bool:
    """Whether outlines can stay curves: filled by one rule, no strokes, and none touches another's box."""
    if any(e.stroke > 0 or not e.filled for e in elements) or len({e.even_odd for e in elements}) > 1:
        return False
    boxes = []
    for element in elements:
        places = np.concatenate([one for part, _ in element.parts for one in part])
        boxes.append((*places.min(axis=0), *places.max(axis=0)))
    return all(
        a[2] < b[0] or b[2] < a[0] or a[3] < b[1] or b[3] < a[1] for n, a in enumerate(boxes) for b in boxes[:n]
    )


def read_ways(data: bytes, name: str) -> list[tuple[Part, bool]]:
    """The outlines of an SVG file as ways, and whether each is closed: of all that is drawn, the longest first.

    Each is a list: its first place (1, 2), then lines (1, 2) and cubic curves (3, 2). Raises BadPicture.
    """
    _checked(data, name)
    ways = [way for e in _elements(data, name) for way in e.parts]
    if not ways:
        raise _refused(name, "nothing in it is drawn", "Choose another file")

    def long(way: tuple[Part, bool]) -> float:
        places = np.concatenate(way[0])
        return float(np.linalg.norm(np.diff(places, axis=0), axis=1).sum())

    return sorted(ways, key=long, reverse=True)


def read_svg(data: bytes, name: str, check: Watch = unwatched) -> Drawn:
    """What an SVG file draws, as one outline: all that is filled or has a stroke, whatever its colour.

    Parameters
    ----------
    data : bytes
        The file.
    name : str
        For the words of an error.

    Raises
    ------
    BadPicture
        It is no SVG, broken, too large, or draws nothing.
    """
    _checked(data, name)
    elements = [e for e in _elements(data, name) if e.parts and (e.filled or e.stroke > 0)]
    if not elements:
        raise _refused(name, "nothing in it is filled or has a stroke", "Choose another file")
    if len(elements) < 200 and _apart(elements):
        parts = [part for e in elements for part, _ in e.parts if len(part) > 2 or any(len(p) > 1 for p in part)]
        even_odd = elements[0].even_odd
    else:
        parts, even_odd = _joined(elements, check), False
    try:
        return Drawn(*data_of(parts), even_odd)
    except BadValue as error:
        raise _refused(name, error.why, error.fix) from None
