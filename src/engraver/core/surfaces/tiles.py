"""The grids that a surface is made of, cut into tiles: where nothing is in a tile, few triangles show it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..numeric.split_rows import split_rows
from ..raster import Pixels

Faces = NDArray[np.int32]
Mask = NDArray[np.uint8]
# Squares of the grid along a tile's sides, and along those of the larger squares that show an empty one.
SIDE, STRIDES = 8, (8, 4)


@dataclass(frozen=True, slots=True, eq=False)
class Level:
    """Triangles that show t empty tiles, at one level of detail.

    Attributes
    ----------
    faces : int32 (t, k, 3)
    error : float32 (t,)
        How far a tile's points, without marks, lie beside its triangles at most, in scene units.
    """

    faces: Faces
    error: Pixels


@dataclass(frozen=True, eq=False)
class Tiles:
    """A surface's tiles, for t of them.

    Attributes
    ----------
    starts : int32 (t + 2,)
        Where each tile's triangles begin in the surface's; those from ``starts[t]`` on lie in no tile.
    held : int32 (t, (SIDE + 1)²)
        Its points, row by row; in a tile at a border, which may be smaller, the last ones come again.
    levels : tuple of Level
        One for each of :data:`STRIDES`.
    """

    starts: NDArray[np.int32]
    held: NDArray[np.int32]
    levels: tuple[Level, ...]

    @property
    def nbytes(self) -> int:
        return self.starts.nbytes + self.held.nbytes + sum(one.faces.nbytes + one.error.nbytes for one in self.levels)

    def with_any(self, marked: Mask) -> Mask:
        """Which tiles hold a point that is marked, 0 or 1: uint8 (t,), from uint8 (points,)."""
        from . import kernels

        found = np.empty(len(self.held), np.uint8)
        split_rows(lambda a, b: kernels.with_any(self.held, marked, a, b, found), len(found))
        return found

    def points_of(self, chosen: Mask, count: int) -> Mask:
        """Which of ``count`` points lie in the chosen tiles, 0 or 1: uint8 (count,)."""
        from . import kernels

        found = np.zeros(count, np.uint8)
        # A point that two parts share is marked by both: with the same.
        split_rows(lambda a, b: kernels.points_of(self.held, chosen, a, b, found), len(chosen))
        return found


def tiled(grids: Sequence[NDArray[np.integer]], faces: Faces, points: Pixels, normals: Pixels) -> tuple[Faces, Tiles]:
    """Triangles in the order of tiles, and the tiles.

    Parameters
    ----------
    grids : sequence of int (rows, columns)
        The numbers of the points in each grid.
    faces : int32 (m, 3)
        Of each grid those that :func:`~.ground.grid_faces` gives, one grid after the other, and then any others.
    points, normals : float32 (n, 3)
    """
    from . import kernels

    codes, held, spans, count = [], [], [], 0
    for grid in grids:
        rows, columns = (n - 1 for n in grid.shape)
        down, across = -(-rows // SIDE), -(-columns // SIDE)
        # There and back, so that tiles that follow each other lie beside each other.
        number = count + np.arange(down * across, dtype=np.int32).reshape(down, across)
        number[1::2] = number[1::2, ::-1]
        order = np.argsort(number, axis=None)
        of_square = np.repeat(np.repeat(number, SIDE, axis=0)[:rows], SIDE, axis=1)[:, :columns].ravel()
        codes += [of_square, of_square]
        y, x = (np.minimum(SIDE * np.arange(n)[:, None] + np.arange(SIDE + 1), end)
                for n, end in ((down, rows), (across, columns)))  # fmt: skip
        held.append(grid[y[:, None, :, None], x[None, :, None, :]].reshape(down * across, -1).take(order, axis=0))
        high, wide = y[:, -1] - y[:, 0], x[:, -1] - x[:, 0]
        spans.append(np.stack(np.broadcast_arrays(high[:, None], wide[None]), -1).reshape(-1, 2)[order])
        count += down * across
    codes.append(np.full(len(faces) - sum(len(c) for c in codes), count, np.int32))
    code, sorted_faces = np.concatenate(codes), np.empty(len(faces), np.int32)
    starts = np.zeros(count + 2, np.int32)
    kernels.fill_cells(code, starts, np.zeros(count + 1, np.int32), sorted_faces)
    inside, size = np.concatenate(held).astype(np.int32), np.concatenate(spans).astype(np.int32)
    levels = tuple(_level(points, normals, inside, size, stride) for stride in STRIDES)
    return faces.take(sorted_faces, axis=0), Tiles(starts, inside, levels)


def _level(points: Pixels, normals: Pixels, held: NDArray[np.int32], size: NDArray[np.int32], stride: int) -> Level:
    """The triangles of every ``stride``-th point along both ways; ``size`` (t, 2) is how many squares tiles have."""
    from . import kernels

    error = np.empty(len(held), np.float32)
    split_rows(lambda a, b: kernels.patch_errors(points, normals, held, size, stride, a, b, error), len(held))
    corners = held.reshape(-1, SIDE + 1, SIDE + 1)[:, ::stride, ::stride]
    a, b, c, d = corners[:, :-1, :-1], corners[:, :-1, 1:], corners[:, 1:, :-1], corners[:, 1:, 1:]
    faces = np.stack([np.stack([a, c, b], -1), np.stack([b, c, d], -1)], 3).reshape(len(held), -1, 3)
    return Level(np.ascontiguousarray(faces), error)
