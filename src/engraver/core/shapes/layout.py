"""Where a shape and its copies lie on a raster."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..numeric.contours import Contours
from .canvas import Canvas
from .kinds import SHAPES
from .model import Shape

# Middle in pixels, and turn in degrees.
Place = tuple[float, float, float]


def places(shape: Shape, rows: int, columns: int) -> Iterator[Place]:
    """The middles and turns of a shape and its copies on a raster; the first is at the shape's own place where
    it is not repeated."""
    short = min(rows, columns)
    x, y, turn = shape.x * columns, shape.y * rows, shape.turn
    if shape.repeat == "grid":
        for i in range(shape.rows):
            shift = shape.offset * shape.across * short if i % 2 else 0.0
            for j in range(shape.columns):
                yield (
                    x + (j - (shape.columns - 1) / 2) * shape.across * short + shift,
                    y + (i - (shape.rows - 1) / 2) * shape.down * short, turn,
                )  # fmt: skip
    elif shape.repeat == "ring":
        far = shape.radius * short
        for k in range(shape.count):
            angle = 360 * k / shape.count
            a = math.radians(angle - 90)
            yield x + far * math.cos(a), y + far * math.sin(a), turn + (angle if shape.facing else 0.0)
    else:
        yield x, y, turn


def turned(outline: Contours, place: Place) -> Contours:
    """An outline about its middle, brought to a place."""
    a = math.radians(place[2])
    matrix: NDArray[np.float64] = np.array([(math.cos(a), math.sin(a)), (-math.sin(a), math.cos(a))])
    return tuple(points @ matrix + place[:2] for points in outline)


def lay_shapes(shapes: Iterable[Shape], canvas: Canvas, check: Watch = unwatched) -> None:
    """Lay shapes in order on a canvas, each with its copies."""
    for shape in shapes:
        outline = SHAPES[shape.kind].outline(shape, canvas.short)
        if not outline:
            continue
        for place in places(shape, canvas.rows, canvas.columns):
            check()
            canvas.lay(turned(outline, place), shape, shape.meets, shape.even_odd)
