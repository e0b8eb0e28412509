"""Sculpted props as meshes, each with its truth: an oyster shell, a tilted carved panel, a pot with a frieze."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from engraver.core.numeric import noise
from engraver.core.raster import Pixels

from .harbour import knot_band

Matrix = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Cast:
    """A mesh in millimetres, and the relief it was made from.

    Attributes
    ----------
    points : float64 (N, 3)
    faces : int32 (M, 3)
    truth : float32 (H, W)
        Heights of the relief in millimetres, row 0 at its top; of the pot the frieze, wrapping across.
    """

    points: Matrix
    faces: NDArray[np.int32]
    truth: Pixels

    def file(self) -> bytes:
        """A binary PLY (G. Turk, 1994)."""
        head = (
            f"ply\nformat binary_little_endian 1.0\nelement vertex {len(self.points)}\n"
            "property float x\nproperty float y\nproperty float z\n"
            f"element face {len(self.faces)}\nproperty list uchar int vertex_indices\nend_header\n"
        )
        rows = np.empty(len(self.faces), np.dtype([("count", "u1"), ("corners", "<i4", 3)]))
        rows["count"], rows["corners"] = 3, self.faces
        return head.encode() + self.points.astype("<f4").tobytes() + rows.tobytes()


def _lattice(rows: int, columns: int, *, closed: bool) -> NDArray[np.int32]:
    """Two triangles for each cell of a lattice, row by row; ``closed`` joins the last column to the first."""
    n = np.arange(rows * columns, dtype=np.int32).reshape(rows, columns)
    right = np.roll(n, -1, axis=1)
    if not closed:
        n, right = n[:, :-1], right[:, :-1]
    a, b, c, d = n[:-1], right[:-1], n[1:], right[1:]
    return np.concatenate([np.stack([a, c, b], -1).reshape(-1, 3), np.stack([b, c, d], -1).reshape(-1, 3)])


def _turned(x: float, y: float, z: float) -> Matrix:
    """A rotation about x, then y, then z, in degrees."""
    matrix = np.eye(3)
    for axis, degrees in enumerate((x, y, z)):
        c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        one = np.eye(3)
        i, j = (axis + 1) % 3, (axis + 2) % 3
        one[i, i], one[i, j], one[j, i], one[j, j] = c, -s, s, c
        matrix = one @ matrix
    return matrix


def knot_panel(side: int = 256, width: float = 90.0) -> Cast:
    """A panel with a round band that goes over and under itself; its file has it tilted and off the middle."""
    fine = 3
    x, y, depth = knot_band(3)
    places = np.stack([x, y], axis=1) * side * fine * 0.38 + side * fine / 2
    height = np.zeros((side * fine, side * fine), np.float32)
    half = 0.047 * side * fine
    order = np.argsort(depth)
    reach = int(half) + 1
    v, u = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    round_ = np.sqrt(np.maximum(1 - (u * u + v * v) / (half * half), 0))
    for n in order:  # the lowest first; what lies over it covers it
        r, c = int(places[n, 1]) - reach, int(places[n, 0]) - reach
        spot = height[r : r + 2 * reach + 1, c : c + 2 * reach + 1]
        level = np.float32(1.1 + 0.8 * depth[n])
        np.maximum(spot, round_ * 1.5 + np.where(round_ > 0, level, 0), out=spot)
    height = cv2.GaussianBlur(height, (0, 0), 0.006 * side * fine)
    height = cv2.resize(height, (side, side), interpolation=cv2.INTER_AREA)
    height += np.float32(0.10) * (noise.lattice(side, side, 0.02, 91) - np.float32(0.5))
    y_, x_ = np.mgrid[0:side, 0:side] * (width / (side - 1))
    points = np.stack([x_ - width / 2, width / 2 - y_, height], axis=-1).reshape(-1, 3)
    points = points @ _turned(17.0, -11.0, 6.0).T + (140.0, 35.0, -20.0)
    return Cast(points, _lattice(side, side, closed=False), height)


def oyster_shell(rings: int = 182, around: int = 360, width: float = 84.0) -> Cast:
    """A shell's outside: a cup with frilled layers that grew one over the other."""
    r = np.linspace(0.0, 1.0, rings)[:, None]
    a = np.arange(around) * 2 * np.pi / around
    outline = 0.40 * (1 + 0.16 * np.cos(a - 0.5) + 0.07 * np.sin(2 * a + 1) + 0.025 * np.sin(7 * a))
    rough = noise.lattice(rings, around, 0.35, 95, octaves=3) - np.float32(0.5)
    fade = np.minimum(1, r * 6)
    rough = rough * (0.5 - 0.5 * np.cos(np.minimum(a, 2 * np.pi - a)))  # no leap where the circle closes
    phase = 8.5 * r + 0.22 * np.sin(3 * a + 2.4 * r) + 0.9 * rough * fade
    layer = phase - np.floor(phase)
    frill = np.where(layer < 0.84, layer / 0.84, (1 - layer) / 0.16)
    cup = 0.19 * np.power(np.maximum(1 - r * r, 0), 0.7)
    ribs = 0.006 * r * np.cos(23 * a + 3 * np.sin(2 * np.pi * r))
    z = cup + 0.024 * frill * fade * (0.6 + 0.4 * np.cos(a - 0.5)) + ribs * frill + 0.03 * rough * fade
    points = np.stack([r * outline * np.cos(a), r * outline * np.sin(a), z + 0 * a], axis=-1).reshape(-1, 3)
    return Cast(points * width, _lattice(rings, around, closed=True), (z * width).astype(np.float32))


