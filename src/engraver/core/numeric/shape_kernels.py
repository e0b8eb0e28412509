"""The compiled loops of shapes: nearest border points with fractions of a pixel, and pillows."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()
_fast: Any = kernel(fastmath=True)


@_kernel
def borders(values, level, top, bottom, px, py):  # type: ignore[no-untyped-def]
    """The nearest point of the border beside every pixel, by straight lines between neighbours; NaN elsewhere.

    Where a row and a column both cross the level, the foot on the line through both
    crossings counts: exact for a straight border.
    """
    rows, columns = values.shape
    for i in range(top, bottom):
        for j in range(columns):
            v = values[i, j] - level
            here = v >= 0
            dx, dy = np.inf, np.inf
            for way in (-1, 1):
                k = j + way
                if 0 <= k < columns and (values[i, k] >= level) != here:
                    d = way * v / (v - (values[i, k] - level))
                    if abs(d) < abs(dx):
                        dx = d
                k = i + way
                if 0 <= k < rows and (values[k, j] >= level) != here:
                    d = way * v / (v - (values[k, j] - level))
                    if abs(d) < abs(dy):
                        dy = d
            size = dx * dx + dy * dy
            x, y = np.nan, np.nan
            if dx == np.inf and dy == np.inf:
                pass
            elif dy == np.inf:
                x, y = dx, 0.0
            elif dx == np.inf:
                x, y = 0.0, dy
            elif size > 1e-12:
                x, y = dx * dy * dy / size, dx * dx * dy / size
            else:
                x, y = 0.0, 0.0
            # A point nearer to another pixel is that one's: so the points of a row stay in order.
            if abs(x) <= 0.501 and abs(y) <= 0.501:
                px[i, j], py[i, j] = j + x, i + y
            else:
                px[i, j], py[i, j] = np.nan, np.nan


@_kernel
def columns(px, py, left, right, fx, fy):  # type: ignore[no-untyped-def]
    """The point nearest along its column for each pixel of columns ``left`` to ``right``; NaN where there is none."""
    rows = px.shape[0]
    for j in range(left, right):
        fx[0, j], fy[0, j] = px[0, j], py[0, j]
    for i in range(1, rows):
        for j in range(left, right):
            own = px[i, j] == px[i, j]
            fx[i, j] = px[i, j] if own else fx[i - 1, j]
            fy[i, j] = py[i, j] if own else fy[i - 1, j]
    # Upwards, px and py themselves are filled from below.
    for n in range(1, rows):
        i = rows - 1 - n
        for j in range(left, right):
            if px[i, j] != px[i, j]:
                px[i, j], py[i, j] = px[i + 1, j], py[i + 1, j]
    for i in range(rows):
        for j in range(left, right):
            if not (abs(fy[i, j] - i) <= abs(py[i, j] - i)) and py[i, j] == py[i, j]:
                fx[i, j], fy[i, j] = px[i, j], py[i, j]


@_kernel
def nearest(values, level, fx, fy, top, bottom, out):  # type: ignore[no-untyped-def]
    """Signed distance along the rows ``top`` to ``bottom``: the lower envelope of the columns' parabolas."""
    columns = values.shape[1]
    at = np.empty(columns)
    high = np.empty(columns)
    start = np.empty(columns + 1)
    for i in range(top, bottom):
        count = 0
        for j in range(columns):
            x, y = fx[i, j], fy[i, j]
            if x != x:
                continue
            h = (y - i) * (y - i)
            s = -np.inf
            while count > 0:
                gap = x - at[count - 1]
                if gap < 1e-6:
                    if h >= high[count - 1]:
                        s = np.inf
                        break
                    count -= 1
                    continue
                s = 0.5 * ((h - high[count - 1]) / gap + x + at[count - 1])
                if s > start[count - 1]:
                    break
                count -= 1
                s = -np.inf
            if s == np.inf:
                continue
            at[count], high[count], start[count] = x, h, s
            count += 1
        start[count] = np.inf
        k = 0
        for j in range(columns):
            if count == 0:
                d = 1e6
            else:
                while start[k + 1] < j:
                    k += 1
                d = np.sqrt((at[k] - j) * (at[k] - j) + high[k])
            out[i, j] = d if values[i, j] >= level else -d


@_kernel
def pillow(depth, u, step, sweeps, first, last, omega, top, bottom):  # type: ignore[no-untyped-def]
    """Over-relaxation of Poisson's equation, -1 at its right, inside ``depth`` > 0, in place; 0 on the border.

    The border lies between pixels where the depth crosses 0 (G. H. Shortley and R. Weller, 1938).
    Pixels of the colours ``first`` to ``last`` of a chessboard: those of one do not look at each
    other, so that bands of rows give the same whichever is first.
    """
    rows, columns = u.shape
    for _ in range(sweeps):
        for colour in range(first, last):
            for i in range(top, bottom):
                for j in range((i + colour) % 2, columns, 2):
                    d = depth[i, j]
                    if d <= 0:
                        continue
                    diagonal, pull = 0.0, step * step
                    for axis in range(2):
                        a = b = 1.0
                        ua = ub = 0.0
                        for side in range(2):
                            k = i + (2 * side - 1 if axis == 0 else 0)
                            m = j + (2 * side - 1 if axis == 1 else 0)
                            reach, value = 1.0, 0.0
                            if 0 <= k < rows and 0 <= m < columns:
                                other = depth[k, m]
                                if other > 0:
                                    value = u[k, m]
                                else:
                                    reach = max(d / (d - other), 0.08)
                            if side == 0:
                                a, ua = reach, value
                            else:
                                b, ub = reach, value
                        diagonal += 2 / (a * b)
                        pull += 2 / (a + b) * (ua / a + ub / b)
                    u[i, j] += omega * (pull / diagonal - u[i, j])


