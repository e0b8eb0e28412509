"""Light and colours of what was drawn of a surface."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from ..numeric.split_rows import split_rows
from ..raster import Pixels
from ..surfaces.kind import Geometry
from ..surfaces.view import CAMERA
from .buffers import Buffers
from .look import Look
from .paper import lettering
from .plaster import plaster_ramp
from .projection import Projection
from .trial_colours import earth_ramp, ink_ramp, joined, sky

# Does something to the rows from one to before another.
Rows = Callable[[int, int], object]
# Left, right, top and bottom of some pixels, as they are drawn.
Part = tuple[int, int, int, int]
_AMBIENT = np.float32(0.2)
# How strongly hollows darken and ridges brighten, at a pixel's size and at four.
_CAVITY = (0.55, 0.30)
# So far off what is drawn changes the light: the wider of them, and a pixel for the triangles' borders, in pixels of
# the picture.
HALO = 6
# What the grid's lines leave of the light.
_LINE = np.float32(0.62)
_HAZE = np.array([CAMERA - 0.6, 0.34, 0.5, 214, 216, 212], np.float32)
# Rows of the picture that are lit and coloured one after the other.
_BAND = 32
# Pixels along a page's sides at which letters are drawn on it.
_LETTERS = 1024


class Shading:
    """Shades pictures of one kind of surface; belongs to one thread."""

    def __init__(self, geometry: Geometry) -> None:
        self._geometry = geometry
        self._lettered: tuple[object, Pixels] = None, np.empty((0, 0), np.float32)

    def shade(self, buffers: Buffers, look: Look, seen: Projection, part: Part) -> None:
        """Light and colour a part of the picture, in bands that stay in a core's cache between the two."""
        left, right, top, bottom = part
        factor, light, wire = buffers.factor, buffers.light, buffers.wire
        first, end = top // factor, -(-bottom // factor)
        lit = _inked(buffers, left, right) if self._geometry.page else self._lit(buffers, look, seen, left, right)
        coloured = self._coloured(buffers, look, seen, (left // factor, -(-right // factor)))

        def band(a: int, b: int) -> None:
            above, below = max(top, (first + a) * factor), min(bottom, (first + b) * factor)
            lit(above, below)
            if look.lines:
                light[above:below, left:right] *= np.where(wire[above:below, left:right], _LINE, np.float32(1))
            coloured(first + a, first + b)

        split_rows(band, end - first, _BAND)

    def _lit(self, buffers: Buffers, look: Look, seen: Projection, left: int, right: int) -> Rows:
        """What lights some columns of rows."""
        from . import trial_kernels as k

        nearness, image, light, factor = buffers.nearness, buffers.image, buffers.light, buffers.factor
        rotation, lamp = seen.rotation, look.lamp.direction()
        fill = np.array([-lamp[0] * 0.8, -lamp[1] * 0.8, 0.6], np.float32)
        fill = fill / np.linalg.norm(fill)
        if self._geometry.plane:  # the lamp turns with the ground; else it stays with the eye
            lamp, fill = rotation @ lamp, rotation @ fill
        cavity = np.array((_CAVITY[0], 0.0 if look.quick else _CAVITY[1]), np.float32)
        return lambda a, b: k.light(
            image, nearness, lamp, fill, _AMBIENT, factor, cavity, left, right, a, b, light
        )  # fmt: skip

    def _coloured(self, buffers: Buffers, look: Look, seen: Projection, columns: tuple[int, int]) -> Rows:
        """What gives some columns of the picture's rows their colours, from their light."""
        from . import trial_kernels as k

        light, depth, picture, factor = buffers.light, buffers.nearness, buffers.picture, buffers.factor
        day = self._geometry.day
        ramp, haze = (earth_ramp(), _HAZE) if day else (plaster_ramp(), None)
        if self._geometry.page:
            paper = look.paper
            ramp = ink_ramp(paper.ground, paper.ink)
            if paper.mask:  # marks reveal the second colour in the letters; between them lies the page, as haze does
                ramp = ink_ramp(paper.ink, paper.second)
                depth, haze = self._letters(buffers, look, seen), np.array([0, 1, 1, *paper.ground], np.float32)
        height = len(picture)
        even = np.broadcast_to(np.array(look.surround, np.float32), (height, 3))
        ground = sky(height, _horizon(seen) / factor) if day else even
        if haze is None:
            whole, behind = joined(ramp), joined(ground)
            return lambda a, b: k.clear_colour(light, factor, whole, behind, *columns, a, b, picture)
        return lambda a, b: k.colour(light, depth, factor, ramp, ground, haze, *columns, a, b, picture)

    def _letters(self, buffers: Buffers, look: Look, seen: Projection) -> Pixels:
        """How much less than a letter each pixel of the page is, -1..0."""
        key = (look.paper.words, look.places, buffers.size)
        if key != self._lettered[0]:
            side = np.float32(_LETTERS - 0.5)
            on_page = np.array([(-0.5, -0.5), (side, -0.5), (side, side), (-0.5, side)], np.float32)
            corners = [seen.pixel(np.array([x, y, 0.0])) for x, y in ((-1, 1), (1, 1), (1, -1), (-1, -1))]
            to = cv2.getPerspectiveTransform(on_page, np.array(corners, np.float32))
            drawn = lettering(look.paper.words, _LETTERS, _LETTERS)
            self._lettered = key, cv2.warpPerspective(drawn, to, buffers.size, flags=cv2.INTER_LINEAR) - 1
        return self._lettered[1]


def _inked(buffers: Buffers, left: int, right: int) -> Rows:
    """What says of some columns of a page's rows how much they are inked, below 0 beside it."""

    def rows(top: int, bottom: int) -> None:
        part = slice(top, bottom), slice(left, right)
        buffers.light[part] = np.where(buffers.nearness[part] > -1e8, buffers.image[2][part], -1)

    return rows


def _horizon(seen: Projection) -> float:
    """The row where the ground ends, as if it went on as far again as its farthest corner lies."""
    corners = [np.array([x, y, 0.0]) for x in (-2.0, 2.0) for y in (-2.0, 2.0)]
    return min(seen.pixel(c)[1] for c in corners)
