"""The picture of a surface with marks in it, drawn anew only where marks fell."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ..cords.body import Cord
from ..errors import Watch, unwatched
from ..numeric.split_rows import split_rows
from ..pressing.relief import Relief
from ..raster import Pixels
from ..surfaces.ground import Faces
from ..surfaces.kind import Geometry
from .blocks import NOWHERE, Blocks, balls_round, boxes_of
from .buffers import Buffers
from .cords_picture import CordsDrawn
from .few import Few
from .look import Look, Seen
from .projection import Projection, projection
from .shading import HALO, Part, Shading
from .untouched import Untouched


class TrialPicture:
    """Draws one relief; belongs to the relief's thread. Holds what it drew, to draw only what changes."""

    def __init__(self, relief: Relief, geometry: Geometry) -> None:
        self.relief, self.geometry = relief, geometry
        ground = relief.ground
        self._points: Pixels = ground.points
        self._normals: Pixels = ground.normals
        self._screen = np.empty((ground.count, 3), np.float32)
        self._carried = np.empty((ground.count, 3), np.float32)
        self._blocks: Blocks | None = None
        self._few: Few | None = None
        self._untouched = None if ground.tiles is None or relief.page else Untouched(ground, ground.tiles)
        self._mark = np.zeros(ground.count, np.uint8)
        self._wide = np.empty(0, np.int32)
        self._look: Look | None = None
        self._buffers, self._shading = Buffers.of((0, 0), 1), Shading(geometry)
        self._fresh = False
        self._backs: dict[int, Faces] = {}  # of an open mesh, by how many triangles they are
        self._cords = CordsDrawn()

    # -- points --------------------------------------------------------------------

    def _follow(self) -> tuple[NDArray[np.int32], int] | None:
        """Take over what the relief changed: the points whose triangles changed, and how many; None for all."""
        from ..pressing import moving_kernels

        which, relief = self.relief.changed(), self.relief
        ground = relief.ground
        if self.relief.page:
            self._normals = np.zeros((relief.ground.count, 3), np.float32)
            self._normals[:, 2] = relief.height
            if which is not None and not len(which):
                return which, 0
            self._all_moved()
            return None
        if self._untouched is not None and (which is None or len(which)):
            self._untouched.changed()
        if which is None or not self._fresh or len(which) * 3 > ground.count:
            self._points = points = relief.points()
            by = self._untouched
            self._normals = ground.normals_of(points) if by is None else by.normals(relief, points)
            self._fresh = True
            self._all_moved()
            return None
        if not len(which):
            return which, 0
        moves = relief.moves if relief.moves is not None else np.zeros((0, 3), np.float32)
        moving_kernels.displace_some(ground.points, ground.normals, relief.height, moves, which, self._points)
        starts, around = ground.around
        if len(self._wide) < ground.count:
            self._wide = np.empty(ground.count, np.int32)
        count = moving_kernels.widen(which, ground.faces, starts, around, self._mark, self._wide)
        ground.renew_normals(self._points, self._wide[:count], self._normals)
        self._some_moved(self._wide, count)
        return self._wide, count

    # -- drawing -------------------------------------------------------------------

    def draw(self, look: Look, check: Watch = unwatched, cords: tuple[Cord, ...] = ()) -> Seen:
        """The picture as it is now, with cords on it. Raises Cancelled when nobody waits any more."""
        changed = self._follow()
        others = self._cords.become(() if self.geometry.page else cords)
        before, self._look = self._look, None
        factor = 1 if look.quick else 2
        size = look.size[0] * factor, look.size[1] * factor
        seen = projection(self.geometry, look.eye, size, look.fit * factor)
        same = before is not None and before.places == look.places
        if (self._buffers.size, self._buffers.factor) != (size, factor):
            same, self._buffers = False, Buffers.of(look.size, factor)
        whole = (0, size[0], 0, size[1])
        moved = changed is None or (look.moving and (changed[1] > 0 or others))
        if same and changed is not None and not moved:
            lit_alike = before is not None and (before.lamp, before.surround, before.paper) == (
                look.lamp, look.surround, look.paper
            )  # fmt: skip
            part = self._redraw(look, seen, changed, others)
            if not lit_alike:
                self._shading.shade(self._buffers, look, seen, whole)
            elif part is not None:
                self._shading.shade(self._buffers, look, seen, part)
        else:
            self._draw_all(look, seen, check)
            self._shading.shade(self._buffers, look, seen, whole)
        self._look = look
        nearness = self._buffers.nearness[::factor, ::factor].copy()
        return Seen(self._buffers.picture.copy(), nearness, factor, seen)

    def cover(self) -> Pixels:
        """How much of each pixel drawn last is surface, as :meth:`.Buffers.cover`."""
        return self._buffers.cover()

    def _draw_all(self, look: Look, seen: Projection, check: Watch) -> None:
        from . import trial_kernels as k

        numbers = seen.numbers()
        points, normals, screen, carried, faces = (
            self._points, self._normals, self._screen, self._carried, self.relief.ground.faces
        )  # fmt: skip
        if look.moving:
            few = self._few = self._few or Few(self.relief.ground)
            few.follow(points, normals)
            points, normals, screen, carried, faces = few.points, few.normals, few.screen, few.carried, few.faces
            blocks = few.blocks
        else:
            blocks = self._blocks_at_rest()
        split_rows(lambda a, b: k.project(points, normals, *numbers, a, b, screen, carried), len(points))
        check()
        boxes = blocks.boxes(points, seen, self._farthest)
        drawn = self._sides(faces, carried, boxes)
        if self._untouched is not None and not look.moving and not look.lines:
            left_out, large = self._untouched.left_out(self.relief, seen)
            boxes[left_out] = NOWHERE
            drawn.append((large, carried, boxes_of(balls_round(points, large), seen)))
        self._buffers.nearness.fill(-1e9)
        into, (columns, rows) = (*self._buffers.drawn, look.thick, look.large), self._buffers.size

        def draw(top: int, bottom: int) -> None:
            for listed, normal, within in drawn:
                k.draw(screen, normal, listed, within, *into, 0, columns, top, bottom)

        split_rows(draw, rows)
        check()
        self._cords.draw(seen, self._buffers, look, (0, columns, 0, rows))

    def _sides(self, faces: Faces, carried: Pixels, boxes: Pixels) -> list[tuple[Faces, Pixels, Pixels]]:
        """Triangles as they are drawn, with their points' normals and their boxes: of an open mesh both sides."""
        if not self.relief.ground.open:
            return [(faces, carried, boxes)]
        back = self._backs.get(len(faces))
        if back is None:
            back = self._backs[len(faces)] = np.ascontiguousarray(faces[:, ::-1])
        return [(faces, carried, boxes), (back, np.negative(carried), boxes)]

    def _blocks_at_rest(self) -> Blocks:
        if self._blocks is None:
            self._blocks = Blocks(self.relief.ground.points, self.relief.ground.faces)
        return self._blocks

    def _farthest(self) -> float:
        """How far points moved at most; a bound."""
        relief = self.relief
        if relief.page:
            return 0.0
        along = max(float(relief.height.max()), -float(relief.height.min()))
        return along if relief.moves is None else along + math.sqrt(3) * float(np.abs(relief.moves).max())

    def _all_moved(self) -> None:
        if self._blocks is not None:
            self._blocks.all_moved()
        if self._few is not None:
            self._few.moved()

    def _some_moved(self, which: NDArray[np.int32], count: int) -> None:
        if self._blocks is not None:
            self._blocks.some_moved(which, count, *self.relief.ground.around)
        if self._few is not None:
            self._few.moved()

    def _redraw(
        self, look: Look, seen: Projection, changed: tuple[NDArray[np.int32], int], others: bool
    ) -> Part | None:
        """Draw the rectangle that changed points take, of a picture at rest, and cords that are others now; returns
        it, widened by what its light depends on."""
        from . import trial_kernels as k

        (which, count), size = changed, self._buffers.size
        if (not count and not others) or self._look is not None:
            return None
        left, top, right, bottom = (1e9, 1e9, -1e9, -1e9) if not count else k.project_some(
            self._points, self._normals, *seen.numbers(), which, count, self._screen, self._carried
        )  # fmt: skip
        if others:
            box = self._cords.changed_box(seen)
            left, top, right, bottom = min(left, box[0]), min(top, box[1]), max(right, box[2]), max(bottom, box[3])
        boxes = self._blocks_at_rest().boxes(self._points, seen)
        x0, x1 = max(0, int(left) - 2), min(size[0], int(right) + 3)
        y0, y1 = max(0, int(top) - 2), min(size[1], int(bottom) + 3)
        if x1 <= x0 or y1 <= y0:
            return None
        k.clear(self._buffers.nearness, x0, x1, y0, y1)
        screen, into = self._screen, (*self._buffers.drawn, look.thick, look.large)
        drawn = self._sides(self.relief.ground.faces, self._carried, boxes)

        def draw(first: int, end: int) -> None:
            for listed, normal, within in drawn:
                k.draw(screen, normal, listed, within, *into, x0, x1, y0 + first, y0 + end)

        split_rows(draw, y1 - y0)
        self._cords.draw(seen, self._buffers, look, (x0, x1, y0, y1))
        halo = HALO * self._buffers.factor
        return max(0, x0 - halo), min(size[0], x1 + halo), max(0, y0 - halo), min(size[1], y1 + halo)
