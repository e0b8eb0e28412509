"""A surface at one density: its points, its triangles, and what lies beside what."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..numeric.point_bounds import point_bounds
from ..numeric.split_rows import split_rows
from ..raster import Pixels
from .tiles import Tiles, tiled

Faces = NDArray[np.int32]
Places = NDArray[np.float64]
# How a mark lies on it: straight down onto the plane, rolled round the x axis, or bent along the surface.
Lies = Literal["plane", "round", "bent"]
LIES: tuple[Lies, ...] = ("plane", "round", "bent")
# The surface is about so wide in scene units; a share of its width is so many of them.
SCENE = 2.0
# Points that a cell of the index holds on average.
_IN_A_CELL = 24
# Bits of a place along the curve that the order of triangles does without.
_LOOSE = 9


@dataclass(frozen=True, slots=True)
class Even:
    """Points in even rows and columns, each row after the other.

    The first point lies at (``x``, ``y``) in the surface's own plane: scene x, and scene y or the way round a tube;
    columns are ``right`` apart, rows ``down`` (below 0 where y falls).
    """

    rows: int
    columns: int
    x: float
    y: float
    right: float
    down: float

    def numbers(self) -> Places:
        """For the compiled loops."""
        return np.array([self.rows, self.columns, self.x, self.y, self.right, self.down], np.float64)


@dataclass(frozen=True, slots=True)
class Cells:
    """Points sorted into cubes of one size.

    ``starts`` (cells + 1,) says with which point each cell begins; a cell is counted along x, then y, then z from
    ``low``, ``per`` to a scene unit, ``dims`` of them along each axis.
    """

    starts: NDArray[np.int32]
    low: Places
    per: float
    dims: NDArray[np.int64]


def in_cells(points: Pixels) -> tuple[Cells, NDArray[np.int32]]:
    """Cells for points, and the points' numbers in the order of the cells."""
    from . import kernels

    low, high = point_bounds(points)
    span = np.maximum(high - low, 1e-6)
    # A closed surface has about two and a half times the area of its largest two sides.
    area = float(np.prod(np.sort(span)[1:])) * 2.5
    per = min(math.sqrt(max(len(points) / _IN_A_CELL, 1) / area), 400 / float(span.max()))
    dims = np.maximum(1, np.ceil(span * per)).astype(np.int64)
    cell = np.empty(len(points), np.int32)
    kernels.cells_of(points, low, per, dims, cell)
    total = int(np.prod(dims))
    starts, order = np.zeros(total + 1, np.int32), np.empty(len(points), np.int32)
    kernels.fill_cells(cell, starts, np.zeros(total, np.int32), order)
    return Cells(starts, low, per, dims), order


