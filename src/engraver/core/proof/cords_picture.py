"""Cords drawn into the picture of a surface."""

from __future__ import annotations

import numpy as np

from engraver.core.mesh.model import together

from ..cords.body import Cord
from ..numeric.split_rows import split_rows
from .blocks import NOWHERE, balls_round, boxes_of
from .buffers import Buffers
from .look import Look
from .projection import Projection

Box = tuple[float, float, float, float]


class CordsDrawn:
    """Holds the cords that were drawn last, to draw anew only where they are others; belongs to one thread."""

    def __init__(self) -> None:
        self._cords: tuple[Cord, ...] = ()
        self._points = self._normals = np.zeros((0, 3), np.float32)
        self._faces = np.zeros((0, 3), np.int32)
        self._balls = self._before = np.zeros((0, 4), np.float32)

    def become(self, cords: tuple[Cord, ...]) -> bool:
        """Take over the cords of the next picture; whether they are others than those of the last."""
        if len(cords) == len(self._cords) and all(a is b for a, b in zip(cords, self._cords, strict=True)):
            return False
        self._cords, self._before = cords, self._balls
        if not cords:
            self._faces, self._balls = self._faces[:0], self._balls[:0]
            return True
        # Triangles come piece after piece: those near each other in order are near each other in space.
        points, self._faces = together((c.points, c.faces) for c in cords)
        self._points, self._normals = points.astype(np.float32), np.concatenate([c.normals for c in cords])
        self._balls = balls_round(self._points, self._faces)
        return True

    def changed_box(self, seen: Projection) -> Box:
        """Where the cords are seen, and those before them were: left, top, right, bottom, in pixels."""
        boxes = boxes_of(np.concatenate([self._before, self._balls]), seen)
        if not len(boxes):
            return NOWHERE
        (left, top), (right, bottom) = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
        return float(left), float(top), float(right), float(bottom)

    def draw(self, seen: Projection, buffers: Buffers, look: Look, part: tuple[int, int, int, int]) -> None:
        """Draw them into a rectangle of pixels (left, right, top, bottom), where they are nearer than what is."""
        from . import trial_kernels as k

        if not len(self._faces):
            return
        screen, carried = np.empty_like(self._points), np.empty_like(self._points)
        split_rows(
            lambda a, b: k.project(self._points, self._normals, *seen.numbers(), a, b, screen, carried),
            len(self._points),
        )
        boxes = boxes_of(self._balls, seen)
        left, right, top, bottom = part
        into = *buffers.drawn, look.thick, look.large
        split_rows(
            lambda a, b: k.draw(screen, carried, self._faces, boxes, *into, left, right, top + a, top + b),
            bottom - top,
        )
