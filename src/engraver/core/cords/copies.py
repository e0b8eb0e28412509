"""The copies of a piece in a cord: which of their points are one, and what a cut or divided piece looks like."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from engraver.core.mesh.borders import Loop, borders
from engraver.core.mesh.tessellate import split

from .loops import Places
from .segment import Segment


@dataclass(frozen=True, eq=False)
class _Template:
    """A piece with its points told apart: ``at`` is the number among the inner ones (below ``inner``), or of the
    joint before it (``inner`` on) or after it (``inner + joints`` on)."""

    local: Places
    faces: NDArray[np.int64]
    at: NDArray[np.int64]
    inner: int


def _joints(segment: Segment) -> tuple[Places, NDArray[np.int64], NDArray[np.int64]]:
    """The joint points (j, 3) to the left, up, and past the joint; and for each point of the piece its joint point at
    its start and at its end, -1 for none."""
    n = len(segment.points)
    start, end, places, first = np.full(n, -1, np.int64), np.full(n, -1, np.int64), [], 0
    pairs = zip(segment.starts, segment.ends, segment.joint_start, segment.joint_end, strict=True)
    for one, two, to_one, to_two in pairs:
        count = int(to_one.max()) + 1
        start[one], end[two] = first + to_one, first + to_two
        mean = np.zeros((count, 3))
        for loop, to, by in ((one, to_one, 0.0), (two, to_two, segment.long)):
            off = segment.points[loop] - np.array([0.0, 0.0, by])
            total = np.bincount(to, minlength=count)[:, None]
            mean += np.column_stack([np.bincount(to, off[:, k], count) for k in range(3)]) / total / 2
        places.append(mean)
        first += count
    return np.concatenate(places), start, end


def _template(
    segment: Segment, joints: int, start: NDArray[np.int64], end: NDArray[np.int64], level: int
) -> _Template:
    """The piece with edges along it divided until there are about 2 ** level to its length."""
    points, faces = segment.points, segment.faces
    if level:
        flat = np.array([1e-7, 1e-7, 1.0])
        low, high = points * flat, faces.astype(np.int32)
        for _ in range(level + 2):
            before = len(high)
            low, high = split(low, high, segment.long / 2**level * 1.001)
            if len(high) == before:
                break
        points, faces = low / flat, high.astype(np.int64)
        more = len(points) - len(segment.points)
        start, end = (np.concatenate([side, np.full(more, -1, np.int64)]) for side in (start, end))
        points[: len(segment.points)] = segment.points
    free = (start < 0) & (end < 0)
    inner = int(free.sum())
    at = np.empty(len(points), np.int64)
    at[free] = np.arange(inner)
    at[start >= 0] = inner + start[start >= 0]
    at[end >= 0] = inner + joints + end[end >= 0]
    coded = at[faces]
    real = (coded[:, 0] != coded[:, 1]) & (coded[:, 1] != coded[:, 2]) & (coded[:, 2] != coded[:, 0])
    return _Template(points[free], coded[real], at, inner)


def cut_at(segment: Segment, at: float) -> Segment:
    """The part of a piece that lies before a place along it, open where it was cut."""
    points, faces = segment.points, segment.faces
    inside = points[:, 2] < at
    whole = faces[inside[faces].all(axis=1)]
    mixed = faces[inside[faces].any(axis=1) & ~inside[faces].all(axis=1)]
    made: dict[tuple[int, int], int] = {}
    new: list[Places] = []

    def crossing(a: int, b: int) -> int:
        key = (min(a, b), max(a, b))
        if key not in made:
            share = (at - points[key[0], 2]) / (points[key[1], 2] - points[key[0], 2])
            made[key] = len(points) + len(new)
            new.append(points[key[0]] + share * (points[key[1]] - points[key[0]]))
        return made[key]

    pieces = [whole]
    for face in mixed.tolist():
        k = next(n for n in range(3) if inside[face[n]] and not inside[face[n - 1]])
        a, b, c = face[k], face[(k + 1) % 3], face[(k + 2) % 3]
        if inside[b]:
            p, q = crossing(b, c), crossing(c, a)
            pieces.append(np.array([[a, b, p], [a, p, q]]))
        else:
            pieces.append(np.array([[a, crossing(a, b), crossing(c, a)]]))
    kept = np.concatenate(pieces)
    used = np.unique(kept)
    to = np.full(len(points) + len(new), -1, np.int64)
    to[used] = np.arange(len(used))
    places = np.vstack([points, *(n[None] for n in new)])[used]
    starts = tuple(to[loop] for loop in segment.starts)
    return Segment(
        places, to[kept], at, segment.width, segment.radius, starts, (), segment.joint_start, (), segment.apart
    )


class Copies:
    """Numbers the points of all copies: joints first where pieces are welded, then what lies between them."""

    def __init__(self, segment: Segment, welds: bool, closed: bool, count: int) -> None:
        self.segment, self.welds, self.closed, self.count = segment, welds, closed, count
        none = np.full(len(segment.points), -1, np.int64)
        self._joint, self._start, self._end = _joints(segment) if welds else (np.zeros((0, 3)), none, none)
        self.each = len(self._joint)
        joints = (count if closed else count + 1) if welds else 0
        numbers = np.arange(joints, dtype=float)
        self._next = joints * self.each
        self._local = [np.tile(self._joint[:, :2], (joints, 1))]
        self._phase = [(numbers[:, None] + self._joint[:, 2] / segment.long).ravel()] if joints else []
        self._own = [np.repeat(numbers, self.each)]
        self._faces: list[NDArray[np.int64]] = []
        self._cut_end: list[Loop] = []

    def add(self, copies: NDArray[np.int64], level: int) -> None:
        """Copies of these numbers, divided so often."""
        from . import kernels

        t = _template(self.segment, self.each, self._start, self._end, level)
        inner, n = t.inner, len(copies)
        after = (copies + 1) % self.count if self.closed else copies + 1
        to = np.empty((n, inner + 2 * self.each), np.int64)
        to[:, :inner] = self._next + np.arange(n)[:, None] * inner + np.arange(inner)
        joint = np.arange(self.each)
        to[:, inner : inner + self.each] = copies[:, None] * self.each + joint
        to[:, inner + self.each :] = after[:, None] * self.each + joint
        self._next += n * inner
        self._local.append(np.tile(t.local[:, :2], (n, 1)))
        self._phase.append((copies[:, None] + t.local[:, 2] / self.segment.long).ravel())
        self._own.append(np.repeat(copies.astype(float), inner))
        out = np.empty((n * len(t.faces), 3), np.int64)
        kernels.numbered(t.faces, to, np.arange(n) * len(t.faces), out)
        self._faces.append(out)

    def add_cut(self, part: Segment, copy: int) -> None:
        """A piece that was cut, at the end."""
        n = len(part.points)
        to = np.full(n, -1, np.int64)
        for loop, joint in zip(part.starts, self._joint_numbers(), strict=True):
            to[loop] = copy * self.each + joint
        free = to < 0
        to[free] = self._next + np.arange(int(free.sum()))
        self._next += int(free.sum())
        self._local.append(part.points[free, :2])
        self._phase.append(copy + part.points[free, 2] / self.segment.long)
        self._own.append(np.full(int(free.sum()), float(copy)))
        made = to[part.faces]
        real = (made[:, 0] != made[:, 1]) & (made[:, 1] != made[:, 2]) & (made[:, 2] != made[:, 0])
        self._faces.append(made[real])
        starts = {int(v) for loop in part.starts for v in to[loop]}
        self._cut_end = [to[loop] for loop in borders(part.faces)[0] if not {int(v) for v in to[loop]} <= starts]

    def _joint_numbers(self) -> list[NDArray[np.int64]]:
        first, found = 0, []
        for to in self.segment.joint_start:
            found.append(first + to)
            first += int(to.max()) + 1
        return found

    def points(self) -> tuple[Places, NDArray[np.float64], NDArray[np.float64]]:
        """Left and up (n, 2), phase (n,), and the number of the copy (n,)."""
        return np.concatenate(self._local), np.concatenate(self._phase), np.concatenate(self._own)

    def faces(self) -> NDArray[np.int64]:
        return np.concatenate(self._faces)

    def open_ends(self) -> tuple[list[Loop], list[Loop]]:
        """The open borders at the first and the last end, as their triangles name them, each point once."""
        sides: list[list[Loop]] = [[], []]
        first = 0
        pairs = zip(self.segment.joint_start, self.segment.joint_end, strict=True)
        for to_start, to_end in pairs:
            count = int(to_start.max()) + 1
            for n, (to, joint) in enumerate(((to_start, 0), (to_end, self.count))):
                kept = to[to != np.roll(to, 1)] if count > 1 else to[:1]
                sides[n].append(joint * self.each + first + kept)
            first += count
        return sides[0], self._cut_end or sides[1]