@dataclass(frozen=True, eq=False)
class Ground:
    """Points and triangles of a surface without marks.

    Attributes
    ----------
    points, normals : float32 (n, 3)
        In scene units: the surface is about 2 wide, x right, y up, z to the eye. Marks move points along normals.
    faces : int32 (m, 3)
        Triangles, seen from outside against the clock, those near each other in space near each other in order.
    coarse : int32 (k, 3)
        The same surface from fewer of the same points, for while it is turned.
    lies : {"plane", "round", "bent"}
    radius : float
        Of a surface round which marks are rolled.
    even : Even or None
        How its points stand in rows; None where they are sorted into ``cells``. Points after them close the surface
        and are not reached by marks.
    cells : Cells
        Where points are sorted into cells: they are numbered cell by cell.
    tiles : Tiles or None
        How its grids are cut into tiles; the triangles are in their order.
    open : bool
        It has borders, so that both of its sides can be seen.
    """

    points: Pixels
    normals: Pixels
    faces: Faces
    coarse: Faces
    lies: Lies
    radius: float = 1.0
    even: Even | None = None
    cells: Cells | None = None
    tiles: Tiles | None = None
    open: bool = False

    @property
    def count(self) -> int:
        return len(self.points)

    @property
    def nbytes(self) -> int:
        """Bytes of all that is kept, the index among them."""
        tiles = 0 if self.tiles is None else self.tiles.nbytes
        return 2 * self.points.nbytes + 3 * self.faces.nbytes + self.coarse.nbytes + 12 * self.count + tiles

    @cached_property
    def edge(self) -> float:
        """Distance between neighbouring points, in scene units: the side of a square of two usual triangles."""
        if self.even is not None:
            return math.sqrt(abs(self.even.right * self.even.down))
        some = self.faces[:: max(1, len(self.faces) // 20_000)]
        a, b, c = (self.points[some[:, k]].astype(np.float64) for k in range(3))
        return float(np.sqrt(np.median(np.linalg.norm(np.cross(b - a, c - a), axis=1))))

    @cached_property
    def around(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Where the triangles of each point begin, and those triangles."""
        from . import kernels

        starts = np.zeros(self.count + 1, np.int32)
        kernels.count_faces(self.faces, starts)
        listed = np.empty(self.faces.size, np.int32)
        kernels.list_faces(self.faces, starts, starts.copy(), listed)
        return starts, listed

    def renew_normals(self, points: Pixels, which: NDArray[np.int32], out: Pixels) -> None:
        """Into ``out``, float32 (n, 3), the normals of some points, by their numbers ``which`` (k,), where all points
        stand at ``points``, float32 (n, 3). Those after even rows keep theirs."""
        from . import kernels

        if self.even is not None:
            rows, columns, closed = self.even.rows, self.even.columns, self.lies == "round"
            kernels.even_normals_some(points, rows, columns, closed, which, out)
        else:
            kernels.normals_some(points, self.faces, *self.around, which, out)

    def renew_normals_in(
        self, near: NDArray[np.int32], points: Pixels, which: NDArray[np.int32], out: Pixels
    ) -> None:
        """As :meth:`renew_normals` for many points of a surface that has tiles: all their triangles lie in those of
        the numbers ``near`` (k,), or in none. Each triangle is looked at once."""
        from . import kernels

        assert self.tiles is not None
        (starts, listed), tiles = self.around, self.tiles
        slants = np.empty((len(self.faces), 3), np.float32)
        split_rows(lambda a, b: kernels.slants_in(points, self.faces, tiles.starts, near[a:b], slants), len(near))
        kernels.slants(points, self.faces, int(tiles.starts[-2]), len(self.faces), slants)
        split_rows(lambda a, b: kernels.normals_at(slants, starts, listed, which[a:b], out), len(which))

    def normals_of(self, points: Pixels) -> Pixels:
        """Normals of the same triangles with their points moved, float32 (n, 3)."""
        from . import kernels

        out = np.empty_like(points)
        if self.even is not None:
            rows, columns, closed = self.even.rows, self.even.columns, self.lies == "round"
            split_rows(lambda a, b: kernels.even_normals(points, rows, columns, closed, a, b, out), rows)
            out[rows * columns :] = self.normals[rows * columns :]
            return out
        starts, listed = self.around
        slants = np.empty((len(self.faces), 3), np.float32)
        split_rows(lambda a, b: kernels.slants(points, self.faces, a, b, slants), len(self.faces))
        split_rows(lambda a, b: kernels.normals(slants, starts, listed, a, b, out), self.count)
        return out


def ordered(points: Pixels, faces: Faces) -> Faces:
    """Triangles so that those near each other in space are near each other in order."""
    from . import kernels

    low, high = point_bounds(points)
    code = np.empty(len(faces), np.int32)
    scale = 1023 / max(float((high - low).max()), 1e-9)
    kernels.morton(points, faces, low, scale, code)
    # Sorted by all but the last bits, by counting: in one go through the triangles.
    code >>= _LOOSE
    bins, order = 1 << (30 - _LOOSE), np.empty(len(faces), np.int32)
    kernels.fill_cells(code, np.zeros(bins + 1, np.int32), np.zeros(bins, np.int32), order)
    return faces.take(order, axis=0)


def ground_of(
    points: NDArray[np.floating[Any]], normals: NDArray[np.floating[Any]], faces: Faces, coarse: Faces, lies: Lies,
    *, radius: float = 1.0, even: Even | None = None, grids: Sequence[NDArray[np.integer]] = (), open: bool = False,
) -> Ground:  # fmt: skip
    """A surface from its parts; see :class:`Ground`, and of ``grids`` :func:`~.tiles.tiled`."""
    places, ups, cells = np.ascontiguousarray(points, np.float32), np.ascontiguousarray(normals, np.float32), None
    if even is None:
        cells, order = in_cells(places)
        places, ups = places.take(order, axis=0), ups.take(order, axis=0)
        to = np.empty(len(order), np.int32)
        to[order] = np.arange(len(order), dtype=np.int32)
        faces, coarse, grids = to.take(faces), to.take(coarse), [to.take(grid) for grid in grids]
    listed, tiles = tiled(grids, faces, places, ups) if len(grids) else (ordered(places, faces), None)
    return Ground(places, ups, listed, ordered(places, coarse), lies, radius, even, cells, tiles, open)


def grid_faces(rows: NDArray[np.int64], columns: NDArray[np.int64], number: NDArray[np.int64]) -> Faces:
    """Two triangles for every square between some rows and columns of a grid of points.

    ``number`` (R, C) holds the points' numbers; rows go down, columns to the right, as seen from outside.
    """
    from . import kernels

    kept = np.ascontiguousarray(number[np.ix_(rows, columns)], np.int32)
    found = np.empty((2, len(rows) - 1, len(columns) - 1, 3), np.int32)
    kernels.grid_faces(kept, found[0], found[1])
    return found.reshape(-1, 3)


def thinned(count: int, step: int) -> NDArray[np.int64]:
    """Every so manieth of a row of points, its last among them."""
    kept = np.arange(0, count, max(1, step))
    return kept if kept[-1] == count - 1 else np.append(kept, count - 1)


# About so many points are drawn while a surface is turned.
COARSE_POINTS = 110_000


def stride(points: int) -> int:
    """Every so manieth point along each axis is kept for turning."""
    return max(1, round(math.sqrt(points / COARSE_POINTS)))