@_kernel
def open_sky(height, deep, directions, looks, top, bottom, out):  # type: ignore[no-untyped-def]
    """Mean over directions of the free angle from the zenith down to the horizon, 0..1 for 0..180 degrees.

    ``height`` in pixels, ``deep`` pixels larger on every side than ``out``, which must be more
    than the farthest of the ``looks``: the distances at which it is read, linearly between pixels.
    """
    columns = out.shape[1]
    steep = np.empty(columns, np.float32)
    for i in range(top, bottom):
        here, row = height[i + deep, deep : deep + columns], out[i]
        row[:] = 0.0
        for k in range(directions.shape[0]):
            steep[:] = -1e9
            for n in range(looks.size):
                far = looks[n]
                y, x = i + deep + directions[k, 1] * far, deep + directions[k, 0] * far
                r, c = int(np.floor(y)), int(np.floor(x))
                v, u = np.float32(y - r), np.float32(x - c)
                # Views that begin at 0: an index that may be negative keeps the loop from the wide registers.
                a, b = height[r, c : c + columns], height[r, c + 1 : c + 1 + columns]
                d, e = height[r + 1, c : c + columns], height[r + 1, c + 1 : c + 1 + columns]
                part = np.float32(1 / far)
                for j in range(columns):
                    first = a[j] + u * (b[j] - a[j])
                    second = d[j] + u * (e[j] - d[j])
                    steep[j] = max(steep[j], (first + v * (second - first) - here[j]) * part)
            for j in range(columns):
                row[j] += np.float32(0.5 - np.arctan(steep[j]) / np.pi)
        for j in range(columns):
            row[j] /= directions.shape[0]


@_kernel
def brush(path, radius, least, soft, out):  # type: ignore[no-untyped-def]
    """How strongly a stroke touches every pixel: the greatest of its parts, fading over ``soft`` of the radius.

    ``path`` (n, 3) holds x, y and pressure; at no pressure the tip is ``least`` as wide.
    """
    rows, columns = out.shape
    for n in range(max(1, path.shape[0] - 1)):
        m = min(n + 1, path.shape[0] - 1)
        x0, y0, x1, y1 = path[n, 0], path[n, 1], path[m, 0], path[m, 1]
        r0 = max(0, int(min(y0, y1) - radius - 1))
        r1 = min(rows, int(max(y0, y1) + radius + 2))
        c0 = max(0, int(min(x0, x1) - radius - 1))
        c1 = min(columns, int(max(x0, x1) + radius + 2))
        dx, dy = x1 - x0, y1 - y0
        size = dx * dx + dy * dy
        for i in range(r0, r1):
            for j in range(c0, c1):
                x, y = j + 0.5 - x0, i + 0.5 - y0
                t = min(max((x * dx + y * dy) / size, 0.0), 1.0) if size > 0 else 0.0
                pressure = path[n, 2] + (path[m, 2] - path[n, 2]) * t
                wide = radius * (least + (1 - least) * pressure)
                away = np.sqrt((x - t * dx) ** 2 + (y - t * dy) ** 2)
                s = min(max((1 - away / wide) / soft, 0.0), 1.0)
                touch = s * s * (3 - 2 * s) * pressure
                if touch > out[i, j]:
                    out[i, j] = touch


@_fast
def add_waves(values, weights, top, bottom, out):  # type: ignore[no-untyped-def]
    """Values with cos a, sin a, cos 2a and sin 2a round the middle added, by weights (4,), cut to 0..1; rows ``top``
    to ``bottom``."""
    rows, columns = values.shape
    a, b, c, d = weights[0], weights[1], weights[2], weights[3]
    half, least, zero, one = np.float32(0.5), np.float32(1e-12), np.float32(0), np.float32(1)
    middle = np.float32(columns) * half
    for i in range(top, bottom):
        y = np.float32(i) + half - np.float32(rows) * half
        for j in range(columns):
            x = np.float32(j) + half - middle
            size = one / np.sqrt(max(x * x + y * y, least))
            u, v = x * size, y * size
            wave = u * (a + c * u + (d + d) * v) + v * (b - c * v)
            out[i, j] = min(max(values[i, j] + wave, zero), one)


def warm() -> None:
    """Compile every kernel (or fetch it from the cache)."""
    a = np.zeros((3, 3), np.float32)
    b, c = a.copy(), a.copy()
    borders(a, np.float32(0.5), 0, 3, b, c)
    columns(b, c, 0, 3, a.copy(), a.copy())
    nearest(a, np.float32(0.5), b, c, 0, 3, a.copy())
    pillow(a, a.copy(), 1.0, 1, 0, 2, 1.0, 0, 3)
    open_sky(np.zeros((9, 9), np.float32), 3, np.ones((1, 2)), np.ones(1), 0, 3, np.zeros((3, 3), np.float32))
    add_waves(a, np.ones(4, np.float32), 0, 3, a.copy())
    brush(np.ones((2, 3)), 1.0, 0.3, 0.5, a.copy())
