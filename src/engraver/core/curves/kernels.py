"""The compiled loop of frames along a way."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()


@_kernel
def reflect(places, ahead, out):  # type: ignore[no-untyped-def]
    """Normals ``out`` (n, 3) from the first on, each from the one before by two reflections: at the plane between two
    places, and at the one between the direction that comes of it and the direction there."""
    for n in range(places.shape[0] - 1):
        x, y, z = out[n, 0], out[n, 1], out[n, 2]
        tx, ty, tz = ahead[n, 0], ahead[n, 1], ahead[n, 2]
        ax, ay, az = ahead[n + 1, 0], ahead[n + 1, 1], ahead[n + 1, 2]
        vx, vy, vz = places[n + 1, 0] - places[n, 0], places[n + 1, 1] - places[n, 1], places[n + 1, 2] - places[n, 2]
        size = vx * vx + vy * vy + vz * vz
        if size > 1e-30:
            by = 2 / size * (vx * x + vy * y + vz * z)
            x, y, z = x - by * vx, y - by * vy, z - by * vz
            by = 2 / size * (vx * tx + vy * ty + vz * tz)
            wx, wy, wz = ax - (tx - by * vx), ay - (ty - by * vy), az - (tz - by * vz)
            size = wx * wx + wy * wy + wz * wz
            if size > 1e-30:
                by = 2 / size * (wx * x + wy * y + wz * z)
                x, y, z = x - by * wx, y - by * wy, z - by * wz
        # What rounding leaves along the way goes; where it is all along it, any direction square to it will do.
        by = x * ax + y * ay + z * az
        x, y, z = x - by * ax, y - by * ay, z - by * az
        size = x * x + y * y + z * z
        if size < 1e-12:
            if abs(ax) <= abs(ay) and abs(ax) <= abs(az):
                x, y, z = 1 - ax * ax, -ax * ay, -ax * az
            elif abs(ay) <= abs(az):
                x, y, z = -ay * ax, 1 - ay * ay, -ay * az
            else:
                x, y, z = -az * ax, -az * ay, 1 - az * az
            size = x * x + y * y + z * z
        size = np.sqrt(size)
        out[n + 1, 0], out[n + 1, 1], out[n + 1, 2] = x / size, y / size, z / size
