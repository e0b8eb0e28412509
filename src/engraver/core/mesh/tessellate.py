"""Triangles divided into smaller ones, with their facets kept or rounded."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from .model import Faces, Mesh

Wide = NDArray[np.float64]
_ROUNDS = 24
_BULGE = 0.5


def split(
    points: Wide, faces: Faces, longest: float, normals: Wide | None = None, *, borders: bool = True
) -> tuple[Wide, Faces]:
    """Halve every edge longer than ``longest`` once, the same from both sides, so that no gap opens.

    Each triangle becomes one to four. Without ``normals`` the new points lie on the edges, and the body keeps its
    shape; with them they bulge by T. Boubekeur and M. Alexa's Phong tessellation (2008), at the half at which the
    middle of an arc of a circle comes to lie on it. Without ``borders`` those on an edge of one triangle alone do not
    bulge.

    Parameters
    ----------
    points : float64 (n, 3)
    faces : int32 (m, 3)
    """
    ends = np.sort(np.stack([faces, np.roll(faces, -1, axis=1)], -1).reshape(-1, 2), axis=1).astype(np.int64)
    key, place, uses = np.unique(ends[:, 0] * len(points) + ends[:, 1], return_inverse=True, return_counts=True)
    a, b = key // len(points), key % len(points)
    long = np.linalg.norm(points[a] - points[b], axis=1) > longest
    if not long.any():
        return points, faces
    a, b = a[long], b[long]
    middle = (points[a] + points[b]) / 2
    if normals is not None:
        off = [((middle - points[e]) * normals[e]).sum(1, keepdims=True) * normals[e] for e in (a, b)]
        bulges = np.where(borders | (uses[long] > 1), _BULGE, 0.0)[:, None]
        middle = middle - bulges * (off[0] + off[1]) / 2
    number = np.full(len(key), -1, np.int64)
    number[long] = len(points) + np.arange(int(long.sum()))
    mids = number[place].reshape(-1, 3)  # on the edge from each corner to the next
    count = (mids >= 0).sum(1)
    done = [faces[count == 0].astype(np.int64)]
    for turn in range(3):  # one edge: the first after a turn
        f, m = np.roll(faces, -turn, axis=1), np.roll(mids, -turn, axis=1)
        one = (count == 1) & (m[:, 0] >= 0)
        p, q = f[one], m[one]
        done += [np.stack([p[:, 0], q[:, 0], p[:, 2]], 1), np.stack([q[:, 0], p[:, 1], p[:, 2]], 1)]
        two = (count == 2) & (m[:, 2] < 0)
        p, q = f[two], m[two]
        done += [
            np.stack([q[:, 0], p[:, 1], q[:, 1]], 1), np.stack([p[:, 0], q[:, 0], q[:, 1]], 1),
            np.stack([p[:, 0], q[:, 1], p[:, 2]], 1),
        ]  # fmt: skip
    p, q = faces[count == 3], mids[count == 3]
    done += [
        np.stack([p[:, 0], q[:, 0], q[:, 2]], 1), np.stack([q[:, 0], p[:, 1], q[:, 1]], 1),
        np.stack([q[:, 2], q[:, 1], p[:, 2]], 1), q,
    ]  # fmt: skip
    return np.concatenate([points, middle]), np.concatenate(done).astype(np.int32)


def point_normals(points: Wide, faces: Faces, *, by_angle: bool = False) -> Wide:
    """Normals at points, from the triangles around by their areas, or by their angles there, float64 (n, 3).

    By angles they do not depend on how a flat side is cut into triangles: G. Thuermer and C. Wuethrich, 1998.
    """
    corner = [points[faces[:, k]] for k in range(3)]
    of = np.cross(corner[1] - corner[0], corner[2] - corner[0])
    if by_angle:
        of /= np.maximum(np.linalg.norm(of, axis=1, keepdims=True), 1e-30)
    total = np.zeros_like(points)
    for k in range(3):
        share: Wide | float = 1.0
        if by_angle:
            one, other = corner[(k + 1) % 3] - corner[k], corner[(k + 2) % 3] - corner[k]
            share = np.arctan2(np.linalg.norm(np.cross(one, other), axis=1), (one * other).sum(1))
        for axis in range(3):
            total[:, axis] += np.bincount(faces[:, k], of[:, axis] * share, len(points))
    size = np.linalg.norm(total, axis=1, keepdims=True)
    return np.where(size > 1e-30, total / np.maximum(size, 1e-30), np.array([0.0, 0.0, 1.0]))


def parted(points: Wide, faces: Faces, crease: float) -> tuple[Wide, Faces]:
    """The same triangles, sharing points only across edges at which they bend by less than ``crease`` degrees:
    float64 (k, 3) and int32 (m, 3), in the order of the triangles.

    At a sharp edge each side has points of its own, so that the normals of one know nothing of the other.
    """
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    a, b, c = (points[faces[:, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    begin, end = faces.astype(np.int64), np.roll(faces, -1, axis=1).astype(np.int64)
    key = (np.minimum(begin, end) * len(points) + np.maximum(begin, end)).ravel()
    order = np.argsort(key, kind="stable")
    sides = order[:-1][key[order[1:]] == key[order[:-1]]], order[1:][key[order[1:]] == key[order[:-1]]]
    bend = (normal[sides[0] // 3] * normal[sides[1] // 3]).sum(1)
    one, other = (side[bend > math.cos(math.radians(crease))] for side in sides)
    # Corner k of triangle t is number 3 t + k; the corners at both ends of a smooth edge are one point.
    n = faces.size

    def corner_at(edge: NDArray[np.int64], point: NDArray[np.int64]) -> NDArray[np.int64]:
        """The corner of the edge's triangle that lies at a point."""
        face = edge // 3
        found: NDArray[np.int64] = 3 * face + np.argmax(faces[face] == point[:, None], axis=1)
        return found

    links = []
    for ends in (begin.ravel()[one], end.ravel()[one]):
        links.append((corner_at(one, ends), corner_at(other, ends)))
    from_, to = (np.concatenate([pair[k] for pair in links]) for k in (0, 1))
    _, label = connected_components(coo_array((np.ones(len(from_), np.int8), (from_, to)), shape=(n, n)), False)
    _, first, label = np.unique(label, return_index=True, return_inverse=True)
    return points[faces.ravel()[first]], label.reshape(-1, 3).astype(np.int32)


