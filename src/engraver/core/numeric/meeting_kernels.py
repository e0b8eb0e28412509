"""The compiled loops in which heights that are built meet those that are there."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()


@_kernel
def met(below, built, way):  # type: ignore[no-untyped-def]
    """One height from two; ``way`` is the place in ``meeting.MEETS``."""
    if way == 0:
        return below + built
    if way == 1:
        return below - built
    if way == 2:
        return max(below, built)
    if way == 3:
        return min(below, built)
    if way == 4:
        return built
    return below * built


@_kernel
def lay(below, built_on, cover, height, even, way):  # type: ignore[no-untyped-def]
    """Lay one shape on heights and on how much is built on; ``height`` is empty where all is ``even`` high."""
    flat = height.shape[0] == 0
    for i in range(below.shape[0]):
        for j in range(below.shape[1]):
            c = cover[i, j]
            if c > 0:
                h = even if flat else height[i, j]
                below[i, j] += c * (met(below[i, j], h, way) - below[i, j])
                built_on[i, j] += c * (np.float32(1) - built_on[i, j])


@_kernel
def meet(pixels, built, share, even, way, zero, first, end, out):  # type: ignore[no-untyped-def]
    """Rows ``first`` to ``end`` of a plate that met what was built; ``share`` is empty where it is even."""
    whole = share.shape[0] == 0
    reach = np.float32(1) - zero
    for i in range(first, end):
        for j in range(pixels.shape[1]):
            below = (pixels[i, j] - zero) / reach
            s = even if whole else even * share[i, j]
            out[i, j] = zero + reach * (below + s * (met(below, built[i, j], way) - below))
