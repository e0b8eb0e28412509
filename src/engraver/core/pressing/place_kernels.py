"""Where points lie in marks, and which points a mark can reach at all.

No fused or reordered sums: the same places on every machine, and on both sides of a mirror.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from .tip_kernels import within

_kernel: Any = kernel()
_inline: Any = kernel(inline="always")
# arcsin(s) / s - 1 in powers of s * s.
_SERIES = (np.float32(1 / 6), np.float32(3 / 40), np.float32(15 / 336), np.float32(105 / 3456))
# arcsin(s) = pi/2 - sqrt(1 - s) * (a polynomial in s), for s in 0..1, to 2e-8 (M. Abramowitz and I. A. Stegun,
# "Handbook of Mathematical Functions", 1964, 4.4.46).
_ARCSIN = (
    np.float32(1.5707963050), np.float32(-0.2145988016), np.float32(0.0889789874), np.float32(-0.0501743046),
    np.float32(0.0308918810), np.float32(-0.0170881256), np.float32(0.0066700901), np.float32(-0.0012624911),
)  # fmt: skip
_ONE, _QUARTER = np.float32(1), np.float32(np.pi / 2)


@_inline
def bent(dx, dy, dz, qx, qy, qz, mx, my, mz, rx, ry, rz, ux, uy, uz):  # type: ignore[no-untyped-def]
    """Where a point of a bent surface lies in a mark: (right, up) in scene units; far away for its other side.

    (dx, dy, dz) leads from the mark to the point, q is the point's normal, m, r and u the mark's normal, right and
    up. Towards the point as it is seen from the mark, as far as the arc is long between two normals that differ by
    that angle: the exponential map of a ball and of a plane.
    """
    cosine = mx * qx + my * qy + mz * qz
    x, y = dx * rx + dy * ry + dz * rz, dx * ux + dy * uy + dz * uz
    # No branches, so that many points go at once: of both ways to find how much longer an arc is than its chord, one
    # counts.
    square = min(max((_ONE - cosine) * np.float32(0.5), np.float32(0)), _ONE)
    near = _ONE + square * (_SERIES[0] + square * (_SERIES[1] + square * (_SERIES[2] + square * _SERIES[3])))
    half = np.sqrt(square)
    p, q, r, s, t, u, v, w = _ARCSIN
    far = p + half * (q + half * (r + half * (s + half * (t + half * (u + half * (v + half * w))))))
    far = (_QUARTER - np.sqrt(_ONE - half) * far) / max(half, np.float32(0.1))
    longer = near if square < np.float32(0.05) else far
    grown = longer * np.sqrt((dx * dx + dy * dy + dz * dz) / max(x * x + y * y, np.float32(1e-24)))
    grown = _ONE if cosine > np.float32(0.999999) else grown
    beyond = cosine < np.float32(-0.3)
    return np.float32(1e9) if beyond else x * grown, np.float32(1e9) if beyond else y * grown


@_kernel
def span(at, reach, low, per, count):  # type: ignore[no-untyped-def]
    """The first and the last cell along an axis that a mark can reach."""
    first = int(np.floor((at - reach - low) * per))
    last = int(np.floor((at + reach - low) * per))
    return min(max(0, first), count - 1), max(0, min(count - 1, last))


@_inline
def rows_within(at, reach, top, down, count, closed, first, end):  # type: ignore[no-untyped-def]
    """The first and the last of ``count`` even rows that lie within ``reach`` of a place, among ``first`` to ``end``;
    of rows that are ``closed`` to a tube, each once, counted on from the last to the first."""
    middle, over = (at - top) / down, reach / abs(down)
    a0, a1 = int(np.ceil(middle - over)), int(np.floor(middle + over))
    if not closed:
        a0, a1 = max(a0, first), min(a1, end - 1)
    elif 2 * over >= count:
        a0, a1 = 0, count - 1
    return a0, a1


@_inline
def shorter_way(off, whole):  # type: ignore[no-untyped-def]
    """A way round a tube of so much in all, or the way back where that is shorter."""
    return off - whole * np.floor(off / whole + 0.5)


@_inline
def most_spans(even, dims):  # type: ignore[no-untyped-def]
    """How many spans a mark can have at most."""
    return int(even[0]) if even.shape[0] > 0 else dims[1] * dims[2]


@_kernel
def spans(even, starts, low, per, dims, lies, radius, mark, side, first, end, points, places):  # type: ignore[no-untyped-def]
    """The points that a mark can reach, of rows ``first`` to ``end`` or of so many cells: those of each row of the
    grid that lie in it, or of each row of cells that the ball round it reaches. Returns how many spans these are.

    ``mark`` is one row of marks, ``side`` the pixels along its tip. Into ``points``, int64 (most, 3), go the first
    point of each span, the one after its last, and the first point of its row; into ``places``, float64 (most, 2), in
    scene units how far right and up of the mark's middle that row begins; ``most`` is :func:`most_spans`. Cells begin
    at 0 and nowhere.
    """
    rows, found = even.shape[0] > 0, 0
    count, columns, left, top, step, down = 0, 0, 0.0, 0.0, 1.0, 1.0
    if rows:
        count, columns, left, top, step, down = int(even[0]), int(even[1]), even[2], even[3], even[4], even[5]
    cx, cy, cz, mx, my, mz, rx, ry, rz, size, ratio = (
        mark[0], mark[1], mark[2], mark[3], mark[4], mark[5], mark[6], mark[7], mark[8], mark[9], mark[10]
    )  # fmt: skip
    ux, uy, uz = my * rz - mz * ry, mz * rx - mx * rz, mx * ry - my * rx
    reach, middle, most = size * np.sqrt(1 + ratio * ratio), side / 2 + 0.5, side + 0.999
    grow, grow_y = mark[11] * side / (2 * size), mark[12] * side / (2 * size * ratio)
    if rows:
        r_down, u_down, at_down = ry, uy, cy
        if lies == 1:
            r_down, u_down = my * rz - mz * ry, my * uz - mz * uy
            at_down = radius * np.arctan2(mz, my)
        a0, a1 = rows_within(at_down, reach, top, down, count, lies == 1, first, end)
        for a in range(a0, a1 + 1):
            row = a % count
            if row < first or row >= end:
                continue
            off = top + row * down - at_down
            if lies == 1:
                off = shorter_way(off, 2 * np.pi * radius)
            x, y = (left - cx) * rx + off * r_down, (left - cx) * ux + off * u_down
            one, two = within(middle + x * grow, step * rx * grow, most, 0, columns)
            one, two = within(middle - y * grow_y, -step * ux * grow_y, most, one, two)
            if two > one:
                base = row * columns
                points[found, 0], points[found, 1], points[found, 2] = base + one, base + two, base
                places[found, 0], places[found, 1] = x, y
                found += 1
        return found
    b0, b1 = span(cy, reach, low[1], per, dims[1])
    a0, a1 = span(cz, reach, low[2], per, dims[2])
    layer = dims[0] * dims[1]
    for a in range(max(a0, first // layer), min(a1, (end - 1) // layer) + 1):
        for b in range(b0, b1 + 1):
            dy = max(low[1] + b / per - cy, cy - low[1] - (b + 1) / per, 0.0)
            dz = max(low[2] + a / per - cz, cz - low[2] - (a + 1) / per, 0.0)
            over = reach * reach - dy * dy - dz * dz
            if over < 0:
                continue
            c0, c1 = span(cx, np.sqrt(over), low[0], per, dims[0])
            cell = (a * dims[1] + b) * dims[0]
            one, two = max(cell + c0, first), min(cell + c1 + 1, end)
            if two > one and starts[two] > starts[one]:
                points[found, 0], points[found, 1], points[found, 2] = starts[one], starts[two], 0
                places[found, 0], places[found, 1] = 0.0, 0.0
                found += 1
    return found
