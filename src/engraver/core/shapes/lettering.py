"""Text as outlines: shaped by HarfBuzz (kerning, ligatures, marks), in lines, straight or along an arc."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

import numpy as np

from ..errors import BadValue
from ..numeric import stroking
from ..numeric.contours import Contours, Points, bezier
from ..numeric.outlined import Box, bounds, coverage
from ..raster import Pixels
from .font import SHIPPED, FontFile

Align = Literal["left", "middle", "right"]
# A curve strays so far at most, in the font's units of a thousand to an em.
_STRAY = 0.25
# A line whose arc has a smaller radius than this, in ems, lies in the arc's middle.
_TIGHT = 0.05


@dataclass(frozen=True, slots=True)
class Text:
    """What is set, and how.

    Attributes
    ----------
    words : str
        Lines parted by line ends.
    font : FontFile or None
        None for the font that ships.
    weight : float
        Of a font that varies, 1 to 1000; others have their own.
    spacing : float
        Added between letters, in ems.
    leading : float
        From one line to the next, in ems.
    align : {"left", "middle", "right"}
    bend : float
        Degrees that the widest line goes round; above 0 its middle is the top of the arc.
    """

    words: str
    font: FontFile | None = None
    weight: float = 400.0
    spacing: float = 0.0
    leading: float = 1.2
    align: Align = "middle"
    bend: float = 0.0


@lru_cache(maxsize=8)
def _font(file: FontFile | None, weight: float) -> tuple[Any, bool]:
    """HarfBuzz's font, and whether its weight varies. Raises BadValue for a file that holds none."""
    import uharfbuzz as hb

    data = SHIPPED.read_bytes() if file is None else file.data
    face = hb.Face(data)
    if face.upem < 16 or face.glyph_count < 1:
        name = "The font" if file is None else file.name
        raise BadValue(f"{name} cannot be used", "it holds no letters", "Choose another font")
    font = hb.Font(face)
    varies = any(axis.tag == "wght" for axis in face.axis_infos)
    if varies:
        font.set_variations({"wght": weight})
    return font, varies


def has_weights(file: FontFile | None) -> bool:
    """Whether a font's weight can be chosen."""
    return _font(file, 400.0)[1]


@lru_cache(maxsize=2048)
def _glyph(file: FontFile | None, weight: float, glyph: int) -> Contours:
    """A letter's outlines in ems, y down."""
    import uharfbuzz as hb

    font, _ = _font(file, weight)
    parts: list[list[Points]] = []

    def at(*values: float) -> Points:
        return np.array(values, np.float64).reshape(-1, 2)

    def quadratic(cx: float, cy: float, x: float, y: float, _: Any) -> None:
        start, control, end = parts[-1][-1][-1], np.array([cx, cy]), np.array([x, y])
        parts[-1].append(
            bezier(np.array([start, start + (control - start) * 2 / 3, end + (control - end) * 2 / 3, end]), _STRAY)
        )

    def cubic(ax: float, ay: float, bx: float, by: float, x: float, y: float, _: Any) -> None:
        parts[-1].append(bezier(np.concatenate([parts[-1][-1][-1:], at(ax, ay, bx, by, x, y)]), _STRAY))

    draw = hb.DrawFuncs()
    draw.set_move_to_func(lambda x, y, _: parts.append([at(x, y)]))
    draw.set_line_to_func(lambda x, y, _: parts[-1].append(at(x, y)))
    draw.set_quadratic_to_func(quadratic)
    draw.set_cubic_to_func(cubic)
    draw.set_close_path_func(lambda _: None)
    font.draw_glyph(glyph, draw, None)
    # A font may draw a letter from parts that overlap; their lines inside it are none of its border.
    scale = np.array([1.0, -1.0]) / font.face.upem
    whole = stroking.filled([np.concatenate(part) for part in parts if len(part) > 2], even_odd=False)
    return tuple(points * scale for points in stroking.rings(whole))


@dataclass(frozen=True, slots=True)
class _Letter:
    """A shaped letter: which glyph, where it begins, how far it goes, and its own shift, in ems."""

    glyph: int
    x: float
    advance: float
    dx: float
    dy: float


def _line(words: str, text: Text) -> list[_Letter]:
    """One line, shaped. Raises BadValue naming what the font does not have."""
    import uharfbuzz as hb

    font, _ = _font(text.font, text.weight)
    buffer = hb.Buffer()
    buffer.add_str(words)
    buffer.guess_segment_properties()
    hb.shape(font, buffer)
    em, x, found = font.face.upem, 0.0, []
    for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        if info.codepoint == 0:
            raise BadValue(
                f"The font has no letter {words[info.cluster]!r}", "", "Choose another font, or other words"
            )
        found.append(_Letter(info.codepoint, x, place.x_advance / em, place.x_offset / em, -place.y_offset / em))
        x += place.x_advance / em + text.spacing
    return found


def lettered(letters: Contours, em: float, middle: tuple[float, float], width: int, rows: int) -> Pixels:
    """How much of each pixel letters cover, float32 (rows, width), 0..1.

    Parameters
    ----------
    letters : Contours
        As :func:`outlines` gives them.
    em : float
        Pixels to an em.
    middle : (x, y)
        Where the middle of what is inked lies, in pixels from the upper left.
    """
    if not letters:
        return np.zeros((rows, width), np.float32)
    return coverage(tuple(points * em + np.array(middle) for points in letters), Box(0, 0, width, rows))


def reach(letters: Contours) -> tuple[float, float]:
    """How far letters reach from their middle, across and down, in ems."""
    left, top, right, bottom = bounds(letters)
    return max(-left, right), max(-top, bottom)


@lru_cache(maxsize=64)
def outlines(text: Text) -> Contours:
    """The outlines of a text in ems, y down, the middle of what is inked in the origin.

    The fill rule is that of fonts: what is wound round at all is inside.

    Raises
    ------
    BadValue
        The font cannot be used, or has no glyph for a letter.
    """
    lines = [_line(words, text) for words in text.words.split("\n")]
    widths = [line[-1].x + line[-1].advance if line else 0.0 for line in lines]
    widest = max(widths, default=0.0)
    share = {"left": 0.0, "middle": 0.5, "right": 1.0}[text.align]
    bend = math.radians(text.bend)
    radius = widest / bend if abs(bend) > 1e-4 and widest > 0 else 0.0
    made: list[Points] = []
    for n, (line, width) in enumerate(zip(lines, widths, strict=True)):
        left, base = (widest - width) * share - widest / 2, n * text.leading
        for letter in line:
            for points in _glyph(text.font, text.weight, letter.glyph):
                if radius:
                    # A letter turns about the middle of its foot.
                    foot = left + letter.x + letter.advance / 2
                    far = radius - base
                    a = foot / far if abs(far) > _TIGHT else 0.0
                    turn = np.array([(math.cos(a), math.sin(a)), (-math.sin(a), math.cos(a))])
                    local = np.add(points, (letter.dx - letter.advance / 2, letter.dy))
                    made.append(np.add(local @ turn, (far * math.sin(a), radius - far * math.cos(a))))
                else:
                    made.append(np.add(points, (left + letter.x + letter.dx, base + letter.dy)))
    if not made:
        return ()
    low, high = np.min([p.min(axis=0) for p in made], axis=0), np.max([p.max(axis=0) for p in made], axis=0)
    return tuple(points - (low + high) / 2 for points in made)
