"""The pipe: a closed tube that lies across."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from .ground import Even, Ground, Places, grid_faces, ground_of, stride, thinned
from .kind import Geometry, SurfaceKind
from .view import Eye

RADIUS, HALF = 0.46, 1.25


def build(points: int, own: Any) -> Ground:
    """The tube with its two lids; marks reach the tube alone."""
    round_, long = 2 * math.pi * RADIUS, 2 * HALF
    step = stride(points)
    apart = math.sqrt(round_ * long / points)
    rows = max(12, round(round_ / apart / step) * step)
    columns = max(8, round(long / apart)) + 1
    angle = 2 * math.pi * np.arange(rows) / rows
    x = np.linspace(-HALF, HALF, columns)
    normals = np.stack([np.zeros(rows), np.cos(angle), np.sin(angle)], -1)
    on = np.empty((rows, columns, 3))
    on[..., 0], on[..., 1:] = x, RADIUS * normals[:, None, 1:]
    number = np.arange(rows * columns).reshape(rows, columns)
    number = np.vstack([number, number[:1]])  # the last row is the first again
    count = rows * columns
    places, ups, lids = [on.reshape(-1, 3)], [np.repeat(normals, columns, axis=0)], []
    for side, out in ((0, -1.0), (columns - 1, 1.0)):
        rim = on[:, side]
        places += [rim, np.array([[out * HALF, 0.0, 0.0]])]
        ups.append(np.broadcast_to([out, 0.0, 0.0], (rows + 1, 3)))
        a, b = count + np.arange(rows), count + (np.arange(rows) + 1) % rows
        lids.append(np.stack([np.full(rows, count + rows), *((a, b) if out > 0 else (b, a))], -1))
        count += rows + 1
    few_rows = np.append(np.arange(0, rows, step), rows)
    all_of = np.concatenate([grid_faces(np.arange(rows + 1), np.arange(columns), number), *lids]).astype(np.int32)
    few = np.concatenate([grid_faces(few_rows, thinned(columns, step), number), *lids]).astype(np.int32)
    return ground_of(
        np.concatenate(places), np.concatenate(ups), all_of, few, "round", radius=RADIUS,
        even=Even(rows, columns, -HALF, 0.0, long / (columns - 1), round_ / rows), grids=[number],
    )  # fmt: skip


def onto(places: Places, own: Any) -> tuple[Places, Places]:
    """Straight in or out from the axis, within the tube's length."""
    on, normals = places.copy(), np.zeros_like(places)
    away = np.hypot(places[:, 1], places[:, 2])
    safe = np.maximum(away, 1e-9)
    normals[:, 1] = np.where(away > 1e-9, places[:, 1] / safe, 0)
    normals[:, 2] = np.where(away > 1e-9, places[:, 2] / safe, 1)
    on[:, 1:] = RADIUS * normals[:, 1:]
    on[:, 0] = np.clip(on[:, 0], -HALF, HALF)
    return on, normals


def chart(x: Places, y: Places) -> Places:
    """Along it to the right, and from its back over the top, the front and the bottom to the back."""
    angle = (0.5 - y) * 2 * math.pi
    return np.stack([(2 * x - 1) * HALF, RADIUS * np.sin(angle), RADIUS * np.cos(angle)], -1)


def uncharted(places: Places) -> tuple[Places, Places]:
    """Along it and round it."""
    return (places[:, 0] / HALF + 1) / 2, 0.5 - np.arctan2(places[:, 1], places[:, 2]) / (2 * math.pi)


PIPE = SurfaceKind(
    id="pipe", name="Pipe", help="A tube: marks roll round it without being stretched.",
    geometry=Geometry(build, onto, chart, uncharted, axis=0, reach=1.36), eye=Eye(tilt=12.0, turn=-14.0),
    tilts=(-170.0, 170.0),
)  # fmt: skip
