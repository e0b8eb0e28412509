"""A mesh as the capture sees it: triangles, in points relative to their middle."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import BadMesh, Watch, unwatched
from ..numeric.point_bounds import point_bounds

Points = NDArray[np.float32] | NDArray[np.float64]
Faces = NDArray[np.int32]
Vector = NDArray[np.float64]
MAX_TRIANGLES = 60_000_000
_AGAIN = "Export the mesh again from where it came from, or choose another one"


def broken(name: str, why: str = "the file is damaged or was cut short") -> BadMesh:
    """The one sentence for a mesh that cannot be read."""
    return BadMesh(f"{name} cannot be read", why, _AGAIN)


@dataclass(frozen=True, slots=True, eq=False)
class Mesh:
    """Triangles with shared points. Make one with :func:`mesh_of`.

    Attributes
    ----------
    points : float32 (N, 3)
        Relative to ``origin``, so that large coordinates keep their fine digits.
    faces : int32 (M, 3)
    origin : float64 (3,)
        The middle of the box around all points, in the file's units.
    part : int16 (M,) or None
        Which body each triangle belongs to; None when there is one.
    names : tuple of str
        The bodies' names, in order of their numbers.
    unit : str
        What the format says its lengths are in; "" when it does not.
    """

    points: Points
    faces: Faces
    origin: Vector
    part: NDArray[np.int16] | None = None
    names: tuple[str, ...] = ()
    unit: str = ""

    @property
    def nbytes(self) -> int:
        return self.points.nbytes + self.faces.nbytes + (0 if self.part is None else self.part.nbytes)

    @property
    def extent(self) -> Vector:
        """Size of the box around all points, (3,), in the file's units."""
        low, high = point_bounds(self.points)
        return high - low

    def body(self, number: int) -> Mesh:
        """Only the body of this number, counted from 1; all of them for 0."""
        if number <= 0 or self.part is None or number > len(self.names):
            return self
        faces = self.faces.take(np.flatnonzero(self.part == number - 1), axis=0)
        used = np.zeros(len(self.points), bool)
        used[faces.ravel()] = True
        to = np.cumsum(used, dtype=np.int32) - 1
        points = self.points.take(np.flatnonzero(used), axis=0)
        return Mesh(points, to.take(faces), self.origin, None, (), self.unit)


Body = tuple[NDArray[np.floating[Any]], NDArray[np.integer[Any]]]


def together(bodies: Iterable[Body]) -> tuple[NDArray[np.floating[Any]], Faces]:
    """Several bodies, each points (n, 3) and triangles (m, 3), as one list of points and one of triangles."""
    listed = list(bodies)
    firsts = np.cumsum([0, *(len(points) for points, _ in listed)])
    faces = [f + first for (_, f), first in zip(listed, firsts, strict=False)]
    return np.concatenate([points for points, _ in listed]), np.ascontiguousarray(np.concatenate(faces), np.int32)


def inside_out(points: NDArray[np.floating[Any]], faces: NDArray[np.integer[Any]]) -> bool:
    """Whether triangles (m, 3) between points (n, 3) face inwards: by the volume that they close with the points'
    middle, below 0 then (the divergence theorem)."""
    middle = points.mean(axis=0)
    a, b, c = (points.take(faces[:, k], axis=0) - middle for k in range(3))
    return float((a * np.cross(b, c)).sum()) < 0


def _joined(points: Points, check: Watch) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Places of points that differ, and the number of each point among them."""
    from . import kernels

    bits = points.view(np.int32)
    table = np.full(1 << max(3, int(len(points) * 1.6).bit_length()), -1, np.int32)
    first, to = np.empty(len(points), np.int32), np.empty(len(points), np.int32)
    check()
    count = kernels.join(points, bits, table, first, to)
    return first[:count], to


def mesh_of(
    points: NDArray[np.floating], faces: NDArray[np.integer], name: str, *,
    part: NDArray[np.int16] | None = None, names: tuple[str, ...] = (), unit: str = "",
    check: Watch = unwatched,
) -> Mesh:  # fmt: skip
    """A checked mesh: finite, in range, equal points joined, triangles without area left out.

    Parameters
    ----------
    points : (N, 3), any float type
    faces : (M, 3), any integer type
    name : str
        For messages.

    Raises
    ------
    BadMesh
        One clear sentence: empty, indices out of range, no numbers, no extent, too large.
    """
    if len(points) == 0 or len(faces) == 0:
        raise broken(name, "it has no triangles" if len(points) else "it is empty")
    if len(faces) > MAX_TRIANGLES:
        raise BadMesh(
            f"{name} cannot be read", f"it has {len(faces):,} triangles, more than Engraver takes in",
            f"Reduce it to {MAX_TRIANGLES / 1e6:.0f} million first",
        )  # fmt: skip
    if int(faces.min()) < 0 or int(faces.max()) >= len(points):
        raise broken(name, "a triangle names a point that is not in the file")
    with np.errstate(invalid="ignore", over="ignore"):  # one sum tells of any point that is no number
        whole = np.isfinite(np.add.reduce(points, axis=None, dtype=np.float64))
    if not whole:
        raise broken(name, "it holds points that are not numbers")
    check(0.7)
    low, high = point_bounds(points)
    if not np.isfinite(high - low).all() or float((high - low).max()) > 1e30:
        raise broken(name, "its points lie too far apart to be right")
    origin = (low + high) / 2
    near = np.ascontiguousarray(points - origin, dtype=np.float32)
    near += np.float32(0)  # -0 becomes 0, so that both join
    check(0.75)
    first, to = _joined(near, check)
    check(0.95)
    if len(first) < len(near):
        near, whole = near.take(first, axis=0), to.take(faces)
    else:
        whole = np.ascontiguousarray(faces, dtype=np.int32)
    a, b, c = whole.T
    real = (a != b) & (b != c) & (c != a)
    if not real.all():
        whole = whole.take(np.flatnonzero(real), axis=0)
        part = None if part is None else part[real]
    if len(whole) == 0 or _thin(near):
        raise broken(name, "all its points lie on one line" if len(near) > 1 else "all its points are one")
    if part is not None and len(names) < 2:
        part, names = None, ()
    for array in (near, whole):
        array.flags.writeable = False
    return Mesh(near, whole, origin, part, names, unit)


def _thin(points: Points) -> bool:
    """Whether all points lie on one line."""
    for stride in (max(1, len(points) // 20000), 1):  # a few tell nearly always
        some = points[::stride].astype(np.float64)
        spread = np.linalg.eigvalsh(np.cov(some.T)) if len(some) > 1 else np.zeros(3)
        if spread[1] > 1e-14 * max(float(spread[2]), 1e-300):
            return False
    return True
