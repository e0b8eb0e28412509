"""Tilings by formulas over a plate whose sides meet: every count is whole, so they close to the bit."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np

from ..raster import Pixels
from .sections import rounded
from .split_rows import split_rows
from .strew import draws


@dataclass(frozen=True, slots=True)
class Tiling:
    """What repeats, and its numbers.

    Attributes
    ----------
    kind : str
        A key of ``_KINDS``, or "rows".
    across, down : int
        Whole numbers of repeats.
    profile : str
        The section of a ridge, a key of ``_PROFILES``.
    width, joint, bevel, worn, shift, overlap : float
        Shares 0..1: of a ridge of its room; of a joint of a piece's smaller side; over which a piece rises; how round
        its corners are; by which every second row lies to the right; of a piece that the next row covers.
    twist : int
        Turns of a strand from border to border.
    piece : str
        How a piece of overlapping rows ends: round, square or pointed.
    jitter : float
        How much lower pieces are by chance, 0..1; ``seed`` draws a height for each.
    """

    kind: str
    across: int = 6
    down: int = 8
    profile: str = "round"
    width: float = 0.7
    joint: float = 0.08
    bevel: float = 0.15
    worn: float = 0.2
    shift: float = 0.5
    twist: int = 2
    overlap: float = 0.5
    piece: str = "round"
    jitter: float = 0.0
    seed: int = 0


# Height 0..1 by the way -1..1 from the middle of a ridge to its sides.
_PROFILES: Mapping[str, Callable[[Pixels], Pixels]] = MappingProxyType({
    "round": lambda d: np.sqrt(np.maximum(1 - d * d, 0)),
    "sharp": lambda d: np.maximum(1 - np.abs(d), 0),
    "flat": lambda d: np.clip((1 - np.abs(d)) * np.float32(8), 0, 1),
    "wave": lambda d: np.where(np.abs(d) < 1, np.float32(0.5) + np.float32(0.5) * np.cos(np.pi * d), np.float32(0)),
})  # fmt: skip


def _ridge(t: Pixels, form: Tiling) -> Pixels:
    """A ridge in the middle of each whole step of ``t``."""
    d = (t - np.floor(t) - np.float32(0.5)) * np.float32(2 / form.width)
    ridge: Pixels = _PROFILES[form.profile](d)
    return ridge


def _piece_heights(form: Tiling, across: Pixels, down: Pixels, rows: int) -> Pixels | float:
    """How high each piece stands, by its whole numbers across and down; there are so many rows."""
    if form.jitter <= 0:
        return 1.0
    drawn = draws(form.seed, form.across * rows, 1).astype(np.float32)
    place = np.mod(down, rows).astype(np.int64) * form.across + np.mod(across, form.across).astype(np.int64)
    found: Pixels = 1 - np.float32(form.jitter) * drawn[place]
    return found


def _rise(depth: Pixels, over: float) -> Pixels:
    """From 0 at a border to 1 ``over`` inside it, rounded."""
    if over <= 0:
        return (depth > 0).astype(np.float32)
    return rounded(np.clip(depth / np.float32(over), 0, 1))


def _slabs(x: Pixels, y: Pixels, form: Tiling, ratio: float) -> Pixels:
    """Slabs in rows; ``x`` and ``y`` run 0..1 over the plate, which is ``ratio`` times as wide as high."""
    v = y * np.float32(form.down)
    row = np.floor(v)
    u = x * np.float32(form.across) - (np.mod(row, 2) * np.float32(form.shift) if form.kind == "running" else 0)
    column = np.floor(u)
    # Of one slab, with its smaller side as the unit.
    wide, tall = ratio / form.across, 1 / form.down
    small = min(wide, tall)
    px = (np.abs(u - column - np.float32(0.5)) - np.float32(0.5)) * np.float32(-wide / small)
    py = (np.abs(v - row - np.float32(0.5)) - np.float32(0.5)) * np.float32(-tall / small)
    px, py = px - np.float32(form.joint / 2), py - np.float32(form.joint / 2)
    # Distance inside a box with round corners.
    radius = np.float32(form.worn * (1 - form.joint) / 2)
    away = np.hypot(np.maximum(radius - px, 0), np.maximum(radius - py, 0))
    depth = np.where((px < radius) & (py < radius), radius - away, np.minimum(px, py))
    return _rise(depth, form.bevel * (1 - form.joint) / 2) * _piece_heights(form, column, row, form.down)


def _six_sided(x: Pixels, y: Pixels, form: Tiling, ratio: float) -> Pixels:
    """Cells round the points of a six-sided grid: an even number of rows, so that it closes."""
    down = max(2, 2 * round(form.down / 2))
    wide, tall = ratio / form.across, 1 / down
    first = np.full(np.broadcast(x, y).shape, np.inf, np.float32)
    second = first.copy()
    who_x, who_y = np.zeros_like(first), np.zeros_like(first)
    base = np.floor(y * down)
    for step in (-1, 0, 1, 2):
        row = base + step - 1
        odd = np.mod(row, 2)
        near = np.floor(x * form.across - odd * np.float32(0.5))
        for side in (-1, 0, 1):
            column = near + side
            dx = (x - (column + np.float32(0.5) + odd * np.float32(0.5)) / form.across) * np.float32(ratio)
            dy = y - (row + np.float32(0.5)) / down
            far = np.hypot(dx, dy).astype(np.float32)
            nearer = far < first
            second = np.where(nearer, first, np.minimum(second, far))
            who_x, who_y = np.where(nearer, column, who_x), np.where(nearer, row, who_y)
            first = np.where(nearer, far, first)
    small = np.float32(min(wide, tall * 2 / math.sqrt(3)))
    depth = (second - first) / small - np.float32(form.joint)
    return _rise(depth, form.bevel) * _piece_heights(form, who_x, who_y, down)


def _weave(x: Pixels, y: Pixels, form: Tiling, ratio: float) -> Pixels:
    """Threads over and under each other in turn; an even number each way, so that it closes."""
    across, down = (max(2, 2 * round(n / 2)) for n in (form.across, form.down))
    u, v = x * np.float32(across), y * np.float32(down)
    i, j = np.floor(u), np.floor(v)
    warp, weft = _ridge(u, form), _ridge(v, form)
    # A thread rises over the crossing that is its own and sinks under the next.
    up = np.cos(np.pi * (v - np.float32(0.5))) * np.where(np.mod(i, 2) == 0, 1, -1)
    over = np.cos(np.pi * (u - np.float32(0.5))) * np.where(np.mod(j, 2) == 0, -1, 1)
    lift = np.float32(0.5)
    standing = np.where(warp > 0, warp * (1 - lift) + lift * (np.float32(0.5) + np.float32(0.5) * up), 0)
    lying = np.where(weft > 0, weft * (1 - lift) + lift * (np.float32(0.5) + np.float32(0.5) * over), 0)
    found: Pixels = np.maximum(standing, lying)
    return found


def _strands(x: Pixels, y: Pixels, form: Tiling, ratio: float) -> Pixels:
    """Strands that run across and lie aslant in their cord, ``twist`` turns from border to border."""
    v = y * np.float32(form.down)
    t = v - np.floor(v) - np.float32(0.5)
    body = np.sqrt(np.maximum(1 - (2 * t) ** 2, 0))
    # On a cord's round front a strand goes from one side to the other over half a turn.
    angle = np.arcsin(np.clip(2 * t, -1, 1)) / np.float32(np.pi)
    strand = _ridge(x * np.float32(form.across * form.twist) + angle * 2, form)
    found: Pixels = body * (np.float32(0.55) + np.float32(0.45) * strand)
    return found


def _dots(x: Pixels, y: Pixels, form: Tiling, ratio: float) -> Pixels:
    """Domes on a grid."""
    u, v = x * np.float32(form.across), y * np.float32(form.down)
    i, j = np.floor(u), np.floor(v)
    wide, tall = ratio / form.across, 1 / form.down
    small = min(wide, tall) * form.width / 2
    r = np.hypot(
        (u - i - np.float32(0.5)) * np.float32(wide / small), (v - j - np.float32(0.5)) * np.float32(tall / small)
    )
    found: Pixels = np.sqrt(np.maximum(1 - r * r, 0)) * _piece_heights(form, i, j, form.down)
    return found


def _end(d: Pixels, form: Tiling) -> Pixels:
    """How far down a piece reaches at ``d`` -1..1 across it, as a share of its half width above its end."""
    if form.piece == "round":
        bow: Pixels = 1 - np.sqrt(np.maximum(1 - d * d, 0))
        return bow
    return np.abs(d) if form.piece == "pointed" else np.zeros_like(d)


def _rows(x: Pixels, y: Pixels, form: Tiling, ratio: float, plate: Pixels | None) -> Pixels:
    """Each row lies over the one below it; a piece rises from its head to its end, as tiles on a roof do."""
    down = max(2, 2 * round(form.down / 2))
    v = y * np.float32(down)
    wide, tall = ratio / form.across, 1 / down
    long = 1 / (1 - form.overlap)  # of a piece, in rows
    found = np.zeros(np.broadcast(x, y).shape, np.float32)
    taken = np.zeros(found.shape, bool)
    base = np.floor(v)
    # From the piece that lies highest at a place (whose row begins farthest up) down to those under it.
    for back in range(math.ceil(long) + 1, -1, -1):
        row = base - back
        u = x * np.float32(form.across) - np.mod(row, 2) * np.float32(form.shift)
        column = np.floor(u)
        d = (u - column - np.float32(0.5)) * 2
        t = (v - row) / np.float32(long)  # 0 at its head, 1 at its end
        end = 1 - _end(d, form) * np.float32(wide / 2 / (tall * long)) if plate is None else np.ones_like(d)
        here = (t >= 0) & (t < end) & ~taken
        if plate is None:
            depth = np.minimum((1 - np.abs(d)) * np.float32(0.5), (end - t) * np.float32(tall * long / wide))
            height = (np.float32(0.35) + np.float32(0.65) * t) * _rise(depth, max(form.bevel * 0.5, 1e-3))
        else:
            side = plate.shape[0]
            k = np.clip((t * side).astype(np.int64), 0, side - 1)
            m = np.clip(((d + 1) * (side / 2)).astype(np.int64), 0, side - 1)
            height = plate[k, m]
            here &= height > 0
            height = (np.float32(0.35) + np.float32(0.65) * t) * height
        found = np.where(here, height * _piece_heights(form, column, row, down), found)
        taken |= here
    return found


def _round(x: Pixels, y: Pixels, form: Tiling, ratio: float) -> Pixels:
    """Grooves in rings, rays or one spiral round the middle."""
    dx, dy = (x - np.float32(0.5)) * np.float32(ratio), y - np.float32(0.5)
    r = np.hypot(dx, dy) * np.float32(2 * form.across / min(1.0, ratio))
    if form.kind == "rings":
        return _ridge(r, form)
    angle = np.arctan2(dy, dx) / np.float32(2 * np.pi) + np.float32(0.5)
    return _ridge(angle * form.across, form) if form.kind == "rays" else _ridge(r + angle, form)


def _grooves(x: Pixels, y: Pixels, form: Tiling, ratio: float) -> Pixels:
    return _ridge(x * np.float32(form.across) + 0 * y, form)


_KINDS: Mapping[str, Callable[[Pixels, Pixels, Tiling, float], Pixels]] = MappingProxyType({
    "grooves": _grooves, "rings": _round, "rays": _round, "spiral": _round, "running": _slabs, "stacked": _slabs,
    "six-sided": _six_sided, "weave": _weave, "strands": _strands, "dots": _dots,
})  # fmt: skip


def tiling(rows: int, columns: int, form: Tiling, plate: Pixels | None = None) -> Pixels:
    """Heights 0..1 of a tiling, float32 (rows, columns).

    All but rings, rays and spirals go on over the borders: a pixel's place is counted in repeats, of which the
    plate holds whole numbers. A running bond, six-sided cells, a weave and overlapping rows take an even number
    of rows.

    Parameters
    ----------
    plate : float32 (n, n), optional
        What lies in overlapping rows in place of a form.
    """
    down = form.down if form.kind != "running" or form.down % 2 == 0 else form.down + 1
    form = Tiling(**{**{n: getattr(form, n) for n in form.__slots__}, "down": down})
    out = np.empty((rows, columns), np.float32)
    x = ((np.arange(columns, dtype=np.float32) + np.float32(0.5)) / np.float32(columns))[None]

    def part(first: int, end: int) -> None:
        y = ((np.arange(first, end, dtype=np.float32) + np.float32(0.5)) / np.float32(rows))[:, None]
        if form.kind == "rows":
            out[first:end] = _rows(x, y, form, columns / rows, plate)
        else:
            out[first:end] = _KINDS[form.kind](x, y, form, columns / rows)

    split_rows(part, rows, 64)
    return out
