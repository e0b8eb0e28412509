"""Curves that a surface has of itself: round it along a plane, along its open borders, along its sharp edges."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from engraver.core.mesh.borders import borders

from ..errors import BadValue

Places = NDArray[np.float64]
Faces = NDArray[np.int32]
# Points of a curve that goes round a body.
_POINTS = 24
# Fewer edges than this are no border worth lying along.
_LEAST = 4


def cut_by_plane(points: Places, faces: Faces, at: Places, normal: Places) -> list[Places]:
    """Where a plane cuts triangles: closed rings of places, float64 (k, 3), and open ways where the surface ends.

    Parameters
    ----------
    points : (n, 3)
    faces : (m, 3)
    at, normal : (3,)
        A place of the plane, and upright on it.
    """
    side = (points.astype(np.float64) - at) @ normal
    side = np.where(np.abs(side) < 1e-12, 1e-12, side)  # no corner lies on it
    above = side[faces] > 0
    cut = faces[above.any(axis=1) & ~above.all(axis=1)].astype(np.int64)
    if not len(cut):
        return []
    ends = np.stack([cut, np.roll(cut, -1, axis=1)], -1)
    crossing = (side[ends[..., 0]] > 0) != (side[ends[..., 1]] > 0)
    pairs = np.sort(ends[crossing].reshape(-1, 2, 2), axis=2)  # two crossed edges to a triangle
    keys = pairs[..., 0] * len(points) + pairs[..., 1]
    known, number = np.unique(keys, return_inverse=True)
    a, b = known // len(points), known % len(points)
    share = side[a] / (side[a] - side[b])
    places = points[a] + share[:, None] * (points[b].astype(np.float64) - points[a])
    return [places[chain] for chain in chained(number.reshape(-1, 2), len(known))]


def chained(links: NDArray[np.int64], count: int) -> list[NDArray[np.int64]]:
    """Chains of links between numbered things; a ring has its first at its end again. The longest come first."""
    beside: list[list[int]] = [[] for _ in range(count)]
    for a, b in links.tolist():
        beside[a].append(b)
        beside[b].append(a)
    seen, found = np.zeros(count, bool), []
    order = sorted(range(count), key=lambda n: len(beside[n]) != 1)  # ends of open ways first
    for begin in order:
        if seen[begin] or not beside[begin]:
            continue
        chain, now = [begin], begin
        seen[begin] = True
        while True:
            following = next((k for k in beside[now] if not seen[k]), None)
            if following is None:
                break
            seen[following] = True
            chain.append(following)
            now = following
        if len(chain) > 2 and begin in beside[now]:
            chain.append(begin)
        found.append(np.array(chain, np.int64))
    return sorted(found, key=len, reverse=True)


def is_ring(way: Places) -> bool:
    """Whether a way comes back to its beginning."""
    return len(way) > 3 and bool(np.allclose(way[0], way[-1]))


def spaced(way: Places, count: int = _POINTS) -> Places:
    """So many points at even distances along a way; of a ring the first is not said again."""
    legs = np.linalg.norm(np.diff(way, axis=0), axis=1)
    gone = np.concatenate([[0.0], np.cumsum(legs)])
    ring = is_ring(way)
    at = np.linspace(0, gone[-1], count + 1)[:-1] if ring else np.linspace(0, gone[-1], count)
    return np.column_stack([np.interp(at, gone, way[:, k]) for k in range(3)])


def round_body(points: Places, faces: Faces, begin: Places, normal: Places) -> Places:
    """The ring in which a plane through a place on a body cuts it: points, the first nearest to that place.

    Raises
    ------
    BadValue
        The plane does not go round it.
    """
    rings = [way for way in cut_by_plane(points, faces, begin, normal) if is_ring(way)]
    if not rings:
        raise BadValue("The curve cannot go round", "the surface is not closed there", "Draw it on the front alone")
    ring = min(rings, key=lambda way: float(np.linalg.norm(way - begin, axis=1).min()))[:-1]
    first = int(np.argmin(np.linalg.norm(ring - begin, axis=1)))
    ring = np.roll(ring, -first, axis=0)
    return spaced(np.vstack([ring, ring[:1]]))


def borders_of(faces: Faces) -> list[NDArray[np.int64]]:
    """Open borders of triangles as chains of points, each with its first at its end again, the longest first."""
    loops = [np.append(loop, loop[0]) for loop in borders(faces)[0] if len(loop) >= _LEAST]
    return sorted(loops, key=len, reverse=True)


def sharp_edges(points: Places, faces: Faces, degrees: float = 40.0) -> list[NDArray[np.int64]]:
    """Edges at which a surface bends by more than so much, as chains of points, the longest first."""
    a, b, c = (points[faces[:, k]].astype(np.float64) for k in range(3))
    normal = np.cross(b - a, c - a)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    ends = np.sort(np.stack([faces, np.roll(faces, -1, axis=1)], -1).reshape(-1, 2), axis=1).astype(np.int64)
    face = np.repeat(np.arange(len(faces)), 3)
    order = np.lexsort((ends[:, 1], ends[:, 0]))
    ends, face = ends[order], face[order]
    twin = np.flatnonzero((ends[1:] == ends[:-1]).all(axis=1))
    bend = (normal[face[twin]] * normal[face[twin + 1]]).sum(1)
    pairs = ends[twin[bend < np.cos(np.radians(degrees))]]
    if not len(pairs):
        return []
    known, number = np.unique(pairs, return_inverse=True)
    chains = chained(number.reshape(-1, 2), len(known))
    return [known[chain] for chain in chains if len(chain) >= _LEAST]
