"""The compiled loops that press marks into the points of a surface.

No fused or reordered sums: the same heights on every machine, and on both sides of a mirror.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from .tip_kernels import tip_at, within

_kernel: Any = kernel()
_inline: Any = kernel(inline="always")
# Columns of a mark: place 0-2, normal 3-5, right 6-8, radius 9, ratio 10, flips 11 and 12, strength 13, flow 14.
# arcsin(s) / s - 1 in powers of s * s.
_SERIES = (np.float32(1 / 6), np.float32(3 / 40), np.float32(15 / 336), np.float32(105 / 3456))
# arcsin(s) = pi/2 - sqrt(1 - s) * (a polynomial in s), for s in 0..1, to 2e-8 (M. Abramowitz and I. A. Stegun,
# "Handbook of Mathematical Functions", 1964, 4.4.46).
_ARCSIN = (
    np.float32(1.5707963050), np.float32(-0.2145988016), np.float32(0.0889789874), np.float32(-0.0501743046),
    np.float32(0.0308918810), np.float32(-0.0170881256), np.float32(0.0066700901), np.float32(-0.0012624911),
)  # fmt: skip
_ONE, _QUARTER = np.float32(1), np.float32(np.pi / 2)
# Points whose places are found together.
_TOGETHER = 256


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
def _met(here, up, meets):  # type: ignore[no-untyped-def]
    """A height with one more added (``meets`` 0), or the one farther from the surface; of two as far the upper one.

    It returns a height and stores none: a store in here keeps the loop around from being vectorised, and that is
    2.2 times as slow.
    """
    if meets == 0:
        return here + up
    return up if abs(up) > abs(here) or (abs(up) == abs(here) and up > here) else here


@_kernel
def _row(levels, start, wide, left, right, top, down, strong, meets, one, two, height, touched):  # type: ignore[no-untyped-def]
    """Heights alone along a row of points, in single precision: no point needs to be asked what it is.

    A point's place in the tip is (left + right * number, top + down * number).
    """
    for n in range(one, two):
        up = strong * tip_at(levels, start, wide, left + right * n, top + down * n)
        v = np.uintp(n)
        height[v] = _met(height[v], up, meets)
        touched[v] = 1


@_kernel
def _bent_row(levels, start, wide, most, frame, points, normals, strong, meets, one, two, height, touched, at):  # type: ignore[no-untyped-def]
    """As :func:`_row` for points in cells.

    ``frame`` holds the mark's middle, normal, right and up (each x, y, z), its reach squared, where its middle lies
    in the tip, and pixels of the tip to a scene unit, across and down. ``at``, float32 (2, :data:`_TOGETHER`), is
    room for where points lie in the tip.
    """
    fx, fy, fz, gx, gy, gz, hx, hy, hz, kx, ky, kz, far_away, middle, grow, grow_y = frame
    zero = np.float32(0)
    # One coordinate after the other: rows of a length that the compiler does not know are not gone through at once.
    p, q = points.reshape(-1), normals.reshape(-1)
    for begin in range(one, two, _TOGETHER):
        count = min(_TOGETHER, two - begin)
        for n in range(count):
            i = np.uintp(3) * np.uintp(begin + n)
            j, k = i + np.uintp(1), i + np.uintp(2)
            dx, dy, dz = p[i] - fx, p[j] - fy, p[k] - fz
            x, y = bent(dx, dy, dz, q[i], q[j], q[k], gx, gy, gz, hx, hy, hz, kx, ky, kz)
            x, y = middle + x * grow, middle - y * grow_y
            at[0, n], at[1, n] = -_ONE if dx * dx + dy * dy + dz * dz > far_away else x, y
        for n in range(count):
            x, y, v = at[0, n], at[1, n], np.uintp(begin + n)
            inside = x >= 0 and y >= 0 and x <= most and y <= most
            up = strong * tip_at(levels, start, wide, x if inside else zero, y if inside else zero)
            height[v] = _met(height[v], up, meets)
            touched[v] = touched[v] | np.uint8(1 if inside else 0)


@_kernel
def _tooth_at(tooth, x, y):  # type: ignore[no-untyped-def]
    """A tooth's tone between its pixels, at a place counted in repeats."""
    rows, columns = tooth.shape
    u, v = (x - np.floor(x)) * columns - 0.5, (y - np.floor(y)) * rows - 0.5
    j, i = int(np.floor(u)), int(np.floor(v))  # -1 and above
    s, t = u - j, v - i
    j0, i0 = j if j >= 0 else columns - 1, i if i >= 0 else rows - 1
    j1, i1 = j + 1 if j + 1 < columns else 0, i + 1 if i + 1 < rows else 0
    upper = tooth[i0, j0] + s * (tooth[i0, j1] - tooth[i0, j0])
    lower = tooth[i1, j0] + s * (tooth[i1, j1] - tooth[i1, j0])
    return upper + t * (lower - upper)


