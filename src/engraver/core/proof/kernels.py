"""The compiled loops of the proof: pressing a mark, lighting points, drawing triangles.

Compiled once into the user's cache directory (the caller sets NUMBA_CACHE_DIR before
the first import) and free of the interpreter's lock. They are plain loops, without
Numba's own threads: two of those entering at once would stop the program.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

_kernel: Any = numba.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")


@_kernel
def press(height, u, v, top, bottom, out):  # type: ignore[no-untyped-def]
    """Heights of a mark at points (u, v) in 0..1 by bilinear sampling; 0 outside."""
    rows, columns = height.shape
    for i in range(top, bottom):
        for j in range(u.shape[1]):
            x = u[i, j] * columns - np.float32(0.5)
            y = v[i, j] * rows - np.float32(0.5)
            if x < 0 or y < 0 or x >= columns - 1 or y >= rows - 1:
                out[i, j] = 0
                continue
            c, r = int(x), int(y)
            fx, fy = x - c, y - r
            upper = height[r, c] + fx * (height[r, c + 1] - height[r, c])
            lower = height[r + 1, c] + fx * (height[r + 1, c + 1] - height[r + 1, c])
            out[i, j] = upper + fy * (lower - upper)


@_kernel
def displace(points, normals, height, amount, top, bottom, out):  # type: ignore[no-untyped-def]
    """Move every point along its normal by height times amount."""
    for i in range(top, bottom):
        for j in range(points.shape[1]):
            h = height[i, j] * amount
            for k in range(3):
                out[i, j, k] = points[i, j, k] + normals[i, j, k] * h


@_kernel
def light(points, cavity, lamp, fill, ambient, cavity_amount, top, bottom, out):  # type: ignore[no-untyped-def]
    """Brightness of every point of a grid: Lambert from a lamp and a weak fill, and cavity shading.

    Normals are the cross product of central differences along the grid. ``cavity`` is
    below 0 in hollows and above 0 on ridges.
    """
    n, m = points.shape[0], points.shape[1]
    for i in range(top, bottom):
        i0, i1 = max(i - 1, 0), min(i + 1, n - 1)
        for j in range(m):
            j0, j1 = max(j - 1, 0), min(j + 1, m - 1)
            ax = points[i, j1, 0] - points[i, j0, 0]
            ay = points[i, j1, 1] - points[i, j0, 1]
            az = points[i, j1, 2] - points[i, j0, 2]
            bx = points[i0, j, 0] - points[i1, j, 0]
            by = points[i0, j, 1] - points[i1, j, 1]
            bz = points[i0, j, 2] - points[i1, j, 2]
            nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
            size = np.sqrt(nx * nx + ny * ny + nz * nz) + np.float32(1e-20)
            lit = (nx * lamp[0] + ny * lamp[1] + nz * lamp[2]) / size
            back = (nx * fill[0] + ny * fill[1] + nz * fill[2]) / size
            value = ambient + np.float32(0.72) * max(lit, np.float32(0)) + np.float32(0.16) * max(back, np.float32(0))
            dent = cavity[i, j] * cavity_amount
            dent = min(max(dent, np.float32(-0.55)), np.float32(0.25))
            out[i, j] = value * (np.float32(1) + dent)


@_kernel
def project(points, rotation, scale, camera, centre_x, centre_y, top, bottom, out):  # type: ignore[no-untyped-def]
    """Points to screen (x, y, nearness) for an eye ``camera`` away along z."""
    for i in range(top, bottom):
        for j in range(points.shape[1]):
            px, py, pz = points[i, j, 0], points[i, j, 1], points[i, j, 2]
            x = rotation[0, 0] * px + rotation[0, 1] * py + rotation[0, 2] * pz
            y = rotation[1, 0] * px + rotation[1, 1] * py + rotation[1, 2] * pz
            away = camera - (rotation[2, 0] * px + rotation[2, 1] * py + rotation[2, 2] * pz)
            out[i, j, 0] = centre_x + x * scale / away
            out[i, j, 1] = centre_y - y * scale / away
            out[i, j, 2] = -away


@_kernel
def colour(image, factor, ramp, ground, top, bottom, out):  # type: ignore[no-untyped-def]
    """Brightness (below 0: nothing there) to RGB through a ramp, averaging factor by factor."""
    last = np.float32(ramp.shape[0] - 1)
    share = np.float32(1.0 / (factor * factor))
    for i in range(top, bottom):
        for j in range(out.shape[1]):
            red, green, blue = np.float32(0), np.float32(0), np.float32(0)
            for a in range(factor):
                for b in range(factor):
                    value = image[i * factor + a, j * factor + b]
                    if value < 0:
                        red, green, blue = red + ground[0], green + ground[1], blue + ground[2]
                    else:
                        k = int(min(value * last, last))
                        red, green, blue = red + ramp[k, 0], green + ramp[k, 1], blue + ramp[k, 2]
            out[i, j, 0] = np.uint8(red * share + np.float32(0.5))
            out[i, j, 1] = np.uint8(green * share + np.float32(0.5))
            out[i, j, 2] = np.uint8(blue * share + np.float32(0.5))


@_kernel
def draw(screen, shade, depth, image, top, bottom):  # type: ignore[no-untyped-def]
    """Draw a grid of screen points (x, y, nearness) as triangles into rows top..bottom.

    Nearest wins. ``shade`` is joined linearly across each triangle (H. Gouraud, 1971).
    A pixel belongs to a triangle when its centre lies inside or on its border, so that
    shared edges leave no gaps.
    """
    n, m = screen.shape[0], screen.shape[1]
    columns = image.shape[1]
    for i in range(n - 1):
        for j in range(m - 1):
            for half in range(2):
                ai, aj = i, j
                if half == 0:
                    bi, bj, ci, cj = i + 1, j, i, j + 1
                else:
                    ai, aj = i + 1, j + 1
                    bi, bj, ci, cj = i, j + 1, i + 1, j
                x0, y0 = screen[ai, aj, 0], screen[ai, aj, 1]
                x1, y1 = screen[bi, bj, 0], screen[bi, bj, 1]
                x2, y2 = screen[ci, cj, 0], screen[ci, cj, 1]
                area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
                if area >= 0:  # faces away, or is seen on its edge
                    continue
                low_y, high_y = min(y0, y1, y2), max(y0, y1, y2)
                r0 = max(int(np.ceil(low_y - np.float32(0.5))), top)
                r1 = min(int(np.floor(high_y - np.float32(0.5))), bottom - 1)
                if r1 < r0:
                    continue
                low_x, high_x = min(x0, x1, x2), max(x0, x1, x2)
                c0 = max(int(np.ceil(low_x - np.float32(0.5))), 0)
                c1 = min(int(np.floor(high_x - np.float32(0.5))), columns - 1)
                if c1 < c0:
                    continue
                inverse = np.float32(1) / area
                z0, z1, z2 = screen[ai, aj, 2], screen[bi, bj, 2], screen[ci, cj, 2]
                s0, s1, s2 = shade[ai, aj], shade[bi, bj], shade[ci, cj]
                for r in range(r0, r1 + 1):
                    py = r + np.float32(0.5)
                    for c in range(c0, c1 + 1):
                        px = c + np.float32(0.5)
                        w0 = ((x1 - px) * (y2 - py) - (x2 - px) * (y1 - py)) * inverse
                        w1 = ((x2 - px) * (y0 - py) - (x0 - px) * (y2 - py)) * inverse
                        w2 = np.float32(1) - w0 - w1
                        if w0 < np.float32(-1e-5) or w1 < np.float32(-1e-5) or w2 < np.float32(-1e-5):
                            continue
                        z = w0 * z0 + w1 * z1 + w2 * z2
                        if z > depth[r, c]:
                            depth[r, c] = z
                            image[r, c] = w0 * s0 + w1 * s1 + w2 * s2


def warm() -> None:
    """Compile every kernel (or fetch it from the cache) for the types that are used."""
    grid = np.zeros((3, 3), np.float32)
    space = np.zeros((3, 3, 3), np.float32)
    direction = np.array([0, 0, 1], np.float32)
    press(grid, grid, grid, 0, 3, grid.copy())
    displace(space, space, grid, np.float32(1), 0, 3, space.copy())
    light(space, grid, direction, direction, np.float32(0.1), np.float32(1), 0, 3, grid.copy())
    draw(space, grid, grid.copy(), grid.copy(), 0, 3)
    one = np.float32(1)
    project(space, space[0], one, one, one, one, 0, 3, space.copy())
    colour(grid, 1, space[0], direction, 0, 3, np.zeros((3, 3, 3), np.uint8))
