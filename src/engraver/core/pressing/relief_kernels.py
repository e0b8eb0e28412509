"""The compiled loops that press marks into the points of a surface.

No fused or reordered sums: the same heights on every machine, and on both sides of a mirror.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from ..numeric.coordinates import coordinates
from .place_kernels import bent, most_spans, spans
from .tip_kernels import tip_at

_kernel: Any = kernel()
_ONE = np.float32(1)
# Points whose places are found together.
_TOGETHER = 256

# Columns of a mark: place 0-2, normal 3-5, right 6-8, radius 9, ratio 10, flips 11 and 12, strength 13, flow 14.


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
    p, q = points.reshape(-1), normals.reshape(-1)
    for begin in range(one, two, _TOGETHER):
        count = min(_TOGETHER, two - begin)
        for n in range(count):
            i, j, k = coordinates(begin + n)
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
def press_plain(  # type: ignore[no-untyped-def]
    points, normals, even, starts, low, per, dims, lies, radius,
    marks, which, tall, begins, sides, meets, height, touched, first, end,
):  # fmt: skip
    """As :func:`press`, for marks that are nothing but heights, all of them there, which are added or the highest of
    which stands: no point needs to be asked what it is."""
    rows = even.shape[0] > 0
    step, room = even[4] if rows else 1.0, most_spans(even, dims)
    span, place = np.empty((room, 3), np.int64), np.empty((room, 2))
    at = np.empty((2, _TOGETHER), np.float32)
    for n in range(marks.shape[0]):
        size, ratio = marks[n, 9], marks[n, 10]
        if size <= 0:
            continue
        start, side = begins[which[n]], sides[which[n]]
        rx, ry, rz = marks[n, 6], marks[n, 7], marks[n, 8]
        mx, my, mz = marks[n, 3], marks[n, 4], marks[n, 5]
        ux, uy, uz = my * rz - mz * ry, mz * rx - mx * rz, mx * ry - my * rx
        middle, strong = side / 2 + 0.5, np.float32(marks[n, 13] * 2 * size * marks[n, 14])
        grow, grow_y = marks[n, 11] * side / (2 * size), marks[n, 12] * side / (2 * size * ratio)
        frame = (
            np.float32(marks[n, 0]), np.float32(marks[n, 1]), np.float32(marks[n, 2]), np.float32(mx), np.float32(my),
            np.float32(mz), np.float32(rx), np.float32(ry), np.float32(rz), np.float32(ux), np.float32(uy),
            np.float32(uz), np.float32(size * size * (1 + ratio * ratio)), np.float32(middle), np.float32(grow),
            np.float32(grow_y),
        )  # fmt: skip
        count = spans(even, starts, low, per, dims, lies, radius, marks[n], side, first, end, span, place)
        for s in range(count):
            one, two, base = span[s, 0], span[s, 1], span[s, 2]
            if rows:
                i0, i1 = middle - place[s, 1] * grow_y, -step * ux * grow_y
                j0, j1 = middle + place[s, 0] * grow, step * rx * grow
                _row(
                    tall, start, side + 2, j0 - j1 * base, j1, i0 - i1 * base, i1, strong, meets, one, two, height,
                    touched,
                )  # fmt: skip
            else:
                _bent_row(
                    tall, start, side + 2, np.float32(side + 0.999), frame, points, normals, strong, meets, one, two,
                    height, touched, at,
                )  # fmt: skip


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
    last_fall, fixed, room = fall.shape[0] - 1, left_by.shape[0] == 0, most_spans(even, dims)
    columns, top, step, down = 1, 0.0, 1.0, 1.0
    if rows:
        columns, top, step, down = int(even[1]), even[3], even[4], even[5]
    span, place = np.empty((room, 3), np.int64), np.empty((room, 2))
    for n in range(marks.shape[0]):
        size = marks[n, 9]
        if size <= 0:
            continue
        mx, my, mz = marks[n, 3], marks[n, 4], marks[n, 5]
        rx, ry, rz = marks[n, 6], marks[n, 7], marks[n, 8]
        ux, uy, uz = my * rz - mz * ry, mz * rx - mx * rz, mx * ry - my * rx
        start, side = begins[which[n]], sides[which[n]]
        ratio, flow = marks[n, 10], marks[n, 14]
        far_away = np.float32(size * size * (1 + ratio * ratio))
        # The same in single precision, for the many points of bent surfaces.
        fx, fy, fz = np.float32(marks[n, 0]), np.float32(marks[n, 1]), np.float32(marks[n, 2])
        gx, gy, gz = np.float32(mx), np.float32(my), np.float32(mz)
        hx, hy, hz = np.float32(rx), np.float32(ry), np.float32(rz)
        kx, ky, kz = np.float32(ux), np.float32(uy), np.float32(uz)
        middle, most = side / 2 + 0.5, side + 0.999
        grow, grow_y = marks[n, 11] * side / (2 * size), marks[n, 12] * side / (2 * size * ratio)
        high = marks[n, 13] * 2 * size
        there = 10 / max(abs(high), 1e-12)  # a tenth of a mark's own height is wholly there
        count = spans(even, starts, low, per, dims, lies, radius, marks[n], side, first, end, span, place)
        for s in range(count):
            one, two, base, x_row, y_row = span[s, 0], span[s, 1], span[s, 2], place[s, 0], place[s, 1]
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
