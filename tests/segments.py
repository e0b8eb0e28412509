"""Small segments that tests of cords share: what lies along curves, as meshes of a few triangles."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from engraver.core.cords.loops import zipped
from engraver.core.mesh.model import Mesh, mesh_of

Radius = Callable[[np.ndarray, np.ndarray], np.ndarray]


def walls(rings: np.ndarray, *, inward: bool = False) -> tuple[np.ndarray, np.ndarray]:
    """Points and triangles of rings of points (k, m, 3) that follow each other upwards."""
    count, around = rings.shape[:2]
    n = np.arange(count * around).reshape(count, around)
    a, b, c, d = n[:-1], np.roll(n[:-1], -1, 1), n[1:], np.roll(n[1:], -1, 1)
    faces = np.concatenate([np.stack([a, b, d], -1).reshape(-1, 3), np.stack([a, d, c], -1).reshape(-1, 3)])
    return rings.reshape(-1, 3), faces[:, ::-1] if inward else faces


def rings_of(around: int, rows: int, long: float, radius: Radius, middle: tuple[float, float] = (0, 0)) -> np.ndarray:
    up = np.linspace(0, 1, rows)[:, None]
    angle = np.arange(around)[None] * 2 * np.pi / around
    r = radius(up, angle) + 0 * up
    x, y = r * np.cos(angle) + middle[0], r * np.sin(angle) + middle[1]
    return np.stack([x, y, long * up + 0 * angle], axis=-1)


def joined(*parts: tuple[np.ndarray, np.ndarray]) -> Mesh:
    firsts = np.cumsum([0, *(len(p) for p, _ in parts)])
    faces = np.concatenate([f + first for (_, f), first in zip(parts, firsts, strict=False)])
    return mesh_of(np.concatenate([p for p, _ in parts]), faces, "a segment")


def tube(around: int = 24, rows: int = 3, long: float = 1.0, radius: float = 0.25) -> Mesh:
    return joined(walls(rings_of(around, rows, long, lambda up, angle: radius + 0 * angle)))


def rope() -> Mesh:
    """Three lobes, turned by a third from end to end: both ends are alike."""

    def lobes(up: np.ndarray, angle: np.ndarray) -> np.ndarray:
        return 0.2 + 0.06 * np.cos(3 * (angle - 2 * np.pi / 3 * up))

    return joined(walls(rings_of(24, 5, 0.8, lobes)))


def pipe() -> Mesh:
    """A wall with a bore: two open borders at either end, one in the other."""
    outer = walls(rings_of(20, 2, 0.7, lambda up, angle: 0.25 + 0 * angle))
    return joined(outer, walls(rings_of(16, 2, 0.7, lambda up, angle: 0.15 + 0 * angle), inward=True))


def strands() -> Mesh:
    """Two strands that change places from end to end."""
    parts = []
    for side in (1, -1):
        rings = rings_of(12, 9, 1.2, lambda up, angle: 0.1 + 0 * angle)
        turn = np.pi * np.linspace(0, 1, 9)[:, None]
        rings[..., 0] += side * 0.2 * np.cos(turn)
        rings[..., 1] += side * 0.2 * np.sin(turn)
        parts.append(walls(rings))
    return joined(*parts)


def unlike(one: int = 20, other: int = 14) -> Mesh:
    """As many points at one end as at the other it has not."""
    a, b = (np.arange(n) * 2 * np.pi / n for n in (one, other))
    low = np.stack([0.25 * np.cos(a), 0.25 * np.sin(a), 0 * a], -1)
    high = np.stack([0.24 * np.cos(b + 0.05), 0.24 * np.sin(b + 0.05), 1 + 0 * b], -1)
    faces = zipped(np.arange(one), one + np.arange(other), a / (2 * np.pi), b / (2 * np.pi))
    return joined((np.concatenate([low, high]), faces))


def bar() -> Mesh:
    """A square bar of eight triangles."""
    angle = np.pi / 4 + np.arange(4) * np.pi / 2
    ring = np.stack([0.3 * np.cos(angle), 0.3 * np.sin(angle)], -1)
    rings = np.stack([np.column_stack([ring, np.full(4, z)]) for z in (0.0, 0.6)])
    return joined(walls(rings))


def cup(around: int = 24, radius: float = 0.25) -> Mesh:
    """A dome on an open end: it closes a cord."""
    rings = [np.column_stack([radius * np.cos(t) * np.array([np.cos(a), np.sin(a)]).T,
                              np.full(around, radius * np.sin(t))])
             for t in np.linspace(0, 1.3, 4) for a in [np.arange(around) * 2 * np.pi / around]]  # fmt: skip
    points, faces = walls(np.stack(rings))
    top, last = len(points), len(points) - around + np.arange(around)
    lid = np.stack([last, np.roll(last, -1), np.full(around, top)], -1)
    return joined((np.vstack([points, [[0.0, 0.0, radius]]]), np.concatenate([faces, lid])))


SEGMENTS: dict[str, Callable[[], Mesh]] = {
    "tube": tube, "rope": rope, "pipe": pipe, "strands": strands, "unlike": unlike, "bar": bar,
}  # fmt: skip
# What the Euler characteristic is when both ends are closed flat: two spheres, or a ring where a bore goes through.
CLOSED_FLAT = {"tube": 2, "rope": 2, "pipe": 0, "strands": 4, "unlike": 2, "bar": 2}
