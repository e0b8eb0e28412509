"""What steps with frames on the plate tell their handles: where their items lie, and what a moved frame changes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType
from typing import Any, Protocol

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainterPath, QPolygonF

from engraver.core.numeric.contours import Contours
from engraver.core.shapes import ways
from engraver.core.shapes.frames import Frame, frame_of, reframed, whole_box
from engraver.core.shapes.kinds import SHAPES
from engraver.core.shapes.layout import places, turned
from engraver.core.shapes.model import Shape
from engraver.core.shapes.ways import Part
from engraver.core.steps.shapes import ShapeList

Size = tuple[float, float]
Box = tuple[float, float, float, float]
# From a shape, and the plate's rows and columns.
WayChange = Callable[[Shape, int, int], Shape]


class Framed(Protocol):
    """A step whose items lie in frames; sizes in full-size pixels of what enters it."""

    def names(self, params: Any) -> tuple[str, ...]: ...

    def frame(self, params: Any, item: int, size: Size) -> Frame: ...

    def path(self, params: Any, item: int, size: Size) -> QPainterPath: ...

    def box(self, params: Any, item: int, size: Size) -> Box: ...

    def changed(self, params: Any, frames: Mapping[int, Frame], size: Size) -> dict[str, Any]: ...

    def without(self, params: Any, items: Iterable[int]) -> dict[str, Any]: ...

    def way(self, params: Any, item: int, size: Size) -> Mapping[tuple[Part, int], tuple[float, float]]:
        """The places of an item that is a drawn way, and their handles; none for others."""

    def with_way(self, params: Any, item: int, change: WayChange, size: Size) -> dict[str, Any]: ...


def path_of(contours: Contours) -> QPainterPath:
    """Outlines as a path to draw; holes stay holes."""
    path = QPainterPath()
    for points in contours:
        path.addPolygon(QPolygonF([QPointF(x, y) for x, y in points]))
        path.closeSubpath()
    return path


@lru_cache(maxsize=2048)
def _shape_path(shape: Shape, size: Size) -> QPainterPath:
    path = QPainterPath()
    outline = SHAPES[shape.kind].outline(shape, min(size))
    for place in places(shape, int(size[1]), int(size[0])):
        path.addPath(path_of(turned(outline, place)))
    return path


@dataclass(frozen=True, slots=True)
class FramedShapes:
    """The shapes of a step."""

    def names(self, params: ShapeList) -> tuple[str, ...]:
        return tuple(SHAPES[item.kind].name for item in params.items)

    def frame(self, params: ShapeList, item: int, size: Size) -> Frame:
        return frame_of(params.items[item], int(size[1]), int(size[0]))

    def path(self, params: ShapeList, item: int, size: Size) -> QPainterPath:
        return _shape_path(params.items[item], size)

    def box(self, params: ShapeList, item: int, size: Size) -> Box:
        return whole_box(params.items[item], int(size[1]), int(size[0]))

    def changed(self, params: ShapeList, frames: Mapping[int, Frame], size: Size) -> dict[str, Any]:
        rows, columns = int(size[1]), int(size[0])
        return {"items": tuple(
            reframed(item, frames[n], rows, columns) if n in frames else item for n, item in enumerate(params.items)
        )}  # fmt: skip

    def without(self, params: ShapeList, items: Iterable[int]) -> dict[str, Any]:
        gone = set(items)
        return {"items": tuple(item for n, item in enumerate(params.items) if n not in gone)}

    def way(self, params: ShapeList, item: int, size: Size) -> Mapping[tuple[Part, int], tuple[float, float]]:
        return ways.spots(params.items[item], int(size[1]), int(size[0]))

    def with_way(self, params: ShapeList, item: int, change: WayChange, size: Size) -> dict[str, Any]:
        made = change(params.items[item], int(size[1]), int(size[0]))
        return {"items": tuple(made if n == item else one for n, one in enumerate(params.items))}


FRAMED: Mapping[str, Framed] = MappingProxyType({"shapes": FramedShapes()})