def divided(
    points: Wide, faces: Faces, count: int, *, bulging: bool = False, borders: bool = True
) -> Iterator[tuple[Wide, Faces]]:
    """Triangles halved again and again, until there are more than ``count`` points or all edges are short enough.

    What is told is how they are at first, and after each round. ``bulging`` rounds the facets, ``borders`` open
    borders too.

    Parameters
    ----------
    points : float64 (n, 3)
    faces : int32 (m, 3)
    """
    a, b, c = (points[faces[:, k]] for k in range(3))
    area = float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()) / 2
    # An even net of n points has sides of sqrt(2 A / (sqrt(3) n)); halved sides are half of the longest to all.
    longest = 1.45 * math.sqrt(2 * area / (math.sqrt(3) * count))
    for _ in range(_ROUNDS):
        yield points, faces
        if len(points) > count:
            return
        before = len(faces)
        normals = point_normals(points, faces, by_angle=True) if bulging else None
        points, faces = split(points, faces, longest, normals, borders=borders)
        if len(faces) == before:
            return


def rounded(mesh: Mesh, crease: float, count: int, check: Watch = unwatched) -> Mesh:
    """A mesh of about ``count`` points whose facets are rounded; edges that bend by ``crease`` degrees or more, and
    open borders, stay where they are.

    Phong tessellation, T. Boubekeur and M. Alexa, 2008, by halves. A mesh with as many points stays as it is.
    Raises Cancelled when nobody waits any more.
    """
    if len(mesh.points) >= count:
        return mesh
    parts = parted(mesh.points.astype(np.float64), mesh.faces, crease)
    for points, faces in divided(*parts, count, bulging=True, borders=False):  # noqa: B007 (the last is what counts)
        check()
    return Mesh(points.astype(np.float32), np.ascontiguousarray(faces), mesh.origin, None, (), mesh.unit)
