"""What all loops that press marks share: a tip between its pixels, and the points of a row that lie in it."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()


@_kernel
def tip_at(levels, start, wide, x, y):  # type: ignore[no-untyped-def]
    """A tip's value between its pixels, in single precision.

    ``levels`` holds tips row by row, ``wide`` pixels each, from ``start`` on; a ring of zeros lies around each, so
    that no pixel has to be asked for. Places are said to be none below 0: else each look first asks whether to count
    from the end of the array.
    """
    j, i = int(x), int(y)
    s, t = np.float32(x - j), np.float32(y - i)
    k = np.uintp(start + i * wide + j)
    below = k + np.uintp(wide)
    upper = levels[k] + s * (levels[k + np.uintp(1)] - levels[k])
    lower = levels[below] + s * (levels[below + np.uintp(1)] - levels[below])
    return upper + t * (lower - upper)


@_kernel
def within(a, b, most, left, right):  # type: ignore[no-untyped-def]
    """The columns from ``left`` to before ``right`` at which ``a + b * column`` lies within 0 and ``most``."""
    if abs(b) < 1e-12:
        return (left, right) if 0 <= a <= most else (left, left)
    low, high = -a / b, (most - a) / b
    if low > high:
        low, high = high, low
    return max(left, int(np.ceil(low))), min(right, int(np.floor(high)) + 1)
