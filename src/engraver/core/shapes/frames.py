"""The frame about a shape: what handles move, size and turn; and aligning and spreading several."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..numeric.outlined import Bounds
from .kinds import SHAPES
from .layout import places
from .model import Shape

Side = Literal["left", "middle", "right", "top", "centre", "bottom"]


@dataclass(frozen=True, slots=True)
class Frame:
    """A turned box in pixels of the plate.

    Attributes
    ----------
    x, y : float
        Its middle.
    half_width, half_height : float
        Before it is turned.
    turn : float
        Clockwise, in degrees.
    even : bool
        Both halves are one number.
    """

    x: float
    y: float
    half_width: float
    half_height: float
    turn: float = 0.0
    even: bool = False

    def reach(self) -> tuple[float, float]:
        """How far it goes to either side of its middle, across and down, as it is turned."""
        c, s = abs(math.cos(math.radians(self.turn))), abs(math.sin(math.radians(self.turn)))
        return self.half_width * c + self.half_height * s, self.half_width * s + self.half_height * c

    def box(self) -> Bounds:
        """Left, top, right and bottom of it as it is turned."""
        across, down = self.reach()
        return self.x - across, self.y - down, self.x + across, self.y + down


def frame_of(shape: Shape, rows: int, columns: int) -> Frame:
    """The frame of a shape, of its first copy's size, on a plate of so many pixels."""
    short = min(rows, columns)
    x, y = shape.x * columns, shape.y * rows
    if SHAPES[shape.kind].drawn:
        far = np.abs(np.array([p[:2] for p in shape.points] or [(0.01, 0.01)])).max(axis=0) * short
        return Frame(x, y, max(1.0, float(far[0])), max(1.0, float(far[1])), shape.turn)
    two = SHAPES[shape.kind].two_sizes
    half = shape.width * short / 2
    return Frame(x, y, half, shape.height * short / 2 if two else half, shape.turn, not two)


def reframed(shape: Shape, frame: Frame, rows: int, columns: int) -> Shape:
    """A shape brought into a frame. Raises pydantic's ValidationError where that is out of range."""
    short = min(rows, columns)
    old = frame_of(shape, rows, columns)
    changes: dict[str, object] = {"x": frame.x / columns, "y": frame.y / rows, "turn": frame.turn}
    if SHAPES[shape.kind].drawn:
        grow = frame.half_width / old.half_width, frame.half_height / old.half_height
        if grow != (1.0, 1.0):
            changes["points"] = tuple(_grown(p, *grow) for p in shape.points)
    else:
        changes["width"] = 2 * frame.half_width / short
        if not frame.even:
            changes["height"] = 2 * frame.half_height / short
    return shape.but(**changes)


def _grown(point: tuple[float, ...], across: float, down: float) -> tuple[float, ...]:
    """A place of a drawn way, and its handles, so many times as far from the middle."""
    x, y, *rest = point
    handles = [v * (across if n % 2 == 0 else down) for n, v in enumerate(rest[1:])]
    return (x * across, y * down, *rest[:1], *handles)


def whole_box(shape: Shape, rows: int, columns: int) -> Bounds:
    """Left, top, right and bottom of a shape and all its copies, in pixels of the plate."""
    frame = frame_of(shape, rows, columns)
    boxes = [replace(frame, x=x, y=y, turn=turn).box() for x, y, turn in places(shape, rows, columns)]
    low, high = np.min(boxes, axis=0), np.max(boxes, axis=0)
    return float(low[0]), float(low[1]), float(high[2]), float(high[3])


def _at(frame: Frame, axis: Literal["x", "y"], place: float) -> Frame:
    return replace(frame, x=place) if axis == "x" else replace(frame, y=place)


def aligned(frames: Mapping[int, Frame], side: Side) -> dict[int, Frame]:
    """Frames moved so that one side, or the middle, of all lies on a line: that of what holds them all."""
    boxes = {n: frame.box() for n, frame in frames.items()}
    low = [min(b[k] for b in boxes.values()) for k in (0, 1)]
    high = [max(b[k] for b in boxes.values()) for k in (2, 3)]
    axis = 0 if side in ("left", "middle", "right") else 1
    moved = {}
    for n, frame in frames.items():
        box = boxes[n]
        if side in ("left", "top"):
            by = low[axis] - box[axis]
        elif side in ("right", "bottom"):
            by = high[axis] - box[axis + 2]
        else:
            by = (low[axis] + high[axis]) / 2 - (box[axis] + box[axis + 2]) / 2
        moved[n] = replace(frame, x=frame.x + by) if axis == 0 else replace(frame, y=frame.y + by)
    return moved


def spread(frames: Mapping[int, Frame], axis: Literal["x", "y"]) -> dict[int, Frame]:
    """Frames with equal gaps between the first and the last, along an axis; at least three."""
    if len(frames) < 3:
        return dict(frames)
    k = 0 if axis == "x" else 1
    order: Sequence[int] = sorted(frames, key=lambda n: getattr(frames[n], axis))
    boxes = {n: frames[n].box() for n in order}
    first, last = boxes[order[0]][k], boxes[order[-1]][k + 2]
    gap = (last - first - sum(b[k + 2] - b[k] for b in boxes.values())) / (len(order) - 1)
    at, moved = first, {}
    for n in order:
        size = boxes[n][k + 2] - boxes[n][k]
        moved[n] = _at(frames[n], axis, at + size / 2)
        at += size + gap
    return moved
