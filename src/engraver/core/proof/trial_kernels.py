"""The compiled loops that draw a surface with marks in it: where its points are seen, which is nearest, its light."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel
from ..numeric.coordinates import coordinates, entries

_kernel: Any = kernel()
_fast: Any = kernel(fastmath=True)
_through: Any = kernel(fastmath=True, inline="always")
# Products and sums may be joined to one rounding, but are not put into another order: an edge is the same from both
# of its sides.
_finite: Any = kernel(fastmath={"nnan", "ninf", "nsz", "contract"})
# Triangles whose place on the screen is kept together.
BLOCK = 256
# A colour as one number: bits of each of its parts, and those of them below 1. Four add up without carrying.
PLACES, FRACTION = 20, 10


@_through
def _see(points, normals, turn, scale, camera, centre_x, centre_y, n, out, carried):  # type: ignore[no-untyped-def]
    """A point to the screen (x, y, nearness) for an eye ``camera`` away along z, and its normal to the eye's axes.

    All hold one coordinate after the other; ``turn`` is the rotation's :func:`~..numeric.coordinates.entries`.
    """
    i, j, k = coordinates(n)
    a, b, c, d, e, f, g, h, l = turn  # noqa: E741
    px, py, pz = points[i], points[j], points[k]
    away = max(camera - (g * px + h * py + l * pz), np.float32(0.05))
    grown = scale / away
    out[i] = centre_x + (a * px + b * py + c * pz) * grown
    out[j] = centre_y - (d * px + e * py + f * pz) * grown
    out[k] = -away
    nx, ny, nz = normals[i], normals[j], normals[k]
    carried[i] = a * nx + b * ny + c * nz
    carried[j] = d * nx + e * ny + f * nz
    carried[k] = g * nx + h * ny + l * nz


@_through
def _one_by_one(points, normals, rotation, out, carried):  # type: ignore[no-untyped-def]
    """What :func:`_see` takes, from arrays of points (n, 3)."""
    return points.reshape(-1), normals.reshape(-1), entries(rotation), out.reshape(-1), carried.reshape(-1)


@_fast
def project(points, normals, rotation, scale, camera, centre_x, centre_y, first, end, out, carried):  # type: ignore[no-untyped-def]
    """Points ``first`` to ``end`` to the screen."""
    p, q, turn, to, eye = _one_by_one(points, normals, rotation, out, carried)
    for n in range(first, end):
        _see(p, q, turn, scale, camera, centre_x, centre_y, n, to, eye)


@_fast
def project_some(points, normals, rotation, scale, camera, centre_x, centre_y, which, count, out, carried):  # type: ignore[no-untyped-def]
    """As :func:`project` for some points; returns the box on the screen of where they were and where they are."""
    p, q, turn, to, eye = _one_by_one(points, normals, rotation, out, carried)
    left, top, right, bottom = np.float32(1e9), np.float32(1e9), np.float32(-1e9), np.float32(-1e9)
    for k in range(count):
        n = which[k]
        left, right = min(left, out[n, 0]), max(right, out[n, 0])
        top, bottom = min(top, out[n, 1]), max(bottom, out[n, 1])
        _see(p, q, turn, scale, camera, centre_x, centre_y, n, to, eye)
        left, right = min(left, out[n, 0]), max(right, out[n, 0])
        top, bottom = min(top, out[n, 1]), max(bottom, out[n, 1])
    return left, top, right, bottom


@_kernel
def blocks_of(which, count, starts, around, mark):  # type: ignore[no-untyped-def]
    """Mark the blocks that have a triangle at one of some points; ``mark`` (blocks,) is set to 1 there."""
    for n in range(count):
        for k in range(starts[which[n]], starts[which[n] + 1]):
            mark[around[k] // BLOCK] = 1


@_kernel
def blocks(points, faces, wanted, first, last, out):  # type: ignore[no-untyped-def]
    """A ball round the points of each wanted block of triangles: its middle and its radius, float32 (blocks, 4)."""
    for b in range(first, last):
        if wanted[b] == 0:
            continue
        end = min((b + 1) * BLOCK, faces.shape[0])
        v = faces[b * BLOCK, 0]
        x0 = x1 = points[v, 0]
        y0 = y1 = points[v, 1]
        z0 = z1 = points[v, 2]
        for f in range(b * BLOCK, end):
            for k in range(3):
                v = np.uintp(faces[f, k])
                x, y, z = points[v, 0], points[v, 1], points[v, 2]
                x0, x1, y0, y1, z0, z1 = min(x0, x), max(x1, x), min(y0, y), max(y1, y), min(z0, z), max(z1, z)
        out[b, 0], out[b, 1], out[b, 2] = (x0 + x1) / 2, (y0 + y1) / 2, (z0 + z1) / 2
        out[b, 3] = np.sqrt((x1 - x0) ** 2 + (y1 - y0) ** 2 + (z1 - z0) ** 2) / 2


@_kernel
def boxes(balls, rotation, scale, camera, centre_x, centre_y, out):  # type: ignore[no-untyped-def]
    """Where each block can be seen: left, top, right, bottom."""
    for b in range(balls.shape[0]):
        px, py, pz, radius = balls[b, 0], balls[b, 1], balls[b, 2], balls[b, 3]
        x = rotation[0, 0] * px + rotation[0, 1] * py + rotation[0, 2] * pz
        y = rotation[1, 0] * px + rotation[1, 1] * py + rotation[1, 2] * pz
        away = camera - (rotation[2, 0] * px + rotation[2, 1] * py + rotation[2, 2] * pz)
        if away - radius < np.float32(0.1):  # so near that it may be anywhere
            out[b, 0] = out[b, 1] = np.float32(-1e9)
            out[b, 2] = out[b, 3] = np.float32(1e9)
            continue
        nearest, middle = scale / (away - radius), scale / away
        # A point of the ball lies at most so far from where its middle is seen.
        off = radius * nearest + np.sqrt(x * x + y * y) * (nearest - middle) + np.float32(1)
        out[b, 0], out[b, 2] = centre_x + x * middle - off, centre_x + x * middle + off
        out[b, 1], out[b, 3] = centre_y - y * middle - off, centre_y - y * middle + off


@_finite
def draw(screen, carried, faces, box, depth, image, wire, thick, large, left, right, top, bottom):  # type: ignore[no-untyped-def]
    """Draw triangles into a rectangle of pixels; the nearest wins.

    ``carried`` (n, 3) is joined linearly across each triangle (H. Gouraud, 1971) into ``image`` (3, rows, columns).
    A pixel belongs to a triangle when its middle lies inside or on its border, so that shared edges leave no gaps.
    With ``thick`` over 0, ``wire`` (rows, columns) is 1 so near to an edge, in pixels, of triangles of more than
    half of ``large`` squared pixels.
    """
    half, least, one = np.float32(0.5), np.float32(-1e-5), np.float32(1)
    # One value after the other, by places that are never below 0: none has to be worked out from rows and columns.
    at, normal, corner = screen.reshape(-1), carried.reshape(-1), faces.reshape(-1)
    near, lines, wide = depth.reshape(-1), wire.reshape(-1), np.uintp(depth.shape[1])
    across, down, towards = image[0].reshape(-1), image[1].reshape(-1), image[2].reshape(-1)
    u1, u2, u3, wired = np.uintp(1), np.uintp(2), np.uintp(3), thick > 0
    for b in range(box.shape[0]):
        if box[b, 3] < top or box[b, 1] > bottom or box[b, 2] < left or box[b, 0] > right:
            continue
        for f in range(b * BLOCK, min((b + 1) * BLOCK, faces.shape[0])):
            first = u3 * np.uintp(f)
            i, j, k = (
                u3 * np.uintp(corner[first]),
                u3 * np.uintp(corner[first + u1]),
                u3 * np.uintp(corner[first + u2]),
            )
            y0, y1, y2 = at[i + u1], at[j + u1], at[k + u1]
            r0 = max(int(np.ceil(min(y0, min(y1, y2)) - half)), top)
            r1 = min(int(np.floor(max(y0, max(y1, y2)) - half)), bottom - 1)
            if r1 < r0:
                continue
            x0, x1, x2 = at[i], at[j], at[k]
            c0 = max(int(np.ceil(min(x0, min(x1, x2)) - half)), left)
            c1 = min(int(np.floor(max(x0, max(x1, x2)) - half)), right - 1)
            if c1 < c0:
                continue
            ax, ay, bx, by = x1 - x0, y1 - y0, x2 - x0, y2 - y0
            area = ax * by - bx * ay
            if area >= 0:  # faces away, or is seen on its edge
                continue
            inverse = one / area
            e0 = e1 = e2 = np.float32(0)
            if wired and -area > large:
                e0 = -area / np.sqrt((x2 - x1) ** 2 + (y2 - y1) ** 2)
                e1, e2 = -area / np.sqrt(bx * bx + by * by), -area / np.sqrt(ax * ax + ay * ay)
            z0 = at[i + u2]
            dz1, dz2 = at[j + u2] - z0, at[k + u2] - z0
            a1, b1, a2, b2 = by * inverse, -bx * inverse, -ay * inverse, ax * inverse
            left_x = np.float32(c0) + half - x0
            py = np.float32(r0) + half - y0
            begin = np.uintp(r0) * wide + np.uintp(c0)
            for _row in range(r1 - r0 + 1):
                px, row1, row2, p = left_x, b1 * py, b2 * py, begin
                for _column in range(c1 - c0 + 1):
                    w1, w2 = a1 * px + row1, a2 * px + row2
                    w0 = one - w1 - w2
                    if w0 >= least and w1 >= least and w2 >= least:
                        z = z0 + w1 * dz1 + w2 * dz2
                        if z > near[p]:
                            near[p] = z
                            if wired:
                                lines[p] = e0 > 0 and min(w0 * e0, min(w1 * e1, w2 * e2)) < thick
                            across[p] = w0 * normal[i] + w1 * normal[j] + w2 * normal[k]
                            down[p] = w0 * normal[i + u1] + w1 * normal[j + u1] + w2 * normal[k + u1]
                            towards[p] = w0 * normal[i + u2] + w1 * normal[j + u2] + w2 * normal[k + u2]
                    px += one
                    p += u1
                py += one
                begin += wide


@_kernel
def clear(depth, left, right, top, bottom):  # type: ignore[no-untyped-def]
    """Nothing is near in a rectangle of pixels."""
    for r in range(top, bottom):
        for c in range(left, right):
            depth[r, c] = np.float32(-1e9)


@_fast
def light(image, depth, lamp, fill, ambient, by, cavity, left, right, top, bottom, out):  # type: ignore[no-untyped-def]
    """Brightness of pixels: Lambert from a lamp and a weak fill, and hollows and ridges at two sizes.

    ``image`` (3, rows, columns) holds normals in the eye's axes, as are ``lamp`` and ``fill``; ``by`` is the smaller
    size in pixels. Ridges and hollows are where normals part from or meet each other; across a jump in depth, as at
    an outline, nothing is told. Below 0 where nothing is. No branches inside, so that many pixels go at once.
    """
    rows, columns = depth.shape
    zero, one, apart, none = np.float32(0), np.float32(1), np.float32(0.12), np.float32(-1e8)
    lx, ly, lz = lamp[0] * np.float32(0.72), lamp[1] * np.float32(0.72), lamp[2] * np.float32(0.72)
    fx, fy, fz = fill[0] * np.float32(0.16), fill[1] * np.float32(0.16), fill[2] * np.float32(0.16)
    low, high = np.float32(-0.55), np.float32(0.25)
    across, down, towards = image[0], image[1], image[2]
    wide = 4 * by
    for r in range(top, bottom):
        x, y, z = across[r, left:right], down[r, left:right], towards[r, left:right]
        here, to = depth[r, left:right], out[r, left:right]
        for c in range(right - left):
            lit, back = x[c] * lx + y[c] * ly + z[c] * lz, x[c] * fx + y[c] * fy + z[c] * fz
            value = ambient + max(lit, zero) + max(back, zero)
            to[c] = value if here[c] > none else -one
        for size, much in ((by, cavity[0]), (wide, cavity[1])):
            first, end = max(left, size), min(right, columns - size)
            if r < size or r >= rows - size or much == 0 or end <= first:
                continue
            d, shown = depth[r, first:end], out[r, first:end]
            before, after = depth[r, first - size : end - size], depth[r, first + size : end + size]
            above, below = depth[r - size, first:end], depth[r + size, first:end]
            x_before, x_after = across[r, first - size : end - size], across[r, first + size : end + size]
            y_above, y_below = down[r - size, first:end], down[r + size, first:end]
            for c in range(end - first):
                flat = max(abs(before[c] - d[c]), abs(after[c] - d[c]))
                steep = max(abs(above[c] - d[c]), abs(below[c] - d[c]))
                part, climb = x_after[c] - x_before[c], y_above[c] - y_below[c]
                dent = (part if flat < apart else zero) + (climb if steep < apart else zero)
                shown[c] *= one + min(max(dent * much, low), high)


@_kernel
def clear_colour(image, factor, ramp, ground, left, right, top, bottom, out):  # type: ignore[no-untyped-def]
    """Brightness (below 0: nothing there), float32 (H, W), to RGB in clear air, averaging ``factor`` by ``factor``
    of them, 1 or 2.

    ``ramp`` (steps,) and ``ground`` (rows), what lies behind each row of the result, hold whole colours as
    :func:`~.trial_colours.joined` makes them: three sums at once.
    """
    none, last = np.int32(ramp.shape[0]), np.float32(ramp.shape[0] - 1)
    shift = FRACTION + 2 * (factor - 1)
    half, most = np.int64(1) << (shift - 1), (np.int64(1) << PLACES) - 1
    width = (right - left) * factor
    known, steps = np.empty(ramp.shape[0] + 1, np.int64), np.empty(width, np.int32)
    for n in range(ramp.shape[0]):
        known[n] = ramp[n]
    total = np.empty(right - left, np.int64)
    for i in range(top, bottom):
        known[none] = ground[i]
        total[:] = 0
        for a in range(factor):
            line = image[i * factor + a, left * factor : right * factor]
            for c in range(width):
                steps[c] = np.int32(min(line[c] * last, last)) if line[c] >= 0 else none
            for b in range(factor):
                for j in range(right - left):
                    total[j] += known[np.uintp(steps[j * factor + b])]
        for j in range(right - left):
            whole = total[j]
            out[i, left + j, 0] = np.uint8(((whole >> (2 * PLACES)) + half) >> shift)
            out[i, left + j, 1] = np.uint8((((whole >> PLACES) & most) + half) >> shift)
            out[i, left + j, 2] = np.uint8(((whole & most) + half) >> shift)


@_fast
def colour(image, depth, factor, ramp, ground, haze, left, right, top, bottom, out):  # type: ignore[no-untyped-def]
    """Brightness (below 0: nothing there) to RGB through a ramp and haze, averaging factor by factor.

    ``ground`` (rows, 3) is what lies behind each row of the result; ``haze`` (near, grows, most, red,
    green, blue) says how far off things take its colour on: they do as their ``depth`` falls below -near.
    """
    last = np.float32(ramp.shape[0] - 1)
    share = np.float32(1.0 / (factor * factor))
    for i in range(top, bottom):
        for j in range(left, right):
            red = green = blue = np.float32(0)
            for a in range(factor):
                for b in range(factor):
                    r, c = i * factor + a, j * factor + b
                    value = image[r, c]
                    if value < 0:
                        red, green, blue = red + ground[i, 0], green + ground[i, 1], blue + ground[i, 2]
                        continue
                    k = np.uintp(min(value * last, last))
                    far = min(max((-depth[r, c] - haze[0]) * haze[1], np.float32(0)), haze[2])
                    red += ramp[k, 0] + far * (haze[3] - ramp[k, 0])
                    green += ramp[k, 1] + far * (haze[4] - ramp[k, 1])
                    blue += ramp[k, 2] + far * (haze[5] - ramp[k, 2])
            out[i, j, 0] = np.uint8(red * share + np.float32(0.5))
            out[i, j, 1] = np.uint8(green * share + np.float32(0.5))
            out[i, j, 2] = np.uint8(blue * share + np.float32(0.5))
