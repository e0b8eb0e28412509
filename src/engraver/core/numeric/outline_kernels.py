"""The compiled loops of outlines: exact area of pixels covered, and exact distance from their lines."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()


@_kernel
def _put(row, xa, xb, high):  # type: ignore[no-untyped-def]
    """A piece of an edge inside one row of pixels, ``high`` high; what lies at its right is covered."""
    lo, hi = min(xa, xb), max(xa, xb)
    first, last = int(lo), int(hi)
    if first == last or hi - lo < 1e-12:
        share = (lo + hi) / 2 - first
        row[first] += high * (1 - share)
        row[first + 1] += high * share
        return
    for i in range(first, last + 1):
        left, right = max(lo, float(i)), min(hi, i + 1.0)
        if right <= left:
            continue
        part = high * (right - left) / (hi - lo)
        share = (left + right) / 2 - i
        row[i] += part * (1 - share)
        row[i + 1] += part * share


@_kernel
def accumulate(edges, left, top, sums):  # type: ignore[no-untyped-def]
    """Add the signed areas beside edges (n, 4: x0, y0, x1, y1) to ``sums`` (H, W + 2), from (left, top) on."""
    rows, wide = sums.shape[0], sums.shape[1] - 2.0
    for n in range(edges.shape[0]):
        x0, y0, x1, y1 = edges[n, 0] - left, edges[n, 1] - top, edges[n, 2] - left, edges[n, 3] - top
        way = 1.0
        if y0 > y1:
            x0, y0, x1, y1, way = x1, y1, x0, y0, -1.0
        if y1 <= 0 or y0 >= rows or y0 == y1:
            continue
        slope = (x1 - x0) / (y1 - y0)
        for r in range(max(0, int(np.floor(y0))), min(rows, int(np.ceil(y1)))):
            ya, yb = max(y0, float(r)), min(y1, r + 1.0)
            if yb <= ya:
                continue
            xa, xb = x0 + (ya - y0) * slope, x0 + (yb - y0) * slope
            lo, hi = min(xa, xb), max(xa, xb)
            if hi <= 0:
                sums[r, 0] += way * (yb - ya)
            elif lo >= wide:
                continue
            elif lo >= 0 and hi <= wide:
                _put(sums[r], xa, xb, way * (yb - ya))
            else:  # what lies left of the box covers all of the row, what lies right nothing
                whole, run = yb - ya, hi - lo
                before = max(0.0, -lo) / run * whole
                after = max(0.0, hi - wide) / run * whole
                sums[r, 0] += way * before
                _put(sums[r], max(lo, 0.0), min(hi, wide), way * (whole - before - after))


@_kernel
def covered(sums, even_odd, out):  # type: ignore[no-untyped-def]
    """How much of every pixel is inside: running sums along rows, by the fill rule, as float32 (H, W)."""
    rows, columns = out.shape
    for r in range(rows):
        total = 0.0
        for c in range(columns):
            total += sums[r, c]
            inside = abs(total)
            if even_odd:
                inside = inside % 2.0
                if inside > 1:
                    inside = 2 - inside
            elif inside > 1:
                inside = 1.0
            out[r, c] = inside if inside > 1e-9 else 0.0


@_kernel
def trace(edges, left, top, cells):  # type: ignore[no-untyped-def]
    """Write into the cells (H, W) that edges pass through which edge it is."""
    rows, columns = cells.shape
    for n in range(edges.shape[0]):
        x0, y0, x1, y1 = edges[n, 0] - left, edges[n, 1] - top, edges[n, 2] - left, edges[n, 3] - top
        steps = int(max(abs(x1 - x0), abs(y1 - y0)) * 2) + 1
        for k in range(steps + 1):
            x, y = x0 + (x1 - x0) * k / steps, y0 + (y1 - y0) * k / steps
            i, j = int(np.floor(y)), int(np.floor(x))
            if 0 <= i < rows and 0 <= j < columns:
                cells[i, j] = n


@_kernel
def _away2(edges, n, x, y):  # type: ignore[no-untyped-def]
    """Squared distance of a place from an edge."""
    ax, ay = edges[n, 0], edges[n, 1]
    bx, by = edges[n, 2] - ax, edges[n, 3] - ay
    px, py = x - ax, y - ay
    size = bx * bx + by * by
    t = 0.0
    if size > 0:
        t = min(1.0, max(0.0, (px * bx + py * by) / size))
    dx, dy = px - t * bx, py - t * by
    return dx * dx + dy * dy


@_kernel
def nearest(edges, after, before, labels, table, left, top, first, end, who, out):  # type: ignore[no-untyped-def]
    """Squared distance of pixel centres of rows ``first`` to ``end`` from the edges.

    ``table`` names an edge near a pixel by its label; from there the outline is followed both ways as long as it
    comes nearer (and a few edges further, over small bumps).
    """
    for i in range(first, end):
        y = i + 0.5 + top
        for j in range(labels.shape[1]):
            x = j + 0.5 + left
            n = table[labels[i, j]]
            best, found = _away2(edges, n, x, y), n
            for way in range(2):
                k, worse = n, 0
                for _ in range(256):
                    k = after[k] if way == 0 else before[k]
                    d = _away2(edges, k, x, y)
                    if d < best:
                        best, worse, found = d, 0, k
                    else:
                        worse += 1
                        if worse > 3:
                            break
            out[i, j], who[i, j] = best, found


@_kernel
def relax(edges, left, top, who, out):  # type: ignore[no-untyped-def]
    """Try on every pixel the edges that its neighbours found, down and up again; then roots are taken."""
    rows, columns = out.shape
    for way in (1, -1):
        for r in range(rows):
            i = r if way == 1 else rows - 1 - r
            for c in range(columns):
                j = c if way == 1 else columns - 1 - c
                for side in range(2):
                    k, m = (i - way, j) if side == 0 else (i, j - way)
                    if 0 <= k < rows and 0 <= m < columns and abs(who[k, m] - who[i, j]) > 1:
                        d = _away2(edges, who[k, m], j + 0.5 + left, i + 0.5 + top)
                        if d < out[i, j]:
                            out[i, j], who[i, j] = d, who[k, m]
    for i in range(rows):
        for j in range(columns):
            out[i, j] = np.sqrt(out[i, j])


@_kernel
def farthest(edges, x, y, best):  # type: ignore[no-untyped-def]
    """How far from all edges a place near (x, y) can be, by steps that are halved, to a hundredth of a pixel.

    It begins ``best`` away from them, and no step is so long that it could leave the outline.
    """
    step = min(0.5, 0.9 * best)
    while step > 0.004:
        better = False
        for way in range(4):
            px = x + step * (1 if way == 0 else -1 if way == 1 else 0)
            py = y + step * (1 if way == 2 else -1 if way == 3 else 0)
            near = np.inf
            for n in range(edges.shape[0]):
                near = min(near, _away2(edges, n, px, py))
            if near > best * best:
                best, x, y, better = np.sqrt(near), px, py, True
        if not better:
            step /= 2
    return best


@_kernel
def bounds(points):  # type: ignore[no-untyped-def]
    """Least x and y, greatest x and y of points (n, 2)."""
    left, top, right, bottom = points[0, 0], points[0, 1], points[0, 0], points[0, 1]
    for n in range(points.shape[0]):
        left, right = min(left, points[n, 0]), max(right, points[n, 0])
        top, bottom = min(top, points[n, 1]), max(bottom, points[n, 1])
    return left, top, right, bottom
