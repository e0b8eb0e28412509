"""Paper: a paint tip or a mask is judged flat, in ink, not in plaster."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import lru_cache
from textwrap import wrap

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import BadValue, Watch, unwatched
from ..numeric.contours import Contours
from ..pressing.marks import Mark, lay
from ..pressing.tip import squared
from ..raster import Pixels
from ..shapes.lettering import Text, lettered, outlines, reach
from ..surfaces.kind import MOST_WORDS, Paper
from ..surfaces.view import Colour

SPACING = 0.12
# A stroke's marks, as shares of the page's height: how large, and how many lines of them.
_STROKE = 0.15
# Weight and leading of lettering, and the share of the page that it fills.
_WEIGHT, _LEADING, _FILLS = 650.0, 1.0, 0.88


@lru_cache(maxsize=8)
def lettering(words: str, width: int, rows: int) -> Pixels:
    """Words over a page, float32 (rows, width), 0..1, as large as they fit, in as many lines as make them largest.

    Letters that the font does not have are left out.
    """
    best = max(_settings(words), key=lambda letters: _em(letters, width, rows), default=())
    return lettered(best, _em(best, width, rows), (width / 2, rows / 2), width, rows)


def _em(letters: Contours, width: int, rows: int) -> float:
    """Pixels to an em at which letters fill a page."""
    if not letters:
        return 0.0
    across, down = reach(letters)
    return min(width / across, rows / down) * _FILLS / 2


def _settings(words: str) -> Iterator[Contours]:
    """The words in one line, in two, and so on, each as even as words allow."""
    known = " ".join("".join(c for c in words[:MOST_WORDS] if c.isspace() or _has(c)).split())
    for most in sorted({len(" ".join(part)) for part in _runs(known.split())}):
        lines = wrap(known, most, break_long_words=False, break_on_hyphens=False)
        yield outlines(Text("\n".join(lines), weight=_WEIGHT, leading=_LEADING))


def _runs(words: list[str]) -> Iterator[list[str]]:
    return (words[a:b] for a in range(len(words)) for b in range(a + 1, len(words) + 1))


def _has(letter: str) -> bool:
    try:
        return bool(outlines(Text(letter, weight=_WEIGHT)))
    except BadValue:
        return False


def _mixed(below: Pixels, colour: Colour, share: Pixels) -> Pixels:
    mixed: Pixels = below + (np.array(colour, np.float32) - below) * share[..., None]
    return mixed


def page(
    height: Pixels, paper: Paper, width: int, rows: int, *, zero: str = "black",
    check: Watch = unwatched,
) -> NDArray[np.uint8]:  # fmt: skip
    """A page (rows, width, 3) with one large mark, smaller ones, and strokes that build up; or a mask over letters.

    Parameters
    ----------
    height : float32 (H, W)
        Heights of the finished plate: 1 for white, 0 where nothing happens.
    zero : {"black", "mid"}
        Of the plate: a mask's mid-grey reveals half.
    """
    ground = np.empty((rows, width, 3), np.float32)
    ground[:] = paper.ground
    if paper.mask:
        shown = np.clip(height if zero == "black" else 0.5 + height / 2, 0, 1).astype(np.float32)
        side = max(width / shown.shape[1], rows / shown.shape[0])
        size = max(width, round(shown.shape[1] * side)), max(rows, round(shown.shape[0] * side))
        way = cv2.INTER_AREA if side < 1 else cv2.INTER_LINEAR
        reveals = cv2.resize(shown, size, interpolation=way)[:rows, :width]
        letters = lettering(paper.words, width, rows)
        inked = _mixed(ground, paper.ink, letters)
        return _mixed(inked, paper.second, letters * reveals).round().astype(np.uint8)
    mark = squared(np.clip(np.abs(height), 0, 1).astype(np.float32))
    bare = np.ones((rows, width), np.float32)
    lay(mark, _marks(paper, width, rows), bare, "covers", check)
    return _mixed(ground, paper.ink, 1 - bare).round().astype(np.uint8)


def _marks(paper: Paper, width: int, rows: int) -> Iterator[Mark]:
    """One large mark, smaller ones beside it, and two strokes below."""
    large = min(rows * 0.52, width * 0.46)
    yield Mark(width * 0.06 + large / 2, rows * 0.05 + large / 2, large / 2, strength=paper.flow)
    x = width * 0.1 + large
    for n, share in enumerate((0.6, 0.36, 0.2, 0.1)):
        side = large * share
        x += side * 0.5
        if x + side * 0.5 < width:
            yield Mark(x, rows * 0.05 + large * 0.32, side / 2, -25.0 * n, strength=paper.flow)
        x += side * 0.55 + 4
    rng = np.random.Generator(np.random.PCG64(11))
    side = rows * _STROKE
    for line, (top, flow) in enumerate(((0.70, paper.flow), (0.88, paper.flow * 0.3))):
        count = max(2, round(width * 0.84 / (side * (SPACING + 0.35 * line))))
        for n in range(count):
            along = (n + 0.5) / count
            y = rows * top + math.sin(along * 2 * math.pi) * rows * 0.035
            wide = side * (0.45 + 0.55 * math.sin(math.pi * along))
            turn = -float(rng.uniform(0, 360))
            yield Mark(width * (0.08 + 0.84 * along), y, wide / 2, turn, strength=flow)
