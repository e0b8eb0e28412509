"""The compiled loop that makes pictures smaller by given weights."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()


@_kernel
def down(values, first, weights, top, bottom, out):  # type: ignore[no-untyped-def]
    """Rows ``top`` to ``bottom`` as weighted sums of rows from ``first`` on; ``weights`` (rows, most)."""
    last = values.shape[0] - 1
    for r in range(top, bottom):
        for c in range(out.shape[1]):
            out[r, c] = np.float32(0)
        for k in range(weights.shape[1]):
            w = weights[r, k]
            if w == 0:
                continue
            row = min(max(first[r] + k, 0), last)
            for c in range(out.shape[1]):
                out[r, c] += w * values[row, c]
