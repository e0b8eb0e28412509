"""What looks the same, among thousands: near ones are looked for in a few dimensions, and judged in all."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

# Dimensions in which near ones are looked for, and rows from which these are found.
_FEW, _LOOKED_AT = 12, 2000


def alike(rows: NDArray[np.float32], kinds: Sequence[bool], most: float) -> list[tuple[int, ...]]:
    """Groups of row numbers whose likenesses are no farther apart than ``most``, each led by its lowest.

    Parameters
    ----------
    rows : float32 (N, LENGTH)
        Of length 1; rows of zeros are like nothing.
    kinds : sequence of bool, N
        Only rows of one kind are put together.
    most : float
        1 minus the cosine.

    Notes
    -----
    A projection onto orthonormal axes shortens distances, never lengthens them: what is near in all dimensions is
    near in the first principal ones (Pearson 1901), where a k-d tree finds it.
    """
    there = np.flatnonzero(rows.any(axis=1))
    if len(there) < 2:
        return []
    from scipy.spatial import cKDTree

    known = rows[there]
    looked_at = known[:: max(1, len(known) // _LOOKED_AT)]
    axes = np.linalg.svd(looked_at - looked_at.mean(axis=0), full_matrices=False)[2][:_FEW]
    tree = cKDTree(known @ axes.T)
    pairs = tree.query_pairs(float(np.sqrt(2 * most)) * 1.001 + 1e-6, output_type="ndarray")
    close = np.einsum("ij,ij->i", known[pairs[:, 0]], known[pairs[:, 1]]) > 1 - most
    near: dict[int, list[int]] = {}
    for a, b in there[pairs[close]].tolist():
        if kinds[a] == kinds[b]:
            near.setdefault(min(a, b), []).append(max(a, b))
    taken: set[int] = set()
    found = []
    for first in sorted(near):
        if first not in taken:
            group = (first, *sorted(n for n in near[first] if n not in taken))
            taken.update(group)
            if len(group) > 1:
                found.append(group)
    return found
