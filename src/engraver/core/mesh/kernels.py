"""The compiled loops of meshes: placing points, drawing heights, joining points, shading.

Plain loops without Numba's own threads; bands of rows run in Python threads with the
lock released. No reordered or joined sums: a pixel on an edge must fall to one side for both triangles.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from ..numeric.coordinates import coordinates, entries

_kernel: Any = kernel()
_part: Any = kernel(inline="always")
# Of points that are all numbers the least and the most are found many at once.
_numbers: Any = kernel(fastmath={"nnan", "nsz"})
# Samples along a side of a tile, a power of two, of which only the farthest one is asked whether it hides something.
TILE_BITS = 3
TILE = 1 << TILE_BITS
# A triangle of so few rows is drawn row by row.
FEW_ROWS = 2
# What is done with faces that look away.
DRAWN, LEFT_OUT, PUT_OFF = 0, 1, 2


@_kernel
def place(points, matrix, shift, out):  # type: ignore[no-untyped-def]
    """``out = matrix @ point + shift`` for every point, in double precision."""
    p, to = points.reshape(-1), out.reshape(-1)
    a, b, c, d, e, f, g, h, m = entries(matrix)
    right, down, near = shift[0], shift[1], shift[2]
    for n in range(points.shape[0]):
        i, j, k = coordinates(n)
        x, y, z = float(p[i]), float(p[j]), float(p[k])
        to[i] = a * x + b * y + c * z + right
        to[j] = d * x + e * y + f * z + down
        to[k] = g * x + h * y + m * z + near


@_numbers
def bounds(points, matrix, out):  # type: ignore[no-untyped-def]
    """Lowest and highest x and y of all points turned by a matrix: ``out`` (4,) is low x, low y, high x, high y."""
    p = points.reshape(-1)
    a, b, c, d, e, f, _, _, _ = entries(matrix)
    left = top = np.inf
    right = bottom = -np.inf
    for n in range(points.shape[0]):
        i, j, k = coordinates(n)
        x, y, z = float(p[i]), float(p[j]), float(p[k])
        u, v = a * x + b * y + c * z, d * x + e * y + f * z
        left, right, top, bottom = min(left, u), max(right, u), min(top, v), max(bottom, v)
    out[0], out[1], out[2], out[3] = left, top, right, bottom


@_part
def _within(y, sides, columns):  # type: ignore[no-untyped-def]
    """The first column whose middle lies in a triangle in the row of middles ``y``, and how many do.

    ``sides`` are the upper and the middle corner, and how far the long, the upper and the lower side go right by row.
    """
    xa, ya, xb, yb, long, upper, lower = sides
    one = xa + (y - ya) * long
    two = xa + (y - ya) * upper if y < yb else xb + (y - yb) * lower
    first = max(int(np.ceil(min(one, two) - 0.5)), 0)
    return first, min(int(np.ceil(max(one, two) - 0.5)), columns) - first


@_part
def _nearer(samples, start, column, count, level, dzdx, deep, near):  # type: ignore[no-untyped-def]
    """Bring samples from ``start`` on as near as a plane, ``level`` at column 0 of the row, where that is nearer."""
    for k in range(count):
        z = np.float32(min(max(level + (column + k + 0.5) * dzdx, deep), near))
        was = samples[start + np.uintp(k)]
        samples[start + np.uintp(k)] = z if z > was else was


@_kernel
def heights(screen, faces, back, top, bottom, out, later):  # type: ignore[no-untyped-def]
    """Draw the nearest surface into rows ``top`` to ``bottom`` of ``out`` (-inf where nothing is).

    Faces whose corners run clockwise to the eye are drawn like the others, left out, or put off, as ``back`` says:
    then their numbers are written into ``later``, int32, as long as there are faces. Returns how many these are.

    ``screen`` holds x and y in pixels (y down) and z towards the eye. Row 0 of ``out`` is
    row ``top``. A pixel is drawn when its centre lies inside: left and upper borders
    belong to a triangle, right and lower ones do not. Every border is followed from its
    upper end, so two triangles that share it agree to the last bit: no gap, nothing twice.
    """
    samples, columns, put_off = out.reshape(-1), out.shape[1], 0
    starts, counts = np.empty(bottom - top, np.int64), np.empty(bottom - top, np.int64)
    for t in range(faces.shape[0]):
        u = np.uintp(t)
        a, b, c = np.uintp(faces[u, 0]), np.uintp(faces[u, 1]), np.uintp(faces[u, 2])
        ya, yb, yc = screen[a, 1], screen[b, 1], screen[c, 1]
        r0 = max(int(np.ceil(min(ya, yb, yc) - 0.5)), top)
        r1 = min(int(np.ceil(max(ya, yb, yc) - 0.5)), bottom)
        if r0 >= r1:
            continue
        xa, xb, xc = screen[a, 0], screen[b, 0], screen[c, 0]
        low, high = min(xa, xb, xc), max(xa, xb, xc)
        if high < 0.5 or low > columns - 0.5 or np.ceil(low - 0.5) >= np.ceil(high - 0.5):
            continue
        area = (xb - xa) * (yc - ya) - (xc - xa) * (yb - ya)
        if area == 0 or (back == LEFT_OUT and area > 0):
            continue
        if back == PUT_OFF and area > 0:
            later[put_off] = t
            put_off += 1
            continue
        za, zb, zc = screen[a, 2], screen[b, 2], screen[c, 2]
        inverse = 1.0 / area
        dzdx = ((zb - za) * (yc - ya) - (zc - za) * (yb - ya)) * inverse
        dzdy = ((zc - za) * (xb - xa) - (zb - za) * (xc - xa)) * inverse
        deep, near = min(za, zb, zc), max(za, zb, zc)
        z_start = za - xa * dzdx - ya * dzdy
        if yb < ya:
            xa, ya, xb, yb = xb, yb, xa, ya
        if yc < yb:
            xb, yb, xc, yc = xc, yc, xb, yb
        if yb < ya:
            xa, ya, xb, yb = xb, yb, xa, ya
        long = (xc - xa) / (yc - ya)
        upper = (xb - xa) / (yb - ya) if yb > ya else 0.0
        lower = (xc - xb) / (yc - yb) if yc > yb else 0.0
        sides = xa, ya, xb, yb, long, upper, lower
        if r1 - r0 <= FEW_ROWS:
            for r in range(r0, r1):
                c0, count = _within(r + 0.5, sides, columns)
                start = np.uintp((r - top) * columns + c0)
                _nearer(samples, start, c0, count, z_start + (r + 0.5) * dzdy, dzdx, deep, near)
            continue
        # All rows first: where one ends cannot be guessed, and then nothing waits for it but its own samples.
        for i in range(r1 - r0):
            starts[i], counts[i] = _within(r0 + i + 0.5, sides, columns)
        for i in range(r1 - r0):
            c0 = starts[i]
            start = np.uintp((r0 + i - top) * columns + c0)
            _nearer(samples, start, c0, counts[i], z_start + (r0 + i + 0.5) * dzdy, dzdx, deep, near)
    return put_off


@_kernel
def farthest(fine, tiles):  # type: ignore[no-untyped-def]
    """The farthest of every TILE by TILE samples, -inf where one has nothing, into ``tiles``, float32."""
    rows, columns = fine.shape
    low = np.empty(columns, np.float32)
    for i in range(tiles.shape[0]):
        for c in range(columns):
            low[c] = fine[i * TILE, c]
        for r in range(i * TILE + 1, min((i + 1) * TILE, rows)):
            row = fine[r]
            for c in range(columns):
                low[c] = row[c] if row[c] < low[c] else low[c]
        for j in range(tiles.shape[1]):
            far = low[j * TILE]
            for c in range(j * TILE + 1, min((j + 1) * TILE, columns)):
                far = min(far, low[c])
            tiles[i, j] = far


@_kernel
def not_hidden(screen, faces, which, count, top, bottom, columns, tiles):  # type: ignore[no-untyped-def]
    """Of the first ``count`` faces in ``which`` those that may be nearer than what is drawn, kept in its beginning;
    returns how many. ``tiles`` are those of :func:`farthest`, of rows ``top`` to ``bottom``; faces lie in them."""
    left = 0
    for n in range(count):
        t = np.uintp(which[n])
        a, b, c = np.uintp(faces[t, 0]), np.uintp(faces[t, 1]), np.uintp(faces[t, 2])
        ya, yb, yc = screen[a, 1], screen[b, 1], screen[c, 1]
        xa, xb, xc = screen[a, 0], screen[b, 0], screen[c, 0]
        near = np.float32(max(screen[a, 2], screen[b, 2], screen[c, 2]))
        r0 = max(int(np.ceil(min(ya, yb, yc) - 0.5)), top) - top
        r1 = min(int(np.ceil(max(ya, yb, yc) - 0.5)), bottom) - top
        c0 = max(int(np.ceil(max(min(xa, xb, xc), 0.0) - 0.5)), 0)
        c1 = min(int(np.ceil(min(max(xa, xb, xc), float(columns)) - 0.5)), columns)
        far = np.float32(np.inf)
        for i in range(r0 >> TILE_BITS, ((r1 - 1) >> TILE_BITS) + 1):
            for j in range(c0 >> TILE_BITS, ((c1 - 1) >> TILE_BITS) + 1):
                far = min(far, tiles[np.uintp(i), np.uintp(j)])
            if near > far:
                break
        which[left] = t
        left += 1 if near > far else 0
    return left


@_kernel
def single(drawn, cover):  # type: ignore[no-untyped-def]
    """As :func:`average` of one sample a pixel, in place: ``drawn`` has 0 where nothing was hit, ``cover`` 1 or 0."""
    for i in range(drawn.shape[0]):
        row, hits = drawn[i], cover[i]
        for j in range(drawn.shape[1]):
            hit = row[j] > -np.inf
            row[j] = row[j] if hit else np.float32(0)
            hits[j] = np.float32(1) if hit else np.float32(0)


@_kernel
def average(fine, factor, out, cover):  # type: ignore[no-untyped-def]
    """Mean of the samples that hit in every block of ``factor`` by ``factor``, and their share."""
    whole = factor * factor
    for i in range(out.shape[0]):
        for j in range(out.shape[1]):
            total, count = 0.0, 0
            for a in range(factor):
                for b in range(factor):
                    z = fine[i * factor + a, j * factor + b]
                    if z > -np.inf:
                        total += z
                        count += 1
            out[i, j] = total / count if count else 0.0
            cover[i, j] = count / whole


@_kernel
def tones(height, cover, lo, hi, zero, scale, level):  # type: ignore[no-untyped-def]
    """Heights to tones in place: cut to ``lo``..``hi``, ``zero`` at ``level``; ``level`` where nothing is."""
    low, high, middle = np.float32(lo), np.float32(hi), np.float32(zero)
    factor, ground = np.float32(scale), np.float32(level)
    for i in range(height.shape[0]):
        for j in range(height.shape[1]):
            z = min(max(height[i, j], low), high)
            height[i, j] = (z - middle) * factor + ground if cover[i, j] > 0 else ground


@_kernel
def join(points, bits, table, first, to):  # type: ignore[no-untyped-def]
    """Number points so that equal ones share a number; returns how many differ.

    ``bits`` are the float32 coordinates as int32, ``table`` an open-addressed hash table of
    a power of two entries, all -1. ``first[k]`` becomes the place of number k's first point.
    """
    mask = np.uint64(table.size - 1)
    count = 0
    for n in range(points.shape[0]):
        h = np.uint64(1469598103934665603)
        for k in range(3):
            h = (h ^ np.uint64(np.uint32(bits[n, k]))) * np.uint64(1099511628211)
        h ^= h >> np.uint64(29)
        place = h & mask
        while True:
            known = table[place]
            if known < 0:
                table[place] = count
                first[count] = n
                to[n] = count
                count += 1
                break
            m = first[known]
            if bits[m, 0] == bits[n, 0] and bits[m, 1] == bits[n, 1] and bits[m, 2] == bits[n, 2]:
                to[n] = known
                break
            place = (place + np.uint64(1)) & mask
    return count


@_kernel
def shade(height, pixel, lamp, fill, ambient, top, bottom, out):  # type: ignore[no-untyped-def]
    """Brightness of a height picture (-inf where nothing is, then -1): Lambert from a lamp and a weak fill.

    ``pixel`` is the width of a pixel in units of height. Of the two slopes at a pixel the
    gentler counts, so that an outline casts no dark seam.
    """
    rows, columns = height.shape
    for i in range(top, bottom):
        for j in range(columns):
            z = height[i, j]
            if not z > -np.inf:
                out[i, j] = -1
                continue
            across, down = np.inf, np.inf
            if j + 1 < columns and height[i, j + 1] > -np.inf:
                across = height[i, j + 1] - z
            if j > 0 and height[i, j - 1] > -np.inf and abs(z - height[i, j - 1]) < abs(across):
                across = z - height[i, j - 1]
            if i + 1 < rows and height[i + 1, j] > -np.inf:
                down = height[i + 1, j] - z
            if i > 0 and height[i - 1, j] > -np.inf and abs(z - height[i - 1, j]) < abs(down):
                down = z - height[i - 1, j]
            nx = -across if across < np.inf else 0.0
            ny = down if down < np.inf else 0.0
            size = np.sqrt(nx * nx + ny * ny + pixel * pixel)
            lit = (nx * lamp[0] + ny * lamp[1] + pixel * lamp[2]) / size
            back = (nx * fill[0] + ny * fill[1] + pixel * fill[2]) / size
            out[i, j] = min(ambient + 0.72 * max(lit, 0.0) + 0.16 * max(back, 0.0), 1.0)


@_kernel
def plaster(light, cover, height, ramp, ground, lo, hi, tints, hatch, out):  # type: ignore[no-untyped-def]
    """Brightness to colour (H, W, 3): over the ground by coverage, hatched where heights go beyond ``lo``, ``hi``."""
    rows, columns = light.shape
    last = ramp.shape[0] - 1
    for i in range(rows):
        for j in range(columns):
            share = cover[i, j]
            step = int(min(max(light[i, j], 0.0), 1.0) * last)
            which = -1
            if share > 0 and (i + j) % hatch < hatch // 2:
                if height[i, j] > hi:
                    which = 0
                elif height[i, j] < lo:
                    which = 1
            for k in range(3):
                value = ground[k] + (ramp[step, k] - ground[k]) * share
                if which >= 0:
                    value += (tints[which, k] - value) * 0.5
                out[i, j, k] = np.uint8(min(max(value + 0.5, 0.0), 255.0))


def warm() -> None:
    """Compile every kernel (or fetch it from the cache) for the types that are used."""
    three = np.zeros((3, 3), np.float32)
    screen = np.zeros((3, 3))
    faces = np.zeros((1, 3), np.int32)
    grid = np.zeros((2, 2), np.float32)
    place(three, np.eye(3), np.zeros(3), screen)
    place(screen, np.eye(3), np.zeros(3), screen)
    bounds(three, np.eye(3), np.zeros(4))
    bounds(screen, np.eye(3), np.zeros(4))
    some = np.zeros(1, np.int32)
    heights(screen, faces, 0, 0, 2, grid.copy(), some)
    farthest(grid, np.zeros((1, 1), np.float32))
    not_hidden(screen, faces, some, 1, 0, 2, 2, np.zeros((1, 1), np.float32))
    single(grid.copy(), grid.copy())
    average(grid, 1, grid.copy(), grid.copy())
    tones(grid.copy(), grid.copy(), 0.0, 1.0, 0.5, 1.0, 0.5)
    join(three, three.view(np.int32), np.full(8, -1, np.int32), np.zeros(3, np.int32), np.zeros(3, np.int32))
    shade(grid, 1.0, np.zeros(3), np.zeros(3), 0.2, 0, 2, grid.copy())
    ramp, seen = np.zeros((2, 3), np.float32), np.zeros((2, 2, 3), np.uint8)
    plaster(grid, grid, grid, ramp, ramp[0], 0.0, 1.0, ramp, 7, seen)