@_kernel
def _bite(tooth, how, px, py, pz, qx, qy, qz, x, y, lies):  # type: ignore[no-untyped-def]
    """What a tooth leaves of a mark at a point, 0..1. ``how``: depth, repeats per scene unit, contrast, brightness,
    fixed to the mark. p is the point's place, in its own plane where the surface is even."""
    per = how[1]
    if how[4] > 0:
        tone = _tooth_at(tooth, x * per, -y * per)
    elif lies < 2:
        tone = _tooth_at(tooth, px * per, -py * per)
    else:  # from three sides, by how far each faces the point
        a, b, c = qx**4, qy**4, qz**4
        tone = (
            a * _tooth_at(tooth, pz * per, -py * per) + b * _tooth_at(tooth, px * per, pz * per)
            + c * _tooth_at(tooth, px * per, -py * per)
        ) / (a + b + c)  # fmt: skip
    tone = min(1.0, max(0.0, (tone - 0.5) * how[2] + 0.5 + how[3]))
    return 1 - how[0] * (1 - tone)


@_kernel
def span(at, reach, low, per, count):  # type: ignore[no-untyped-def]
    """The first and the last cell along an axis that a mark can reach."""
    first = int(np.floor((at - reach - low) * per))
    last = int(np.floor((at + reach - low) * per))
    return min(max(0, first), count - 1), max(0, min(count - 1, last))


