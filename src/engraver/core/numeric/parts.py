"""Separate drawings or objects on one page: where each lies."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from . import matte, surface

Box = tuple[float, float, float, float]
SIDE = 1000
PAPER_WINDOW = 0.12
_FAINTEST = 0.12


@dataclass(frozen=True, slots=True)
class Search:
    """``gap`` is how far strokes of one drawing may lie apart, ``smallest`` the least side of a
    drawing, both shares of the page's shorter side; ``ink`` lowers (below 1) or raises the cut."""

    gap: float = 0.03
    smallest: float = 0.05
    ink: float = 1.0


def marked(grey: Pixels, search: Search) -> NDArray[np.bool_]:
    """Where a reduced page (H, W) differs from its paper or ground, whichever way."""
    window = max(9, round(PAPER_WINDOW * min(grey.shape)))
    paper = surface.local_percentile(grey, window, 90)
    share = grey / np.maximum(paper, 0.02)
    bright_paper = float(np.mean(np.abs(share - 1) < 0.15)) > 0.4
    if bright_paper:
        apart = np.clip(1 - share, 0, 1)
    else:  # objects on a dark ground
        ground = surface.local_percentile(grey, max(9, round(0.5 * min(grey.shape))), 10)
        apart = np.clip(grey - ground, 0, 1)
    values = apart.astype(np.float32)
    some = values > 0.04
    cut = matte.otsu(values, some.astype(np.uint8)) if some.any() else 1.0
    found: NDArray[np.bool_] = values > max(_FAINTEST, search.ink * cut)
    return found


def _rows(boxes: list[Box]) -> list[Box]:
    """Reading order: rows from the top, each from the left."""
    left = sorted(boxes, key=lambda b: (b[1] + b[3]) / 2)
    ordered: list[Box] = []
    while left:
        head = left[0]
        reach = (head[3] - head[1]) * 0.6
        row = [b for b in left if abs((b[1] + b[3] - head[1] - head[3]) / 2) <= reach]
        ordered += sorted(row)
        left = [b for b in left if b not in row]
    return ordered


def find(grey: Pixels, search: Search | None = None) -> list[Box]:
    """Boxes (left, top, right, bottom) of the separate things on a page, as shares, in reading order.

    What differs from the paper is joined over small gaps; every connected piece of some
    size is one thing. What touches the border all along (a lid, a table) is none.
    """
    search = search or Search()
    ratio = min(1.0, SIDE / min(grey.shape))
    size = (max(8, round(grey.shape[1] * ratio)), max(8, round(grey.shape[0] * ratio)))
    small: Pixels = cv2.resize(grey, size, interpolation=cv2.INTER_AREA)
    ink = marked(small, search)
    height, width = ink.shape
    short = min(height, width)
    # Thin marks alone (ruled lines, dust) do not join what is drawn: only what has some body does.
    reach = max(1, round(search.gap * short / 2))
    element = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1)).astype(np.uint8)
    joined = cv2.dilate(ink.astype(np.uint8), element)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
    boxes: list[Box] = []
    for n in range(1, count):
        x, y, w, h = (int(v) for v in stats[n, :4])
        part = ink[y : y + h, x : x + w] & (labels[y : y + h, x : x + w] == n)
        rows, columns = np.nonzero(part.any(axis=1))[0], np.nonzero(part.any(axis=0))[0]
        if not len(rows):
            continue
        top, bottom, left, right = y + rows[0], y + rows[-1] + 1, x + columns[0], x + columns[-1] + 1
        if min(right - left, bottom - top) < search.smallest * short:
            continue
        if right - left > 0.96 * width and bottom - top > 0.96 * height:
            continue
        boxes.append((left / width, top / height, right / width, bottom / height))
    inside = [b for b in boxes if not any(_holds(a, b) for a in boxes if a != b)]
    return _rows([(float(a), float(b), float(c), float(d)) for a, b, c, d in inside])


def _holds(a: Box, b: Box) -> bool:
    return a[0] <= b[0] and a[1] <= b[1] and a[2] >= b[2] and a[3] >= b[3]
