"""The compiled loops that press a band: which place of a way is nearest to each point, and the strip laid there.

No fused or reordered sums: the same heights on every machine.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from .place_kernels import bent, rows_within, shorter_way, span
from .relief_kernels import _bite, _met

_kernel: Any = kernel()
# Columns of a leg on even ground: place 0-1, ahead 2-3, left 4-5; the same at its end 6-11; then how far along it
# begins, its length, and by how much it turns to the left: 12-14. In cells each is of three, and ``up`` goes before
# ``ahead``: 0-11, 12-23, 24-26.


@_kernel
def _foot(x0, y0, x1, long, turn):  # type: ignore[no-untyped-def]
    """How far along a leg a point stands, 0..1 where it does, and how far to the left of it.

    (x0, y0) is the point from the leg's beginning, ahead and to the left; x1 how far ahead of its end it lies. The
    planes across the way at both ends are taken as turning evenly into each other, and the leg as an arc.
    """
    t = x0 / (x0 - x1) if x0 != x1 else 0.0
    angle, along = turn * t, long * t
    fx, fy = along * np.cos(angle / 2), along * np.sin(angle / 2)
    return t, (x0 - fx) * -np.sin(angle) + (y0 - fy) * np.cos(angle)


@_kernel
def _clipped(slope, at, x0, low, high):  # type: ignore[no-untyped-def]
    """The part of low..high in which slope * (x - x0) + at is not below 0."""
    if slope > 1e-12:
        low = max(low, x0 - at / slope)
    elif slope < -1e-12:
        high = min(high, x0 - at / slope)
    return low, high


@_kernel
def reach_even(even, round_way, legs, reach, best, where, first, end):  # type: ignore[no-untyped-def]
    """The nearest leg to every point of even ground: ``best`` is how far to its left (beyond 1e8 for none),
    ``where`` how far along. ``round_way`` is the way round a tube, 0 on a plane."""
    count, columns, left, top, step, down = int(even[0]), int(even[1]), even[2], even[3], even[4], even[5]
    for n in range(legs.shape[0]):
        x0, w0, x1, w1 = legs[n, 0], legs[n, 1], legs[n, 6], legs[n, 7]
        long, turn, begin = legs[n, 13], legs[n, 14], legs[n, 12]
        middle_x, middle_w, far = (x0 + x1) / 2, (w0 + w1) / 2, reach + long / 2
        a0, a1 = rows_within(middle_w, far, top, down, count, round_way > 0, first, end)
        for a in range(a0, a1 + 1):
            row = a % count
            if row < first or row >= end:
                continue
            off = top + row * down - middle_w
            if round_way > 0:
                off = shorter_way(off, round_way)
            wide = far * far - off * off
            if wide < 0:
                continue
            wide = np.sqrt(wide)
            w = middle_w + off
            low, high = _clipped(legs[n, 2], (w - w0) * legs[n, 3], x0, middle_x - wide, middle_x + wide)
            low, high = _clipped(-legs[n, 8], -(w - w1) * legs[n, 9], x1, low, high)
            b0 = max(0, int(np.ceil((low - left) / step - 1e-6)))
            b1 = min(columns - 1, int(np.floor((high - left) / step + 1e-6)))
            for b in range(b0, b1 + 1):
                x = left + b * step
                ahead = (x - x0) * legs[n, 2] + (w - w0) * legs[n, 3]
                if ahead < 0:
                    continue
                beyond = (x - x1) * legs[n, 8] + (w - w1) * legs[n, 9]
                if beyond > 0:
                    continue
                side = (x - x0) * legs[n, 4] + (w - w0) * legs[n, 5]
                t, d = _foot(ahead, side, beyond, long, turn)
                v = row * columns + b
                if abs(d) <= reach and abs(d) < abs(best[v]):
                    best[v] = d
                    where[v] = begin + t * long


@_kernel
def _reach_cell(  # type: ignore[no-untyped-def]
    points, normals, one, two, a, z, begin, long, turn, cx, cy, cz, far, reach, best, where
):
    """The points of one cell that stand beside a leg."""
    for v in range(one, two):
        px, py, pz = float(points[v, 0]), float(points[v, 1]), float(points[v, 2])
        dx, dy, dz = px - cx, py - cy, pz - cz
        if dx * dx + dy * dy + dz * dz > far * far:
            continue
        qx, qy, qz = float(normals[v, 0]), float(normals[v, 1]), float(normals[v, 2])
        ahead, side = bent(
            px - a[0], py - a[1], pz - a[2], qx, qy, qz, a[3], a[4], a[5], a[6], a[7], a[8], a[9], a[10],
            a[11],
        )  # fmt: skip
        if ahead < 0 or ahead > 1e8:
            continue
        beyond, _ = bent(
            px - z[0], py - z[1], pz - z[2], qx, qy, qz, z[3], z[4], z[5], z[6], z[7], z[8], z[9], z[10],
            z[11],
        )  # fmt: skip
        if beyond > 0:
            continue
        t, d = _foot(ahead, side, beyond, long, turn)
        if abs(d) <= reach and abs(d) < abs(best[v]):
            best[v] = d
            where[v] = begin + t * long


@_kernel
def reach_cells(points, normals, starts, low, per, dims, legs, reach, best, where, first, end):  # type: ignore[no-untyped-def]
    """As :func:`reach_even` for points in cells, bent along the surface."""
    for n in range(legs.shape[0]):
        a, z = legs[n, 0:12], legs[n, 12:24]
        begin, long, turn = legs[n, 24], legs[n, 25], legs[n, 26]
        cx, cy, cz = (a[0] + z[0]) / 2, (a[1] + z[1]) / 2, (a[2] + z[2]) / 2
        far, half = reach + long / 2, 0.87 / per
        b0, b1 = span(cy, far, low[1], per, dims[1])
        a0, a1 = span(cz, far, low[2], per, dims[2])
        c0, c1 = span(cx, far, low[0], per, dims[0])
        for i in range(a0, a1 + 1):
            for j in range(b0, b1 + 1):
                row = (i * dims[1] + j) * dims[0]
                my, mz = low[1] + (j + 0.5) / per, low[2] + (i + 0.5) / per
                for c in range(max(row + c0, first), min(row + c1 + 1, end)):
                    mx = low[0] + (c - row + 0.5) / per
                    # Cells that lie behind the leg's beginning, beyond its end, or too far away.
                    if (mx - a[0]) * a[6] + (my - a[1]) * a[7] + (mz - a[2]) * a[8] < -half:
                        continue
                    if (mx - z[0]) * z[6] + (my - z[1]) * z[7] + (mz - z[2]) * z[8] > half:
                        continue
                    if (mx - cx) ** 2 + (my - cy) ** 2 + (mz - cz) ** 2 > (far + half) ** 2:
                        continue
                    _reach_cell(
                        points, normals, starts[c], starts[c + 1], a, z, begin, long, turn, cx, cy, cz, far, reach,
                        best, where,
                    )  # fmt: skip


@_kernel
def _between(table, at):  # type: ignore[no-untyped-def]
    k = min(int(at), table.shape[0] - 2)
    return table[k] + (at - k) * (table[k + 1] - table[k])


@_kernel
def _strip_at(tones, x, y, wraps, across):  # type: ignore[no-untyped-def]
    """A strip between its pixels, at shares of its length and its width; beyond its borders the outermost goes on."""
    rows, columns = tones.shape
    u, v = x * columns - 0.5, y * rows - 0.5
    j, i = int(np.floor(u)), int(np.floor(v))
    s, t = u - j, v - i
    if wraps:
        j0, j1 = j % columns, (j + 1) % columns
    else:
        j0, j1 = min(max(j, 0), columns - 1), min(max(j + 1, 0), columns - 1)
    if across:
        i0, i1 = i % rows, (i + 1) % rows
    else:
        i0, i1 = min(max(i, 0), rows - 1), min(max(i + 1, 0), rows - 1)
    upper = tones[i0, j0] + s * (tones[i0, j1] - tones[i0, j0])
    lower = tones[i1, j0] + s * (tones[i1, j1] - tones[i1, j0])
    return upper + t * (lower - upper)


@_kernel
def lay(  # type: ignore[no-untyped-def]
    points, normals, lies, round_points, best, where, per, tables, sides, how, strip, cover, head, head_cover, tail,
    tail_cover, fall, tooth, bites, height, moves, touched, first, end,
):  # fmt: skip
    """Lay a band on the points that a way reaches.

    ``per`` is places of the way to a scene unit; ``tables`` (4, n) width, height of white, phase, shift; ``sides``
    (n, 3) the way to the left. ``how``: begin, end, length, 1 or -1 for which side is the top, flips along and
    across, acts, meets, level, flow, wraps, across. ``head`` and ``tail`` are the first and the last piece, empty for
    none; ``fall`` is a table over the square of the distance from the middle line.
    """
    begin, end_at, length, top = how[0], how[1], how[2], how[3]
    flips_along, flips_across = how[4] > 0, how[5] > 0
    acts, meets, level, flow = int(how[6]), int(how[7]), how[8], how[9]
    wraps, across = how[10] > 0, how[11] > 0
    widths, strong, phases, shifts = tables[0], tables[1], tables[2], tables[3]
    last_fall = fall.shape[0] - 1
    for n in range(first, end):
        d = best[n]
        if abs(d) > 1e8:
            continue
        s = where[n]
        at = s * per
        width = _between(widths, at)
        y = 0.5 - top * d / width
        if y < 0 or y > 1:
            continue
        high = _between(strong, at)
        weight = flow
        if last_fall > 0:
            far = 4 * d * d / (width * width)
            if far >= 1:
                continue
            f = int(far * last_fall)
            weight *= fall[f] + (far * last_fall - f) * (fall[min(f + 1, last_fall)] - fall[f])
        if tooth.shape[0] > 0:
            px, py, pz = points[n, 0], points[n, 1], points[n, 2]
            if lies == 1:
                py = round_points[n]
            weight *= _bite(tooth, bites, px, py, pz, normals[n, 0], normals[n, 1], normals[n, 2], s, d, lies)
        full = 1.0
        if s < begin and head.shape[0] > 0:
            x = s / begin
            h = _strip_at(head, x, y, False, False)
            if head_cover.shape[0] > 0:
                full = _strip_at(head_cover, x, y, False, False)
        elif s > end_at and tail.shape[0] > 0:
            x = (length - s) / (length - end_at)
            h = _strip_at(tail, x, y, False, False)
            if tail_cover.shape[0] > 0:
                full = _strip_at(tail_cover, x, y, False, False)
        else:
            phase = _between(phases, at)
            k = np.floor(phase)
            x, yy = phase - k, y
            if int(k) % 2 == 1:
                if flips_along:
                    x = 1 - x
                if flips_across:
                    yy = 1 - yy
            if across:
                yy = yy + _between(shifts, at)
                yy = yy - np.floor(yy)
            joined = wraps and not flips_along
            h = _strip_at(strip, x, yy, joined, across)
            if cover.shape[0] > 0:
                full = _strip_at(cover, x, yy, joined, across)
        touched[n] = 1
        here = height[n]
        if acts == 2:
            away = abs(d)
            if away > 1e-9:
                by = min(away, abs(high * h) * weight) * (1.0 if d > 0 else -1.0)
                k0 = min(int(at), sides.shape[0] - 1)
                moves[n, 0] -= by * sides[k0, 0]
                moves[n, 1] -= by * sides[k0, 1]
                moves[n, 2] -= by * sides[k0, 2]
            continue
        if acts == 1:
            height[n] = here + (level * width - here) * min(1.0, abs(h)) * weight
            continue
        up = high * h * weight
        if meets < 2:
            height[n] = _met(here, np.float32(up), meets)
        elif meets == 2:
            height[n] = here + up * (1 - min(1.0, abs(here) * 10 / max(abs(high), 1e-12)))
        elif meets == 3:
            share = weight * full
            whole = high * h * weight / share if share > 1e-6 else here
            height[n] = here + share * (whole - here)
        else:
            height[n] = here + abs(h) * weight * (1 - here)
