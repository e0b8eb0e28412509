"""The open borders of a mesh, as loops of its points."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Faces = NDArray[np.int32] | NDArray[np.int64]
Loop = NDArray[np.int64]


def borders(faces: Faces) -> tuple[list[Loop], int]:
    """The open borders of triangles, int (m, 3), and how many edges are odd.

    Returns
    -------
    loops : list of int64 (k,)
        The points of each border, in the order in which its triangles name them. A point at which two borders touch
        is passed by the one that comes first.
    odd : int
        Edges of more than two triangles, or of two that name them the same way.
    """
    ends = np.stack([faces, np.roll(faces, -1, axis=1)], -1).reshape(-1, 2).astype(np.int64)
    count = int(faces.max()) + 1 if len(faces) else 0
    there, back = ends[:, 0] * count + ends[:, 1], ends[:, 1] * count + ends[:, 0]
    odd = len(there) - len(np.unique(there))
    single = ends[~np.isin(there, back)]
    after: dict[int, list[int]] = {}
    for a, b in single.tolist():
        after.setdefault(a, []).append(b)
    loops: list[Loop] = []
    while after:
        begin = next(iter(after))
        loop, now = [begin], _step(after, begin)
        while now != begin and now in after:
            loop.append(now)
            now = _step(after, now)
        if len(loop) > 2:
            loops.append(np.array(loop, np.int64))
    return loops, odd


def _step(after: dict[int, list[int]], at: int) -> int:
    to = after[at].pop()
    if not after[at]:
        del after[at]
    return to


def lone_edges(faces: Faces) -> NDArray[np.int64]:
    """The edges that belong to one triangle only, of triangles int (m, 3): int64 (k, 2), the lower number first."""
    a, b = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    keys = np.minimum(a, b).astype(np.int64) << 32
    keys |= np.maximum(a, b)
    keys.sort()
    alone, same = np.ones(len(keys), bool), keys[1:] == keys[:-1]
    alone[1:] &= ~same
    alone[:-1] &= ~same
    return np.column_stack([keys[alone] >> 32, keys[alone] & 0xFFFFFFFF])
