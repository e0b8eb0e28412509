"""The compiled loop that lights a cast."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel(error_model="python")


@_kernel
def lit(cast, table, colours, out):  # type: ignore[no-untyped-def]
    """Colours of a cast (H, W, 3) under a lamp: its normal is a place in the table, its hollows darken that."""
    for row in range(cast.shape[0]):
        for column in range(cast.shape[1]):
            tone = np.int64(table[np.int64(cast[row, column, 0]) + 256 * np.int64(cast[row, column, 1])])
            light = tone * np.int64(cast[row, column, 2]) >> 7
            out[row, column] = colours[min(510, light)]
