"""What compiled loops over points share: coordinates as they lie one after the other.

Of an array of points, (n, 3), the compiler does not know that its rows hold three; so it does not go through many of
them at once. It does, three to six times as quickly, where the loop goes through the same array as one row of
coordinates (``reshape(-1)``), by places that cannot count from its end, with no branches, and with calls that are put
in their place.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_inline: Any = kernel(inline="always")


@_inline
def coordinates(n):  # type: ignore[no-untyped-def]
    """Where x, y and z of point ``n`` lie in a row of coordinates."""
    i = np.uintp(3) * np.uintp(n)
    return i, i + np.uintp(1), i + np.uintp(2)


@_inline
def entries(matrix):  # type: ignore[no-untyped-def]
    """The nine entries of a matrix, (3, 3), row by row: a loop asks for them once, not at every point."""
    m = matrix
    return m[0, 0], m[0, 1], m[0, 2], m[1, 0], m[1, 1], m[1, 2], m[2, 0], m[2, 1], m[2, 2]
