"""What steps with frames on the plate tell their handles: where their items lie, and what a moved frame changes."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType
from typing import Any, Protocol

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainterPath

from engraver.core.errors import EngraverError
from engraver.core.numeric import contours
from engraver.core.numeric.contours import Contours
from engraver.core.numeric.outlined import Bounds
from engraver.core.shapes import lettering, ways
from engraver.core.shapes.frames import Frame, frame_of, reframed, whole_box
from engraver.core.shapes.kinds import SHAPES
from engraver.core.shapes.layout import places, turned
from engraver.core.shapes.model import Shape
from engraver.core.shapes.ways import Part
from engraver.core.steps.kind import reseeded
from engraver.core.steps.lettering import Lettering, drawn_size, text_of
from engraver.core.steps.place import Place
from engraver.core.steps.scatter import Scatter, copies
from engraver.core.steps.shapes import ShapeList

from ..painting import polyline

Size = tuple[float, float]
# From a shape, and the plate's rows and columns.
WayChange = Callable[[Shape, int, int], Shape]
# More copies than this are not looked through at every move of the pointer.
_MOST = 2000


@dataclass(frozen=True, slots=True)
class Ground:
    """What items lie on: the full size in pixels of what enters the step, the step's seed, where it goes on."""

    size: Size
    seed: int = 0
    wrap: tuple[bool, bool] = (False, False)

    @property
    def rows(self) -> int:
        return int(self.size[1])

    @property
    def columns(self) -> int:
        return int(self.size[0])

    @property
    def short(self) -> float:
        return min(self.size)


class Framed(Protocol):
    """A step whose items lie in frames. ``quiet``: only those that are chosen are drawn; ``single``: there is one;
    ``sized``: they have a size and a turn of their own."""

    quiet: bool
    single: bool
    sized: bool

    def names(self, params: Any, on: Ground) -> tuple[str, ...]: ...

    def frame(self, params: Any, item: int, on: Ground) -> Frame: ...

    def path(self, params: Any, item: int, on: Ground) -> QPainterPath: ...

    def box(self, params: Any, item: int, on: Ground) -> Bounds: ...

    def changed(self, params: Any, frames: Mapping[int, Frame], on: Ground) -> dict[str, Any]: ...

    def without(self, params: Any, items: Iterable[int], on: Ground) -> dict[str, Any]: ...

    def way(self, params: Any, item: int, on: Ground) -> Mapping[tuple[Part, int], tuple[float, float]]:
        """The places of an item that is a drawn way, and their handles; none for others."""

    def with_way(self, params: Any, item: int, change: WayChange, on: Ground) -> dict[str, Any]: ...


def path_of(outlines: Contours) -> QPainterPath:
    """Outlines as a path to draw; holes stay holes."""
    path = QPainterPath()
    for points in outlines:
        path.addPolygon(polyline(points[:, 0], points[:, 1]))
        path.closeSubpath()
    return path


def frame_path(frame: Frame) -> QPainterPath:
    """A frame's four sides."""
    box = contours.box(2 * frame.half_width, 2 * frame.half_height)
    return path_of(turned((box,), (frame.x, frame.y, frame.turn)))


class FramedItems:
    """What most steps with frames have in common: no drawn ways, boxes that are their frames'."""

    quiet, single, sized = False, False, True

    def frame(self, params: Any, item: int, on: Ground) -> Frame:
        raise NotImplementedError

    def path(self, params: Any, item: int, on: Ground) -> QPainterPath:
        return frame_path(self.frame(params, item, on))

    def box(self, params: Any, item: int, on: Ground) -> Bounds:
        return self.frame(params, item, on).box()

    def way(self, params: Any, item: int, on: Ground) -> Mapping[tuple[Part, int], tuple[float, float]]:
        return {}

    def with_way(self, params: Any, item: int, change: WayChange, on: Ground) -> dict[str, Any]:
        return {}

    def without(self, params: Any, items: Iterable[int], on: Ground) -> dict[str, Any]:
        return {}


@lru_cache(maxsize=2048)
def _shape_path(shape: Shape, size: Size) -> QPainterPath:
    path = QPainterPath()
    outline = SHAPES[shape.kind].outline(shape, min(size))
    for place in places(shape, int(size[1]), int(size[0])):
        path.addPath(path_of(turned(outline, place)))
    return path


class FramedShapes(FramedItems):
    """The shapes of a step."""

    def names(self, params: ShapeList, on: Ground) -> tuple[str, ...]:
        return tuple(SHAPES[item.kind].name for item in params.items)

    def frame(self, params: ShapeList, item: int, on: Ground) -> Frame:
        return frame_of(params.items[item], on.rows, on.columns)

    def path(self, params: ShapeList, item: int, on: Ground) -> QPainterPath:
        return _shape_path(params.items[item], on.size)

    def box(self, params: ShapeList, item: int, on: Ground) -> Bounds:
        return whole_box(params.items[item], on.rows, on.columns)

    def changed(self, params: ShapeList, frames: Mapping[int, Frame], on: Ground) -> dict[str, Any]:
        return {"items": tuple(
            reframed(item, frames[n], on.rows, on.columns) if n in frames else item
            for n, item in enumerate(params.items)
        )}  # fmt: skip

    def without(self, params: ShapeList, items: Iterable[int], on: Ground) -> dict[str, Any]:
        gone = set(items)
        return {"items": tuple(item for n, item in enumerate(params.items) if n not in gone)}

    def way(self, params: ShapeList, item: int, on: Ground) -> Mapping[tuple[Part, int], tuple[float, float]]:
        return ways.spots(params.items[item], on.rows, on.columns)

    def with_way(self, params: ShapeList, item: int, change: WayChange, on: Ground) -> dict[str, Any]:
        made = change(params.items[item], on.rows, on.columns)
        return {"items": tuple(made if n == item else one for n, one in enumerate(params.items))}


