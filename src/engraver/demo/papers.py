"""Photos and a scan of things on paper and board: torch-lit drawings, a flatbed sheet, a float on a board."""

from __future__ import annotations

import io
import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from engraver.core.numeric import noise
from engraver.core.raster import Pixels

from . import harbour
from .photos import Photo, developed

LINE, PAPER, INK = (0.56, 0.67, 0.86), (0.93, 0.92, 0.88), (0.13, 0.12, 0.14)
DPI = 200


@dataclass(frozen=True, slots=True)
class Drawings(Photo):
    """``boxes`` are (left, top, right, bottom) of each drawing's ink in pixels, in reading order."""

    boxes: tuple[tuple[int, int, int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class Scan(Photo):
    """``dust`` is where specks and hairs lie; ``skew`` how far the sheet is turned, in degrees."""

    dust: NDArray[np.bool_] | None = None
    skew: float = 0.0

    def file(self) -> bytes:
        out = io.BytesIO()
        Image.fromarray(self.rgb).save(out, "PNG", dpi=(DPI, DPI), compress_level=3)
        return out.getvalue()


@dataclass(frozen=True, slots=True)
class Subject(Photo):
    """``matte`` is how much of each pixel belongs to the subject."""

    matte: Pixels | None = None


def _torch(height: int, width: int) -> Pixels:
    """A torch held over the page: bright off the middle, falling off quickly."""
    y = (np.arange(height, dtype=np.float32)[:, None] - height * 0.44) / height
    x = (np.arange(width, dtype=np.float32) - width * 0.56) / height
    return (0.36 + 0.66 / (1 + 2.6 * (x * x + y * y)) ** 2).astype(np.float32)


def knot_drawings(height: int = 1500, width: int = 2100) -> Drawings:
    """A page with six pieces of knot-work in ink over ruled lines, photographed with the torch on."""
    ink = np.zeros((height, width), np.float32)
    boxes = []
    cell_w, cell_h = width / 3, height / 2
    rng = np.random.Generator(np.random.PCG64(61))
    for n in range(6):
        side = round(min(cell_w, cell_h) * rng.uniform(0.62, 0.74))
        left = round((n % 3 + 0.5) * cell_w - side / 2 + rng.uniform(-0.05, 0.05) * cell_w)
        top = round((n // 3 + 0.5) * cell_h - side / 2 + rng.uniform(-0.05, 0.05) * cell_h)
        drawn = harbour.knot_drawing(side, n)
        np.maximum(ink[top : top + side, left : left + side], drawn, out=ink[top : top + side, left : left + side])
        there = drawn > 0.3
        rows, columns = np.nonzero(there.any(axis=1))[0], np.nonzero(there.any(axis=0))[0]
        boxes.append(
            (left + int(columns[0]), top + int(rows[0]), left + int(columns[-1]) + 1, top + int(rows[-1]) + 1)
        )
    y = np.arange(height, dtype=np.float32)[:, None] + np.float32(0.5)
    x = np.arange(width, dtype=np.float32)[None] + np.float32(0.5)
    spacing = height / 26
    off = np.abs((y + 0.006 * x) % spacing - spacing / 2)
    ruled = np.clip(height / 900 - off + 0.5, 0, 1)
    paper = 1 + 0.03 * (noise.lattice(height, width, 0.01, 62) - np.float32(0.5))
    rgb = np.zeros((height, width, 3), np.float32) + np.array(PAPER, np.float32)
    rgb += ruled[..., None] * (np.array(LINE, np.float32) - rgb)
    strength = ink * (0.86 + 0.14 * noise.lattice(height, width, 0.03, 63))
    rgb += strength[..., None] * (np.array(INK, np.float32) - rgb)
    light = _torch(height, width)
    photo = developed(rgb * (paper * light)[..., None], (1.02, 1.0, 0.96), 64, 0.008)
    return Drawings("knot_drawings.jpg", photo, ink, light, (0, 0, width, height), boxes=tuple(boxes))


def net_sheet(height: int = 1300, width: int = 1700) -> Scan:
    """A net on a flatbed: slightly skew, the lid's shadow toward the borders, a fold, dust and hairs."""
    skew = 1.3
    inner_h, inner_w = height - 150, width - 170
    heights = harbour.net_weave(inner_h, inner_w)
    sheet = (0.3 + 0.5 * heights).astype(np.float32)
    fold = np.exp(-(((np.arange(inner_w, dtype=np.float32) - inner_w * 0.38) / 7) ** 2))
    sheet *= 1 - 0.16 * fold
    page = np.full((height, width), 0.12, np.float32)
    c, s = math.cos(math.radians(skew)), math.sin(math.radians(skew))
    spin = np.array([[c, -s], [s, c]])
    shift = np.array([width / 2, height / 2]) - spin @ np.array([inner_w / 2, inner_h / 2])
    matrix = np.column_stack([spin, shift])
    laid = cv2.warpAffine(sheet, matrix, (width, height), flags=cv2.INTER_CUBIC)
    there = cv2.warpAffine(np.ones_like(sheet), matrix, (width, height), flags=cv2.INTER_LINEAR)
    page += there * (laid - page)
    y = np.minimum(np.arange(height), np.arange(height)[::-1]).astype(np.float32)[:, None] / height
    x = np.minimum(np.arange(width), np.arange(width)[::-1]).astype(np.float32) / height
    light = (1 - 0.34 * np.exp(-np.minimum(x, y) / 0.07)).astype(np.float32)
    tone = page * light
    rng = np.random.Generator(np.random.PCG64(71))
    layer = np.zeros((height, width), np.uint8)
    for _ in range(90):
        cv2.circle(layer, (int(rng.integers(90, width - 90)), int(rng.integers(80, height - 80))),
                   int(rng.integers(1, 4)), 255, -1, cv2.LINE_AA)  # fmt: skip
    for _ in range(9):
        a = np.array([rng.integers(150, width - 150), rng.integers(150, height - 150)], float)
        way = a + np.cumsum(rng.normal(0, 5, (14, 2)) + rng.normal(0, 4, 2), axis=0)
        cv2.polylines(layer, [(way * 16).astype(np.int32)[:, None]], False, 255, 1, cv2.LINE_AA, 4)
    tone += (layer.astype(np.float32) / 255) * (0.95 - tone)
    scanned = developed(np.repeat(tone[..., None], 3, axis=2), (1.0, 1.0, 0.99), 72, 0.005)
    return Scan("net_sheet.png", scanned, heights, light, (85, 75, inner_w, inner_h), dust=layer > 40, skew=skew)


def float_on_board(height: int = 1400, width: int = 1500) -> Subject:
    """A cork float with frayed strands, on a plain painted board."""
    tone, matte = harbour.cork_float(height, width)
    board = (
        0.78
        + 0.07 * (noise.lattice(height, width, 0.4, 81) - 0.5)
        + 0.03 * (noise.lattice(height, width, 0.012, 82) - 0.5)
    )
    cork = tone[..., None] * np.array((1.1, 0.84, 0.58), np.float32)
    ground = board[..., None].astype(np.float32) * np.array((0.6, 0.72, 0.78), np.float32)
    mixed = ground + matte[..., None] * (cork - ground)
    light = (1 - 0.16 * np.linspace(0, 1, width, dtype=np.float32)) * np.ones((height, 1), np.float32)
    rgb = developed(mixed * light[..., None], (1.02, 1.0, 0.95), 83, 0.008)
    return Subject("cork_float.jpg", rgb, tone, light, (0, 0, width, height), matte=matte)
