"""The picture of a surface with marks in it, drawn anew only where marks fell."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..cords.body import Cord
from ..errors import Watch, unwatched
from ..numeric.split_rows import split_rows
from ..pressing.relief import Relief
from ..raster import Pixels
from ..surfaces.kind import Geometry, Paper
from ..surfaces.view import CAMERA, FIRST_EYE, FIRST_LAMP, SURROUND, Colour, Eye, Lamp
from .blocks import NOWHERE, Blocks, balls_round, boxes_of
from .cords_picture import CordsDrawn
from .few import Few
from .paper import lettering
from .plaster import plaster_ramp
from .projection import Projection, projection
from .trial_colours import earth_ramp, ink_ramp, joined, sky
from .untouched import Untouched

_AMBIENT = 0.2
# How strongly hollows darken and ridges brighten, at a pixel's size and at four.
_CAVITY = (0.55, 0.30)
# The widest of them, and a pixel for the triangles' borders, in pixels of the picture.
_HALO = 6
# Squares of the grid have to be so large for lines to be drawn, in squared half-widths of a line as it is drawn;
# so many pixels of the picture at rest, which is drawn at twice its size, then lie between neighbouring points.
_LARGE = 60.0
FINEST_LINES = math.sqrt(_LARGE) / 2
# What the grid's lines leave of the light.
_LINE = np.float32(0.62)
_HAZE = np.array([CAMERA - 0.6, 0.34, 0.5, 214, 216, 212], np.float32)
_PAPER = Paper()
# Pixels along a page's sides at which letters are drawn on it.
_LETTERS = 1024


@dataclass(frozen=True, slots=True)
class Look:
    """How a trial is looked at.

    ``size`` is (width, height) in pixels; ``moving`` draws from few triangles, ``rough`` without smoothing, as does
    ``moving``; ``fit`` is how many pixels a scene width of 2 takes, 0 for as many as the view has room for; ``lines``
    shows the grid of triangles.
    """

    size: tuple[int, int]
    eye: Eye = FIRST_EYE
    lamp: Lamp = FIRST_LAMP
    moving: bool = False
    rough: bool = False
    surround: Colour = SURROUND
    paper: Paper = _PAPER
    fit: float = 0.0
    lines: bool = False


@dataclass(frozen=True, eq=False)
class Seen:
    """A picture, uint8 (height, width, 3), and where its pixels lie.

    Attributes
    ----------
    nearness : float32 (height, width)
        How near what is seen lies, below -1e8 where nothing is. Of this picture alone: the next one may be drawn
        on another thread while the hand asks where it is.
    factor : int
        Pixels of ``projection`` to one of the picture.
    projection : Projection
        How scene and pixels belong together.
    """

    picture: NDArray[np.uint8]
    nearness: Pixels
    factor: int
    projection: Projection

    def place(self, x: float, y: float) -> NDArray[np.float64] | None:
        """The scene place (3,) seen at a place of the picture; None beside the surface."""
        column, row = int(x), int(y)
        rows, columns = self.nearness.shape
        if not (0 <= row < rows and 0 <= column < columns) or self.nearness[row, column] < -1e8:
            return None
        return self.projection.scene(x * self.factor, y * self.factor, float(self.nearness[row, column]))


def _seen_alike(look: Look) -> tuple[object, ...]:
    """What has to be the same for pixels to stay where they are."""
    return look.size, look.eye, look.moving, look.rough, look.fit, look.lines


def _thick(look: Look) -> np.float32:
    """Half the width of the grid's lines, in pixels as they are drawn; 0 for none."""
    return np.float32(0.6 if look.moving or look.rough else 1.0) if look.lines else np.float32(0)


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
        self._nearness = self._image = self._light = np.empty((0, 0), np.float32)
        self._wire = np.empty((0, 0), np.uint8)
        self._picture = np.empty((0, 0, 3), np.uint8)
        self._lettered: tuple[object, Pixels] = None, self._nearness
        self._fresh = False
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
        factor = 1 if look.moving or look.rough else 2
        size = look.size[0] * factor, look.size[1] * factor
        seen = projection(self.geometry, look.eye, size, look.fit * factor)
        same = before is not None and _seen_alike(before) == _seen_alike(look)
        if self._nearness.shape != (size[1], size[0]):
            same = False
            self._nearness, self._light = np.empty((2, size[1], size[0]), np.float32)
            self._image = np.zeros((3, size[1], size[0]), np.float32)
            self._wire = np.zeros((size[1], size[0]), np.uint8)
            self._picture = np.empty((look.size[1], look.size[0], 3), np.uint8)
        whole = (0, size[0], 0, size[1])
        moved = changed is None or (look.moving and (changed[1] > 0 or others))
        if same and changed is not None and not moved:
            lit_alike = before is not None and (before.lamp, before.surround, before.paper) == (
                look.lamp, look.surround, look.paper
            )  # fmt: skip
            part = self._redraw(look, seen, changed, size, factor, others)
            if not lit_alike:
                self._shade(look, seen, whole, factor)
            elif part is not None:
                self._shade(look, seen, part, factor)
        else:
            self._draw_all(look, seen, size, check)
            self._shade(look, seen, whole, factor)
        self._look = look
        return Seen(self._picture.copy(), self._nearness[::factor, ::factor].copy(), factor, seen)

    def cover(self) -> Pixels:
        """How much of each pixel drawn last is surface, not what lies behind: float32 (height, width), 0..1."""
        height, width = self._picture.shape[:2]
        there = (self._nearness > -1e8).astype(np.float32)
        share: Pixels = there.reshape(height, there.shape[0] // height, width, -1).mean(axis=(1, 3))
        return share

    @property
    def _buffers(self) -> tuple[Pixels, Pixels, NDArray[np.uint8]]:
        return self._nearness, self._image, self._wire

    def _draw_all(self, look: Look, seen: Projection, size: tuple[int, int], check: Watch) -> None:
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
        drawn = [(faces, boxes)]
        if self._untouched is not None and not look.moving and not look.lines:
            left_out, large = self._untouched.left_out(self.relief, seen)
            boxes[left_out] = NOWHERE
            drawn.append((large, boxes_of(balls_round(points, large), seen)))
        self._nearness.fill(-1e9)
        thick = _thick(look)
        shown = np.float32(_LARGE) * thick * thick

        def draw(top: int, bottom: int) -> None:
            for listed, within in drawn:
                k.draw(screen, carried, listed, within, *self._buffers, thick, shown, 0, size[0], top, bottom)

        split_rows(draw, size[1])
        check()
        self._cords.draw(seen, self._buffers, thick, shown, (0, size[0], 0, size[1]))

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
        self, look: Look, seen: Projection, changed: tuple[NDArray[np.int32], int], size: tuple[int, int],
        factor: int, others: bool,
    ) -> tuple[int, int, int, int] | None:  # fmt: skip
        """Draw the rectangle that changed points take, of a picture at rest, and cords that are others now; returns
        it, widened by what its light depends on."""
        from . import trial_kernels as k

        which, count = changed
        if (not count and not others) or self._look is not None:
            return None
        faces = self.relief.ground.faces
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
        k.clear(self._nearness, x0, x1, y0, y1)
        thick = _thick(look)
        large = np.float32(_LARGE) * thick * thick
        split_rows(
            lambda a, b: k.draw(
                self._screen, self._carried, faces, boxes, *self._buffers, thick, large, x0, x1, y0 + a, y0 + b
            ),
            y1 - y0,
        )
        self._cords.draw(seen, self._buffers, thick, large, (x0, x1, y0, y1))
        halo = _HALO * factor
        return max(0, x0 - halo), min(size[0], x1 + halo), max(0, y0 - halo), min(size[1], y1 + halo)

    def _shade(self, look: Look, seen: Projection, part: tuple[int, int, int, int], factor: int) -> None:
        from . import trial_kernels as k

        left, right, top, bottom = part
        rotation = seen.rotation
        day = self.geometry.day
        depth, haze = self._nearness, _HAZE if day else None
        if self.geometry.page:
            there = self._nearness[top:bottom, left:right] > -1e8
            self._light[top:bottom, left:right] = np.where(there, self._image[2, top:bottom, left:right], -1)
            paper = look.paper
            ramp = ink_ramp(paper.ground, paper.ink)
            if paper.mask:  # marks reveal the second colour in the letters; between them lies the page, as haze does
                ramp = ink_ramp(paper.ink, paper.second)
                depth, haze = self._letters(look, seen), np.array([0, 1, 1, *paper.ground], np.float32)
        else:
            lamp = look.lamp.direction()
            fill = np.array([-lamp[0] * 0.8, -lamp[1] * 0.8, 0.6], np.float32)
            fill = fill / np.linalg.norm(fill)
            if self.geometry.plane:  # the lamp turns with the ground; else it stays with the eye
                lamp, fill = rotation @ lamp, rotation @ fill
            cavity = np.array((_CAVITY[0], 0.0 if look.moving or look.rough else _CAVITY[1]), np.float32)
            _bands(
                lambda a, b: k.light(
                    self._image, self._nearness, lamp, fill, np.float32(_AMBIENT), factor, cavity, left, right, a, b,
                    self._light,
                ), top, bottom,
            )  # fmt: skip
            ramp = earth_ramp() if day else plaster_ramp()
        if look.lines:
            part_lit = self._light[top:bottom, left:right]
            part_lit *= np.where(self._wire[top:bottom, left:right], _LINE, np.float32(1))
        height = self._picture.shape[0]
        even = np.broadcast_to(np.array(look.surround, np.float32), (height, 3))
        ground = sky(height, _horizon(seen) / factor) if day else even
        columns, rows = (left // factor, -(-right // factor)), (top // factor, -(-bottom // factor))
        if haze is None:
            whole, behind = joined(ramp), joined(ground)
            _bands(
                lambda a, b: k.clear_colour(self._light, factor, whole, behind, *columns, a, b, self._picture), *rows
            )
            return
        _bands(
            lambda a, b: k.colour(
                self._light, depth, factor, ramp, ground, haze, *columns, a, b, self._picture
            ), *rows,
        )  # fmt: skip

    def _letters(self, look: Look, seen: Projection) -> Pixels:
        """How much less than a letter each pixel of the page is, -1..0."""
        key = (look.paper.words, _seen_alike(look), self._nearness.shape)
        if key != self._lettered[0]:
            rows, columns = self._nearness.shape
            side = np.float32(_LETTERS - 0.5)
            on_page = np.array([(-0.5, -0.5), (side, -0.5), (side, side), (-0.5, side)], np.float32)
            corners = [seen.pixel(np.array([x, y, 0.0])) for x, y in ((-1, 1), (1, 1), (1, -1), (-1, -1))]
            to = cv2.getPerspectiveTransform(on_page, np.array(corners, np.float32))
            drawn = lettering(look.paper.words, _LETTERS, _LETTERS)
            self._lettered = key, cv2.warpPerspective(drawn, to, (columns, rows), flags=cv2.INTER_LINEAR) - 1
        return self._lettered[1]


def _bands(work: Callable[[int, int], object], first: int, end: int) -> None:
    split_rows(lambda a, b: work(first + a, first + b), end - first)


def _horizon(seen: Projection) -> float:
    """The row where the ground ends, as if it went on as far again as its farthest corner lies."""
    corners = [np.array([x, y, 0.0]) for x in (-2.0, 2.0) for y in (-2.0, 2.0)]
    return min(seen.pixel(c)[1] for c in corners)
