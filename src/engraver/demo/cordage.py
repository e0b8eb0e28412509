"""What lies along curves at the quay: a rope's lay and a chain's link as meshes, a moulding and a plait as strips."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from engraver.core.files.write import encode
from engraver.core.numeric import noise
from engraver.core.raster import Pixels

from .casts import Cast

_NO_TRUTH: Pixels = np.zeros((1, 1), np.float32)


@dataclass(frozen=True, slots=True)
class Drawn:
    """Heights 0..1 as a picture of 16 bits."""

    heights: Pixels

    def file(self) -> bytes:
        return encode(np.clip(self.heights, 0, 1), "png", "16")


def _tube(rings: NDArray[np.float64], *, closed: bool) -> NDArray[np.int32]:
    """Triangles between rings of points (k, m), seen from outside; ``closed`` joins the last to the first."""
    count, around = rings.shape[:2]
    n = np.arange(count * around, dtype=np.int32).reshape(count, around)
    after = np.roll(n, -1, axis=0) if closed else n[1:]
    n = n if closed else n[:-1]
    a, b, c, d = n, np.roll(n, -1, axis=1), after, np.roll(after, -1, axis=1)
    return np.concatenate([np.stack([a, b, d], -1).reshape(-1, 3), np.stack([a, d, c], -1).reshape(-1, 3)])


def rope_lay(around: int = 60, rows: int = 17, radius: float = 6.0, long: float = 13.0) -> Cast:
    """A third of a turn of a rope of three strands, open at both ends, which then are alike; in millimetres."""
    up = np.linspace(0, 1, rows)[:, None]
    angle = np.arange(around)[None] * 2 * np.pi / around
    strand = np.abs(np.cos(1.5 * (angle - 2 * np.pi / 3 * up)))
    yarns = 0.018 * np.sin(24 * (angle - 2 * np.pi / 3 * up) - 4 * np.pi * up)
    r = radius * (0.70 + 0.30 * np.sqrt(strand) + yarns * strand)
    rings = np.stack([r * np.cos(angle), r * np.sin(angle), long * up + 0 * angle], axis=-1)
    return Cast(rings.reshape(-1, 3), _tube(rings, closed=False), _NO_TRUTH)


def chain_link(along: int = 56, around: int = 18, wide: float = 14.0, long: float = 24.0, wire: float = 2.4) -> Cast:
    """A link of a mooring chain, forged from round bar; in millimetres."""
    bend, straight = wide / 2 - wire, long / 2 - wide / 2
    way = 2 * np.pi * bend + 4 * straight
    at = np.arange(along) * way / along
    quarter = np.array([0, 2 * straight, 2 * straight + np.pi * bend, 4 * straight + np.pi * bend])
    leg = np.searchsorted(quarter, at, side="right") - 1
    gone = at - quarter[leg]
    turn = np.where(leg % 2 == 0, leg // 2 * np.pi, leg // 2 * np.pi + gone / bend)
    side = np.where(leg < 2, 1.0, -1.0)
    on_line = leg % 2 == 0
    x = np.where(on_line, side * (gone - straight), side * straight + bend * np.sin(turn))
    y = np.where(on_line, -side * bend, -bend * np.cos(turn))
    ahead = np.stack([np.cos(turn), np.sin(turn), 0 * turn], -1)
    out = np.stack([ahead[:, 1], -ahead[:, 0], 0 * turn], -1)
    angle = np.arange(around) * 2 * np.pi / around
    # Square to the way: out of the link, and over it.
    ring = np.cos(angle)[None, :, None] * out[:, None] + np.sin(angle)[None, :, None] * np.array([0.0, 0.0, 1.0])
    rings = np.stack([x, y, 0 * x], -1)[:, None] + wire * ring
    return Cast(rings.reshape(-1, 3), _tube(rings, closed=True)[:, ::-1].copy(), _NO_TRUTH)


def plait(rows: int = 288, columns: int = 576) -> Drawn:
    """A flat plait of three strands, one whole turn of it: it goes on in itself along its length."""
    y, x = (np.mgrid[0:rows, 0:columns] + 0.5) / np.array([rows, columns])[:, None, None]
    total = np.zeros((rows, columns))
    for strand in range(3):
        phase = 2 * np.pi * (x + strand / 3)
        middle, slope = 0.5 + 0.27 * np.sin(phase), 0.27 * np.cos(phase) * np.pi
        off = (y - middle) / np.hypot(1, slope) / 0.165
        yarn = 0.94 + 0.06 * np.cos(9 * np.pi * off + 14 * phase)
        total = np.maximum(total, (0.66 + 0.34 * np.cos(2 * phase)) * yarn * np.sqrt(np.maximum(1 - off * off, 0)))
    return Drawn(_softened(total.astype(np.float32), 1.1))


def _softened(tall: Pixels, sigma: float) -> Pixels:
    """Blurred, going on in itself along its length."""
    soft: Pixels = cv2.GaussianBlur(np.tile(tall, (1, 3)), (0, 0), sigma)
    columns = tall.shape[1]
    return np.ascontiguousarray(soft[:, columns : 2 * columns])


def _spiral(middle: tuple[float, float], radius: float, turns: float, begin: float) -> NDArray[np.float64]:
    """A volute that runs in from ``radius`` to a third of it, clockwise from an angle."""
    t = np.linspace(0, 1, 160)
    r, angle = radius * (1 - 0.72 * t), begin + 2 * np.pi * turns * t
    return np.stack([middle[0] + r * np.cos(angle), middle[1] + r * np.sin(angle)], -1)


def _ridges(ways: list[NDArray[np.float64]], rows: int, columns: int, half: float) -> Pixels:
    """Round ridges along ways in shares of the height, three times beside each other so that they go round."""
    fine = 2
    ground = np.full((rows * fine, 3 * columns * fine), 255, np.uint8)
    for way in ways:
        for shift in range(3):
            at = (way * rows + np.array([shift * columns, 0])) * fine
            cv2.polylines(ground, [np.round(at * 16).astype(np.int32)], False, 0, 1, cv2.LINE_8, 4)
    away = cv2.distanceTransform(ground, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) / (half * rows * fine)
    tall = np.sqrt(np.maximum(1 - away * away, 0)).astype(np.float32)
    small = cv2.resize(tall, (3 * columns, rows), interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(small[:, columns : 2 * columns])


def _listels(rows: int) -> Pixels:
    """The two plain bands of a moulding along its borders."""
    y = (np.arange(rows, dtype=np.float32)[:, None] + 0.5) / rows
    total = np.zeros((rows, 1), np.float32)
    for place, half, high in ((0.1, 0.07, 0.8), (0.9, 0.07, 0.8), (0.215, 0.028, 0.5), (0.785, 0.028, 0.5)):
        total = np.maximum(total, high * np.sqrt(np.maximum(1 - ((y - place) / half) ** 2, 0)))
    return total


def moulding(rows: int = 256, columns: int = 384) -> Drawn:
    """A running scroll between two bands, one wave of it: it goes on in itself along its length."""
    long = columns / rows
    x = np.linspace(0, long, 200)
    wave = np.stack([x, 0.5 + 0.19 * np.cos(2 * np.pi * x / long)], -1)
    curl = _spiral((long / 2, 0.52), 0.2, 1.4, -np.pi / 2)
    leaves = [np.array([(long * k, 0.34), (long * k, 0.42)]) for k in (0.13, 0.87)]
    scroll = _ridges([wave, curl, *leaves], rows, columns, 0.052)
    bed = 0.12 + 0.05 * noise.lattice(rows, columns, 0.05, 97)
    total = np.maximum(np.maximum(scroll * np.float32(0.92), bed * _inside(rows)), _listels(rows))
    return Drawn(_softened(total.astype(np.float32), 1.0))


def _inside(rows: int) -> Pixels:
    y = (np.arange(rows, dtype=np.float32)[:, None] + 0.5) / rows
    return ((y > 0.1) & (y < 0.9)).astype(np.float32)


def moulding_end(rows: int = 256, columns: int = 288) -> Drawn:
    """The scrolled end of the moulding: its bands run together round a volute, its right side meets the wave."""
    long = columns / rows
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32) / np.float32(rows) + np.float32(0.5 / rows)
    # The bands as rings about the volute's middle, straight from there on.
    off = np.where(x < 0.5, np.hypot(x - 0.5, y - 0.5), np.abs(y - 0.5))
    bands = np.interp(0.5 - off, (np.arange(rows) + 0.5) / rows, _listels(rows)[:, 0])
    bands = np.where(off < 0.5, bands, 0).astype(np.float32)
    join = np.array([(long, 0.69), (0.5, 0.69)])
    curl = _spiral((0.5, 0.5), 0.19, 1.5, np.pi / 2)
    wide = np.zeros((rows, columns), np.float32)
    wide[:] = _ridges([join, curl], rows, columns, 0.052)
    wide[:, : columns // 12] = 0
    bed = np.where(off < 0.4, np.float32(0.14), np.float32(0))
    total = np.maximum(np.maximum(wide * np.float32(0.92), bed), bands)
    return Drawn(cv2.GaussianBlur(total, (0, 0), 1.0, borderType=cv2.BORDER_REPLICATE))
