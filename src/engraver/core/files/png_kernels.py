"""The compiled loops that take a PNG's filters off its rows."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel(error_model="python")


@_kernel
def unfiltered(rows, apart, out):  # type: ignore[no-untyped-def]
    """Rows (H, 1 + N), each led by its filter, into bytes (H, N); ``apart`` bytes lie between a sample and the one
    before it. ISO/IEC 15948, 9.2: none, sub, up, average, Paeth. Returns whether every filter is one of these."""
    count = out.shape[1]
    above = np.zeros(count, np.uint8)
    for y in range(rows.shape[0]):
        kind, row, to = rows[y, 0], rows[y, 1:], out[y]
        if kind == 0:
            to[:] = row
        elif kind == 1:
            to[:apart] = row[:apart]
            for x in range(apart, count):
                to[x] = row[x] + to[x - apart]
        elif kind == 2:
            for x in range(count):
                to[x] = row[x] + above[x]
        elif kind == 3:
            for x in range(apart):
                to[x] = row[x] + (above[x] >> 1)
            for x in range(apart, count):
                to[x] = row[x] + ((np.int32(to[x - apart]) + np.int32(above[x])) >> 1)
        elif kind == 4:
            for x in range(apart):
                to[x] = row[x] + above[x]
            for x in range(apart, count):
                to[x] = row[x] + _nearest(np.int32(to[x - apart]), np.int32(above[x]), np.int32(above[x - apart]))
        else:
            return False
        above = to
    return True


@_kernel
def _nearest(left, up, corner):  # type: ignore[no-untyped-def]
    """Paeth's predictor: which of three is nearest to left + up - corner."""
    to_left, to_up, to_corner = abs(up - corner), abs(left - corner), abs(left + up - 2 * corner)
    if to_left <= to_up and to_left <= to_corner:
        return left
    return up if to_up <= to_corner else corner


def warm() -> None:
    """Compile the loops (or fetch them from the cache) for the types that are used."""
    unfiltered(np.frombuffer(bytes(4), np.uint8).reshape(2, 2), 1, np.zeros((2, 1), np.uint8))