def frieze(rows: int, columns: int) -> Pixels:
    """Heights 0..1 of a plait of two bands between mouldings, (rows, columns), wrapping across."""
    a = np.arange(columns) * 2 * np.pi / columns
    up = np.linspace(-1, 1, rows)[:, None]
    total = np.zeros((rows, columns))
    for way in (1, -1):
        middle = 0.42 * way * np.sin(5 * a)
        slope = 0.42 * 5 * np.cos(5 * a)
        away = np.abs(up - middle) / np.hypot(1, slope * 0.37) / 0.17
        over = 0.72 + 0.28 * way * np.cos(5 * a)
        total = np.maximum(total, np.sqrt(np.maximum(1 - away * away, 0)) * over)
    for place, half in ((0.84, 0.06), (-0.84, 0.06), (0.68, 0.025), (-0.68, 0.025)):
        total = np.maximum(total, 0.75 * np.sqrt(np.maximum(1 - ((up - place) / half) ** 2, 0)) + 0 * a)
    soft: Pixels = cv2.GaussianBlur(np.tile(total.astype(np.float32), (1, 3)), (0, 0), columns / 640)
    return np.ascontiguousarray(soft[:, columns : 2 * columns])


def frieze_pot(rows: int = 180, columns: int = 720, height: float = 70.0) -> Cast:
    """A pot that tapers a little, carved all round; it leans in its file. Closed by nothing: wall only."""
    truth = 1.6 * frieze(rows, columns)
    a = -np.arange(columns) * 2 * np.pi / columns  # seen from outside the picture runs to the right
    up = np.linspace(1, 0, rows)[:, None]
    radius = 30 + 2.0 * (up - 0.5) + truth
    points = np.stack([radius * np.cos(a), -radius * np.sin(a), height * up + 0 * a], axis=-1).reshape(-1, 3)
    points = points @ _turned(8.0, -5.0, 0.0).T + (0.0, 60.0, 15.0)
    return Cast(points, _lattice(rows, columns, closed=True)[:, ::-1].copy(), truth.astype(np.float32))


def boat_hull(stations: int = 161, around: int = 192) -> Cast:
    """A small boat's hull, keel up, as one closed body: sections of a superellipse, a slightly cambered deck."""
    along = np.linspace(-1, 1, stations)
    breadth = 26 * np.maximum(1 - np.abs(along) ** 2.6, 0.0) ** 0.55 + 0.05
    depth = 24 * np.maximum(1 - np.abs(along) ** 4, 0.0) ** 0.5 + 0.05
    angle = np.arange(around) * 2 * np.pi / around
    across = breadth[:, None] * np.sign(np.cos(angle)) * np.abs(np.cos(angle)) ** 0.8
    keel = np.where(np.sin(angle) > 0, np.abs(np.sin(angle)) ** 0.75, -0.16 * np.abs(np.sin(angle)))
    points = np.stack([70 * along[:, None] + 0 * angle, across, depth[:, None] * keel], axis=-1).reshape(-1, 3)
    ends = np.array([[-70.2, 0.0, 0.0], [70.2, 0.0, 0.0]])
    count = stations * around
    ring, beside = np.arange(around), (np.arange(around) + 1) % around
    last = (stations - 1) * around
    caps = [np.stack([np.full(around, count), beside, ring], -1),
            np.stack([np.full(around, count + 1), last + ring, last + beside], -1)]  # fmt: skip
    faces = np.concatenate([_lattice(stations, around, closed=True)[:, ::-1], *caps]).astype(np.int32)
    return Cast(np.concatenate([points, ends]), faces, np.zeros((1, 1), np.float32))
