"""What closes the end of a cord: nothing, a flat face, a dome, or a piece of its own."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from engraver.core.mesh.borders import Loop

from .loops import Places, angles, matched, zipped
from .segment import Segment

# Rings of a dome, and how far off a piece stands that is joined by a ring of triangles, as a share of its radius.
_RINGS, _GAP = 8, 0.02


@dataclass(slots=True)
class Closing:
    """Points and triangles that close one end.

    ``loops`` are the end's open borders as its triangles name them, by the cord's numbers; ``flat`` (n, 2) the places
    of all points of the cord across the way; ``side`` is 1 at the last end, -1 at the first. New points are rows of
    left, up, and how far past the end they lie, numbered from ``next`` on.
    """

    loops: list[Loop]
    flat: Places
    side: float
    next: int
    rows: list[Places] = field(default_factory=list)
    faces: list[NDArray[np.int64]] = field(default_factory=list)
    told: str = ""

    def add(self, rows: Places) -> NDArray[np.int64]:
        """New points; returns their numbers."""
        self.rows.append(np.asarray(rows, np.float64))
        numbers = np.arange(self.next, self.next + len(rows))
        self.next += len(rows)
        return numbers

    @property
    def new(self) -> Places:
        return np.concatenate(self.rows) if self.rows else np.zeros((0, 3))

    @property
    def triangles(self) -> NDArray[np.int64]:
        return np.concatenate(self.faces) if self.faces else np.zeros((0, 3), np.int64)


def flat_face(end: Closing) -> None:
    """The end closed by triangles between its own points, whatever its outline: by the library manifold3d."""
    from manifold3d import triangulate

    outline: list[Loop] = [loop[::-1] for loop in end.loops]
    places: list[Any] = [end.flat[loop] * np.array([end.side, 1.0]) for loop in outline]
    found = np.asarray(triangulate(places), np.int64).reshape(-1, 3)
    end.faces.append(np.concatenate(outline)[found])


def dome(end: Closing) -> None:
    """The end closed round: rings that grow smaller as on half a ball, each about the middle of its border.

    A border that cannot be seen whole from its middle, or lies in another, is closed flat, which is told.
    """
    middles = [end.flat[loop].mean(axis=0) for loop in end.loops]
    pairs = zip(end.loops, middles, strict=True)
    sizes = [float(np.linalg.norm(end.flat[loop] - middle, axis=1).mean()) for loop, middle in pairs]
    nested = any(
        np.linalg.norm(middles[a] - middles[b]) < max(sizes[a], sizes[b])
        for a in range(len(middles)) for b in range(a)
    )  # fmt: skip
    if nested or not all(_seen_whole(end.flat[loop]) for loop in end.loops):
        end.told = "The end has no outline that a dome can close, so it is closed flat."
        flat_face(end)
        return
    for loop, middle, size in zip(end.loops, middles, sizes, strict=True):
        before, off = loop, end.flat[loop] - middle
        for n in range(1, _RINGS):
            angle = np.pi / 2 * n / _RINGS
            ring = end.add(np.column_stack([middle + off * np.cos(angle), np.full(len(loop), size * np.sin(angle))]))
            a, b, c, d = before, np.roll(before, -1), ring, np.roll(ring, -1)
            end.faces += [np.column_stack([b, a, c]), np.column_stack([b, c, d])]
            before = ring
        top = end.add(np.array([[*middle, size]]))
        end.faces.append(np.column_stack([np.roll(before, -1), before, np.repeat(top, len(before))]))


def _seen_whole(flat: Places) -> bool:
    off = flat - flat.mean(axis=0)
    on = np.roll(off, -1, axis=0)
    turn = off[:, 0] * on[:, 1] - off[:, 1] * on[:, 0]
    return bool((turn > 0).all() or (turn < 0).all())


def piece(end: Closing, cap: Segment) -> None:
    """Each border of the end closed by a piece that is open at one place.

    As many points on both are joined point to point; else a narrow ring of triangles lies between them.
    """
    # At the first end it is turned half round about its upright: left is right, and it reaches back.
    points, faces, open_at = cap.points * np.array([end.side, 1.0, 1.0]), cap.faces, cap.starts[0]
    for loop in end.loops:
        middle = end.flat[loop].mean(axis=0)
        stood = points + np.array([*middle, 0.0])
        back = open_at[::-1]  # as the cord names it
        if len(loop) == len(open_at):
            _, to, apart = matched(end.flat[loop], stood[back, :2])
            numbers = np.empty(len(stood), np.int64)
            rest = np.setdiff1d(np.arange(len(stood)), open_at)
            numbers[rest] = end.add(stood[rest])
            numbers[back] = loop[to]
            if apart > 0.05 * cap.width:
                end.told = "The end piece is of another shape than the cord, and is drawn to it."
        else:
            gap = _GAP * cap.radius
            numbers = end.add(stood + np.array([0.0, 0.0, gap]))
            one, other = loop, numbers[back]
            turn_one, turn_other = angles(end.flat[one]), angles(stood[back, :2])
            if turn_one[-1] < turn_one[0]:
                made = zipped(one[::-1], other[::-1], turn_one[::-1], turn_other[::-1])[:, ::-1]
            else:
                made = zipped(one, other, turn_one, turn_other)
            end.faces.append(made[:, ::-1] if _same_way(made, one) else made)
            end.told = f"The end piece has {len(open_at)} points at its open end, the cord {len(loop)}."
        end.faces.append(numbers[faces])


def _same_way(faces: NDArray[np.int64], loop: Loop) -> bool:
    """Whether triangles name an edge of a border as the border itself does, which would turn them over."""
    a, b = int(loop[0]), int(loop[1])
    ends = np.stack([faces, np.roll(faces, -1, axis=1)], -1).reshape(-1, 2)
    return bool(((ends[:, 0] == a) & (ends[:, 1] == b)).any())