@_kernel
def press(  # type: ignore[no-untyped-def]
    points, normals, even, starts, low, per, dims, lies, radius,
    marks, which, tall, wide, begins, sides, fall, tooth, how, left_by, acts, meets, push, level,
    height, moves, touched, first, end,
):  # fmt: skip
    """Press marks, one after the other, into the points of rows ``first`` to ``end``, or of so many cells.

    ``even`` holds how the points stand in rows and columns; empty where they are sorted into cells. ``acts``: 0
    raise or cut by the sign of the strength, 1 level, 2 gather. ``meets``: 0 add, 1 highest, 2 keep, 3 replace, 4
    ink (``height`` is how much of the page is inked). ``push``: 1 along the mark's own normal. ``fall`` is a table
    over the square of the distance from the middle, empty for none; ``wide`` and ``tooth`` are empty where there is
    none. ``left_by`` (n,) is what a tooth that is fixed to the surface leaves at each point, not a number where that
    was not asked yet; empty for one that is fixed to the mark. ``moves`` (n, 3) is empty unless points move otherwise
    than along their normals.
    """
    whole, falls, bites, rows = wide.shape[0] == 0, fall.shape[0] > 0, tooth.shape[0] > 0, even.shape[0] > 0
    last_fall, fixed = fall.shape[0] - 1, left_by.shape[0] == 0
    count, columns, left, top, step, down = 0, 0, 0.0, 0.0, 1.0, 1.0
    at = np.empty((2, _TOGETHER), np.float32)
    if rows:
        count, columns, left, top, step, down = int(even[0]), int(even[1]), even[2], even[3], even[4], even[5]
    for n in range(marks.shape[0]):
        size = marks[n, 9]
        if size <= 0:
            continue
        cx, cy, cz = marks[n, 0], marks[n, 1], marks[n, 2]
        mx, my, mz = marks[n, 3], marks[n, 4], marks[n, 5]
        rx, ry, rz = marks[n, 6], marks[n, 7], marks[n, 8]
        ux, uy, uz = my * rz - mz * ry, mz * rx - mx * rz, mx * ry - my * rx
        start, side = begins[which[n]], sides[which[n]]
        ratio, flow = marks[n, 10], marks[n, 14]
        reach = size * np.sqrt(1 + ratio * ratio)
        far_away = np.float32(reach * reach)
        # The same in single precision, for the many points of bent surfaces.
        fx, fy, fz = np.float32(cx), np.float32(cy), np.float32(cz)
        gx, gy, gz = np.float32(mx), np.float32(my), np.float32(mz)
        hx, hy, hz = np.float32(rx), np.float32(ry), np.float32(rz)
        kx, ky, kz = np.float32(ux), np.float32(uy), np.float32(uz)
        plain = acts == 0 and push == 0 and whole and not falls and not bites and meets < 2
        strong = np.float32(marks[n, 13] * 2 * size * flow)
        frame = (
            fx, fy, fz, gx, gy, gz, hx, hy, hz, kx, ky, kz, far_away, np.float32(side / 2 + 0.5),
            np.float32(marks[n, 11] * side / (2 * size)), np.float32(marks[n, 12] * side / (2 * size * ratio)),
        )  # fmt: skip
        middle, most = side / 2 + 0.5, side + 0.999
        grow, grow_y = marks[n, 11] * side / (2 * size), marks[n, 12] * side / (2 * size * ratio)
        high = marks[n, 13] * 2 * size
        there = 10 / max(abs(high), 1e-12)  # a tenth of a mark's own height is wholly there
        # The spans of points to look at: rows of the grid, or rows of cells.
        a0 = a1 = b0 = b1 = c0 = c1 = 0
        r_down, u_down, at_down = ry, uy, cy
        if rows:
            if lies == 1:
                r_down, u_down = my * rz - mz * ry, my * uz - mz * uy
                at_down = radius * np.arctan2(mz, my)
            middle_row = (at_down - top) / down
            over = reach / abs(down)
            if lies == 1 and 2 * over >= count:
                a0, a1 = 0, count - 1
            else:
                a0, a1 = int(np.ceil(middle_row - over)), int(np.floor(middle_row + over))
                if lies == 0:
                    a0, a1 = max(a0, first), min(a1, end - 1)
        else:
            c0, c1 = span(cx, reach, low[0], per, dims[0])
            b0, b1 = span(cy, reach, low[1], per, dims[1])
            a0, a1 = span(cz, reach, low[2], per, dims[2])
            layer = dims[0] * dims[1]
            a0, a1 = max(a0, first // layer), min(a1, (end - 1) // layer)
        for a in range(a0, a1 + 1):
            for b in range(b0, b1 + 1):
                y_row = x_row = 0.0
                if rows:
                    row = a % count
                    if row < first or row >= end:
                        continue
                    off = top + row * down - at_down
                    if lies == 1:
                        whole_way = 2 * np.pi * radius
                        off -= whole_way * np.floor(off / whole_way + 0.5)
                    x_row, y_row = (left - cx) * rx + off * r_down, (left - cx) * ux + off * u_down
                    one, two = within(middle + x_row * grow, step * rx * grow, most, 0, columns)
                    one, two = within(middle - y_row * grow_y, -step * ux * grow_y, most, one, two)
                    base = row * columns
                    one, two = base + one, base + two
                else:
                    # Only cells of this row that the ball round the mark reaches.
                    dy = max(low[1] + b / per - cy, cy - low[1] - (b + 1) / per, 0.0)
                    dz = max(low[2] + a / per - cz, cz - low[2] - (a + 1) / per, 0.0)
                    over = reach * reach - dy * dy - dz * dz
                    if over < 0:
                        continue
                    c0, c1 = span(cx, np.sqrt(over), low[0], per, dims[0])
                    cell = (a * dims[1] + b) * dims[0]
                    one, two = max(cell + c0, first), min(cell + c1 + 1, end)
                    if two <= one:
                        continue
                    one, two, base = starts[one], starts[two], 0
                if rows and plain:  # nothing but heights: no point needs to be asked what it is
                    i0, i1 = middle - y_row * grow_y, -step * ux * grow_y
                    j0, j1 = middle + x_row * grow, step * rx * grow
                    _row(
                        tall, start, side + 2, j0 - j1 * base, j1, i0 - i1 * base, i1, strong, meets, one, two,
                        height, touched,
                    )  # fmt: skip
                    continue
                if plain:
                    _bent_row(
                        tall, start, side + 2, np.float32(most), frame, points, normals, strong, meets, one, two,
                        height, touched, at,
                    )  # fmt: skip
                    continue
                for v in range(one, two):
                    if rows:
                        along = (v - base) * step
                        x, y = x_row + along * rx, y_row + along * ux
                    else:
                        dx, dy, dz = points[v, 0] - fx, points[v, 1] - fy, points[v, 2] - fz
                        if dx * dx + dy * dy + dz * dz > far_away:
                            continue
                        qx, qy, qz = normals[v, 0], normals[v, 1], normals[v, 2]
                        x, y = bent(dx, dy, dz, qx, qy, qz, gx, gy, gz, hx, hy, hz, kx, ky, kz)
                    i, j = middle - y * grow_y, middle + x * grow
                    if i < 0 or j < 0 or i > most or j > most:
                        continue
                    weight = flow
                    if falls:
                        far = (x * x + y * y / (ratio * ratio)) / (size * size)
                        if far >= 1:
                            continue
                        where = far * last_fall
                        f = int(where)
                        weight *= fall[f] + (where - f) * (fall[f + 1] - fall[f])
                    if bites:
                        left_here = np.nan if fixed else left_by[v]
                        if np.isnan(left_here):
                            px, py, pz = points[v, 0], points[v, 1], points[v, 2]
                            if lies == 1:
                                py = np.float32(top + (v // columns) * down)
                            left_here = _bite(
                                tooth, how, px, py, pz, normals[v, 0], normals[v, 1], normals[v, 2], x, y, lies
                            )
                            if not fixed:
                                left_by[v] = left_here
                        weight *= left_here
                    h = tip_at(tall, start, side + 2, j, i)
                    touched[v] = 1
                    if acts == 2:
                        away = np.sqrt(x * x + y * y)
                        if away > 1e-9:
                            by = min(away, abs(high * h) * weight) / away
                            moves[v, 0] -= by * (x * rx + y * ux)
                            moves[v, 1] -= by * (x * ry + y * uy)
                            moves[v, 2] -= by * (x * rz + y * uz)
                        continue
                    if acts == 1:
                        height[v] += (level * 2 * size - height[v]) * min(1.0, abs(h)) * weight
                        continue
                    up = high * h * weight
                    if push == 1:
                        qx, qy, qz = normals[v, 0], normals[v, 1], normals[v, 2]
                        alike = mx * qx + my * qy + mz * qz
                        moves[v, 0] += up * (mx - alike * qx)
                        moves[v, 1] += up * (my - alike * qy)
                        moves[v, 2] += up * (mz - alike * qz)
                        up *= alike
                    here = height[v]
                    if meets < 2:
                        height[v] = _met(here, up, meets)
                    elif meets == 2:
                        height[v] = here + up * (1 - min(1.0, abs(here) * there))
                    elif meets == 3:
                        cover = weight if whole else weight * tip_at(wide, start, side + 2, j, i)
                        full = high * h if whole else high * h * weight / cover if cover > 1e-6 else here
                        height[v] = here + cover * (full - here)
                    else:
                        height[v] = here + abs(h) * weight * (1 - here)
