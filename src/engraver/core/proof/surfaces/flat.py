"""The flat surface: one mark in its middle."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from ..scene import in_plaster
from .kind import Body, Grid, SurfaceKind

# The mark's width as a share of the surface's.
FLAT_MARK = 0.86


@lru_cache(maxsize=3)
def flat_grid(count: int) -> Grid:
    """A square in the plane z = 0."""
    axis = np.linspace(-1, 1, count, dtype=np.float32)
    x, y = np.meshgrid(axis, -axis)
    points = np.stack([x, y, np.zeros_like(x)], axis=-1)
    normals = np.zeros_like(points)
    normals[..., 2] = 1
    u = x / np.float32(2 * FLAT_MARK) + np.float32(0.5)
    v = -y / np.float32(2 * FLAT_MARK) + np.float32(0.5)
    return Grid(points, normals, u, v, 2 * FLAT_MARK)


BODY = Body(flat_grid, covered=FLAT_MARK, mark_share=FLAT_MARK, reach=1.04, upright=1.1, lamp_turns=True)
FLAT = SurfaceKind(
    id="flat", name="Flat", command="Proof on flat", key="2",
    draw=lambda sheet, check: in_plaster(BODY, sheet, check), body=BODY,
)  # fmt: skip