class FramedLettering(FramedItems):
    """The words of a step, as one item."""

    single = True

    def names(self, params: Lettering, on: Ground) -> tuple[str, ...]:
        try:
            return ("Words",) if lettering.outlines(text_of(params)) else ()
        except EngraverError:  # the card tells
            return ()

    def frame(self, params: Lettering, item: int, on: Ground) -> Frame:
        box = path_of(lettering.outlines(text_of(params))).boundingRect()
        size = drawn_size(params, on.rows, on.columns, on.wrap) * on.short
        half = max(1.0, box.width() * size / 2), max(1.0, box.height() * size / 2)
        return Frame(params.x * on.size[0], params.y * on.size[1], *half, params.turn, even=True)

    def changed(self, params: Lettering, frames: Mapping[int, Frame], on: Ground) -> dict[str, Any]:
        frame, old = frames[0], self.frame(params, 0, on)
        changes = {"x": frame.x / on.size[0], "y": frame.y / on.size[1], "turn": frame.turn}
        if not math.isclose(frame.half_width, old.half_width):  # what is only moved keeps the size that was asked for
            size = drawn_size(params, on.rows, on.columns, on.wrap)
            changes["size"] = size * frame.half_width / old.half_width
        return changes


class FramedPlace(FramedItems):
    """The plate that a step places."""

    single = True

    def names(self, params: Place, on: Ground) -> tuple[str, ...]:
        return ("Plate",) if params.plate else ()

    def frame(self, params: Place, item: int, on: Ground) -> Frame:
        half = params.width * on.short / 2
        return Frame(params.x * on.size[0], params.y * on.size[1], half, half, params.turn, even=True)

    def changed(self, params: Place, frames: Mapping[int, Frame], on: Ground) -> dict[str, Any]:
        frame = frames[0]
        return {
            "x": frame.x / on.size[0], "y": frame.y / on.size[1], "turn": frame.turn,
            "width": 2 * frame.half_width / on.short,
        }  # fmt: skip


@lru_cache(maxsize=4)
def _laid(params: Scatter, on: Ground) -> tuple[Any, Any]:
    if params.layout == "strokes":
        return (), ()
    size = on.size[0] / on.short, on.size[1] / on.short
    found, _, numbers = copies(params, size, on.wrap, reseeded(on.seed, params.seed))
    return found[:_MOST] * on.short, numbers[:_MOST]


class FramedCopies(FramedItems):
    """The copies of a scatter: each can be grabbed and moved, or taken out."""

    quiet, sized = True, False

    def names(self, params: Scatter, on: Ground) -> tuple[str, ...]:
        return ("Copy",) * len(_laid(params, on)[0])

    def frame(self, params: Scatter, item: int, on: Ground) -> Frame:
        x, y = _laid(params, on)[0][item]
        half = max(params.size, params.size_to) * on.short / 2
        return Frame(float(x), float(y), half, half, even=True)

    def path(self, params: Scatter, item: int, on: Ground) -> QPainterPath:
        frame, path = self.frame(params, item, on), QPainterPath()
        path.addEllipse(QRectF(frame.x - frame.half_width, frame.y - frame.half_width,
                               2 * frame.half_width, 2 * frame.half_width))  # fmt: skip
        return path

    def _with(self, params: Scatter, made: Mapping[int, tuple[float, ...]]) -> dict[str, Any]:
        kept = {int(m[0]): tuple(m) for m in params.moved}
        return {"moved": tuple(one for _, one in sorted({**kept, **made}.items()))}

    def changed(self, params: Scatter, frames: Mapping[int, Frame], on: Ground) -> dict[str, Any]:
        numbers = _laid(params, on)[1]
        return self._with(params, {
            int(numbers[n]): (float(numbers[n]), round(f.x / on.size[0], 6), round(f.y / on.size[1], 6))
            for n, f in frames.items()
        })  # fmt: skip

    def without(self, params: Scatter, items: Iterable[int], on: Ground) -> dict[str, Any]:
        numbers = _laid(params, on)[1]
        return self._with(params, {int(numbers[n]): (float(numbers[n]),) for n in items})


FRAMED: Mapping[str, Framed] = MappingProxyType({
    "shapes": FramedShapes(), "lettering": FramedLettering(), "place": FramedPlace(), "scatter": FramedCopies(),
})  # fmt: skip
