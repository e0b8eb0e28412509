"""The compiled loops that put a PNG's filters on its rows, and take them off."""

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
            for x in range(count):
                to[x] = row[x]
        elif kind == 1:
            for x in range(apart):
                to[x] = row[x]
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


@_kernel
def filtered(rows, apart, first, end, out):  # type: ignore[no-untyped-def]
    """Some rows of bytes (H, N) into rows (H, 1 + N) led by their filter: sub, up or Paeth, whichever leaves the
    least sum of sizes (ISO/IEC 15948, 12.8: the heuristic that it recommends)."""
    count = rows.shape[1]
    blank = np.zeros(count, np.uint8)
    sub, paeth = np.empty(count, np.uint8), np.empty(count, np.uint8)
    for y in range(first, end):
        row = rows[y]
        above = rows[y - 1] if y > 0 else blank
        by_sub = by_up = by_paeth = np.int64(0)
        to = out[y, 1:]
        for x in range(count):
            up = np.int32(above[x])
            left = np.int32(row[x - apart]) if x >= apart else np.int32(0)
            corner = np.int32(above[x - apart]) if x >= apart else np.int32(0)
            a, b = np.uint8(row[x] - up), np.uint8(row[x] - left)
            c = np.uint8(row[x] - _nearest(left, up, corner))
            to[x], sub[x], paeth[x] = a, b, c
            by_up += min(np.int32(a), 256 - np.int32(a))
            by_sub += min(np.int32(b), 256 - np.int32(b))
            by_paeth += min(np.int32(c), 256 - np.int32(c))
        out[y, 0] = 2
        if by_paeth < by_up and by_paeth <= by_sub:
            out[y, 0] = 4
            for x in range(count):
                to[x] = paeth[x]
        elif by_sub < by_up:
            out[y, 0] = 1
            for x in range(count):
                to[x] = sub[x]


def warm() -> None:
    """Compile the loops (or fetch them from the cache) for the types that are used."""
    unfiltered(np.frombuffer(bytes(4), np.uint8).reshape(2, 2), 1, np.zeros((2, 1), np.uint8))
    filtered(np.zeros((2, 4), np.uint8), 1, 0, 2, np.zeros((2, 5), np.uint8))
