"""Paper: a paint tip or a mask is judged flat, in ink, not in plaster."""

from __future__ import annotations

import math
from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..pressing.marks import Mark, lay
from ..pressing.tip import squared
from ..raster import Pixels
from ..surfaces.kind import Paper
from ..surfaces.view import Colour

LETTERS = ("QU", "AY")
SPACING = 0.12
# A stroke's marks, as shares of the page's height: how large, and how many lines of them.
_STROKE = 0.15


def lettering(width: int, rows: int) -> Pixels:
    """Large letters over the page, 0..1."""
    drawn, font = np.zeros((rows, width), np.uint8), cv2.FONT_HERSHEY_DUPLEX
    thick = max(2, round(min(width, rows) * 0.03))
    scale = 1.0
    for _ in range(3):
        sizes = [cv2.getTextSize(word, font, scale, thick)[0] for word in LETTERS]
        scale *= min(width * 0.84 / max(w for w, _ in sizes), rows * 0.4 / max(h for _, h in sizes))
    for n, word in enumerate(LETTERS):
        (wide, tall), _ = cv2.getTextSize(word, font, scale, thick)
        place = (width - wide) // 2, round(rows * (0.27 + 0.46 * n) + tall / 2)
        cv2.putText(drawn, word, place, font, scale, 255, thick, cv2.LINE_AA)
    letters: Pixels = drawn.astype(np.float32) / np.float32(255)
    return letters


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
        letters = lettering(width, rows)
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
