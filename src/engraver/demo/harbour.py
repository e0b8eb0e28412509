"""More harbour props: a net's weave, knot-work drawn in ink, a cork float with frayed strands. Made up, seeded."""

from __future__ import annotations

import math

import cv2
import numpy as np

from engraver.core.numeric import blur, noise
from engraver.core.raster import Pixels

_BITS = 4
_FINE = 1 << _BITS


def net_weave(height: int, width: int, seed: int = 41) -> Pixels:
    """Heights 0..1 of a knotted net lying flat: two families of twisted cords, and a knot where they cross."""
    short = min(height, width)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32) / np.float32(short)
    sway = (noise.lattice(height, width, 0.5, seed, octaves=1) - np.float32(0.5)) * np.float32(0.03)
    pitch, cord = 0.115, 0.021
    total = np.zeros((height, width), np.float32)
    for sign in (1.0, -1.0):
        across = (x + sign * y + sway) / pitch
        along = (x - sign * y + sway) / pitch
        away = (across - np.floor(across) - np.float32(0.5)) * np.float32(pitch / math.sqrt(2))
        profile = np.sqrt(np.clip(1 - (away / np.float32(cord)) ** 2, 0, 1))
        twist = 0.82 + 0.18 * np.sin(2 * np.pi * (along * 5.5 + sign * away * 26))
        over = 0.12 * sign * np.cos(2 * np.pi * (along + 0.5))
        np.maximum(total, (profile * (0.62 * twist + over)).astype(np.float32), out=total)
    a, b = (x + y + sway) / pitch, (x - y + sway) / pitch
    u, v = a - np.floor(a) - np.float32(0.5), b - np.floor(b) - np.float32(0.5)
    knot = np.clip(1 - (u * u + v * v) / np.float32(0.1), 0, 1) ** 0.5
    lobes = 0.88 + 0.12 * np.cos(4 * np.arctan2(v, u) + 9 * np.hypot(u, v))
    np.maximum(total, (0.98 * knot * lobes).astype(np.float32), out=total)
    fibres = noise.lattice(height, width, 0.006, seed + 1, octaves=2) - np.float32(0.5)
    return blur.gaussian(np.clip(total * (1 + 0.16 * fibres), 0, 1), short / 1400)


def _knot(kind: int, turns: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A closed band through space: x, y in about -1..1 and depth, by the angle ``turns``."""
    p, q = ((2, 3), (2, 5), (3, 4), (3, 5), (2, 7), (4, 5))[kind % 6]
    radius = 0.62 + 0.36 * np.cos(q * turns / p * 1.0)
    turn = turns
    return radius * np.cos(turn), radius * np.sin(turn), np.sin(q * turns / p)


def knot_band(kind: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Places along one piece of knot-work: x, y in about -1..1, and depth in -1..1, nearer above."""
    laps = (2, 2, 3, 3, 2, 4)[kind % 6]
    return _knot(kind, np.linspace(0, 2 * np.pi * laps, 720 * laps, endpoint=False))


def knot_drawing(side: int, kind: int) -> Pixels:
    """Ink 0..1 of one piece of knot-work, (side, side): the outlines of a band that goes over and under itself."""
    laps = (2, 2, 3, 3, 2, 4)[kind % 6]
    x, y, depth = knot_band(kind)
    places = np.stack([x, y], axis=1) * side * 0.44 + side / 2
    canvas = np.zeros((side, side), np.uint8)
    wide, pen = side * (0.12 if laps < 4 else 0.09), side * 0.016
    piece = 24
    starts = np.arange(0, len(depth), piece)
    for start in starts[np.argsort(depth[starts + piece // 2], kind="stable")]:
        around = np.arange(start - 5, start + piece + 6) % len(depth)
        own = np.arange(start - 1, start + piece + 2) % len(depth)
        for run, thick, tone in ((around, wide, 0), (own, wide, 255), (around, wide - 2 * pen, 0)):
            path = np.round(places[run] * _FINE).astype(np.int32)
            cv2.polylines(canvas, [path[:, None]], False, tone, max(1, round(thick)), cv2.LINE_AA, _BITS)
    return canvas.astype(np.float32) / np.float32(255)


def cork_float(height: int, width: int, seed: int = 53) -> tuple[Pixels, Pixels]:
    """Tone 0..1 of a cork float's face, and its matte with the frayed strands round its rim, (height, width) each."""
    rng = np.random.Generator(np.random.PCG64(seed))
    short = min(height, width)
    fine = 2
    mask = np.zeros((height * fine, width * fine), np.uint8)
    cx, cy, reach = width * fine / 2, height * fine / 2, short * fine
    turn = math.radians(14)
    cv2.ellipse(
        mask, (round(cx), round(cy)), (round(0.3 * reach), round(0.24 * reach)), 14, 0, 360, 255, -1, cv2.LINE_AA
    )
    for _ in range(150):
        at = rng.uniform(0, 2 * math.pi)
        a, b = 0.295 * math.cos(at), 0.235 * math.sin(at)
        root = np.array([math.cos(turn) * a - math.sin(turn) * b, math.sin(turn) * a + math.cos(turn) * b])
        out = root / np.hypot(*root)
        aside = np.array([-out[1], out[0]]) * rng.uniform(-0.9, 0.9)
        long = rng.uniform(0.012, 0.034)
        way = [root + long * ((u - 0.3) * out + u * u * aside) for u in np.linspace(0, 1, 10)]
        path = ((np.array(way) * reach + (cx, cy)) * _FINE).astype(np.int32)
        thick = max(1, round(reach * rng.uniform(0.0009, 0.0024)))
        cv2.polylines(mask, [path[:, None]], False, 255, thick, cv2.LINE_AA, _BITS)
    small = cv2.resize(mask, (width, height), interpolation=cv2.INTER_AREA).astype(np.float32) / np.float32(255)
    alpha = blur.gaussian(small, 0.6)
    coarse = noise.lattice(height, width, 0.06, seed + 1) - np.float32(0.5)
    pores = np.clip(noise.lattice(height, width, 0.03, seed + 2, octaves=2) - np.float32(0.62), 0, 1) * np.float32(
        2.6
    )
    grain = noise.lattice(height, width, 0.008, seed + 3, octaves=2) - np.float32(0.5)
    tone = 0.5 + 0.22 * coarse + 0.16 * grain - 1.3 * pores
    return np.clip(tone, 0.05, 1).astype(np.float32), alpha
