"""A piece of mesh as what is repeated along a way: its long axis, its open ends, and how they join."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from engraver.core.mesh.borders import Loop, borders
from engraver.core.mesh.model import Mesh, inside_out

from ..errors import BadMesh
from .loops import Places, matched

# An axis that lies so near to one of the mesh's own is that one.
_STRAIGHT = np.cos(np.radians(20.0))
# The share of the length at either end in which open ends lie.
_NEAR_END = 0.3
# What two points that become one may lie apart without being told, as a share of the width.
ALIKE = 1e-4
# Triangles that a piece may have.
MOST_TRIANGLES = 2_000_000


@dataclass(frozen=True, eq=False)
class Segment:
    """A piece of mesh, standing along its way.

    Attributes
    ----------
    points : float64 (n, 3)
        To the left of the way, up, and along it; its open start lies about 0 along it, its end about ``long``.
    faces : int64 (m, 3)
    long : float
        From its start to its end: the way to the next one.
    width, radius : float
        Across, and the farthest point from its middle line.
    starts, ends : tuple of int64 arrays
        The loops of points at its open ends, in pairs that join; in the order in which their triangles name them.
    joint_start, joint_end : tuple of int64 arrays
        For each point of those the number of the joint point that it becomes, counted within its pair.
    apart : float
        How far two points that become one lie apart at most.
    cap : bool
        It is open at its start alone: what closes a cord's end.
    words : str
        What was found, in plain words.
    key : str
        Names it.
    """

    points: Places
    faces: NDArray[np.int64]
    long: float
    width: float
    radius: float
    starts: tuple[Loop, ...] = ()
    ends: tuple[Loop, ...] = ()
    joint_start: tuple[Loop, ...] = ()
    joint_end: tuple[Loop, ...] = ()
    apart: float = 0.0
    cap: bool = False
    words: str = ""
    key: str = field(default="", compare=False)

    @property
    def nbytes(self) -> int:
        return int(self.points.nbytes + self.faces.nbytes)

    @property
    def welds(self) -> bool:
        """Whether it joins the next one at open ends."""
        return bool(self.starts) and bool(self.ends)


def _axis_of(points: Places, middles: Places) -> NDArray[np.float64]:
    """The long axis: from open end to open end, else that of the longest side of the box; one of the mesh's own
    where it lies near it."""
    if len(middles) == 2:
        axis = middles[1] - middles[0]
    else:
        axis = np.eye(3)[int(np.argmax(np.ptp(points, axis=0)))]
    size = float(np.linalg.norm(axis))
    axis = axis / size if size > 1e-12 else np.eye(3)[int(np.argmax(np.ptp(points, axis=0)))]
    own = int(np.argmax(np.abs(axis)))
    if abs(axis[own]) > _STRAIGHT:
        axis = np.eye(3)[own]
    found: NDArray[np.float64] = axis
    return found


def segment_of(mesh: Mesh, name: str = "The piece", key: str = "") -> Segment:
    """A mesh as a segment.

    Raises
    ------
    BadMesh
        Its open ends do not come in pairs, one at either end of its length; it has edges with three triangles; or
        it is too large. Words name what is there.
    """
    faces = mesh.faces.astype(np.int64)
    if len(faces) > MOST_TRIANGLES:
        raise BadMesh(
            f"{name} is too large to be repeated",
            f"it has {len(faces):,} triangles, and {MOST_TRIANGLES:,} are the most",
            "Reduce it first",
        )  # fmt: skip
    points = mesh.points.astype(np.float64)
    if inside_out(points, faces):
        faces = np.ascontiguousarray(faces[:, ::-1])
    loops, odd = borders(faces)
    if odd:
        raise BadMesh(
            f"{name} cannot be repeated",
            f"{odd:,} of its edges have more than two triangles, or two that face apart",
            "Mend it where it was made",
        )  # fmt: skip
    middles = np.array([points[loop].mean(axis=0) for loop in loops]).reshape(-1, 3)
    axis = _axis_of(points, middles)
    up = np.eye(3)[1] if abs(axis[2]) > 0.7 else np.eye(3)[2]
    up = up - (up @ axis) * axis
    up = up / np.linalg.norm(up)
    stood = points @ np.stack([np.cross(up, axis), up, axis], axis=1)
    lies = _lies(axis, faces, len(points))
    low, high = float(stood[:, 2].min()), float(stood[:, 2].max())
    along = np.array([float(stood[loop, 2].mean()) for loop in loops])
    room = (high - low) * _NEAR_END
    at_start = [n for n in range(len(loops)) if along[n] <= low + room]
    at_end = [n for n in range(len(loops)) if along[n] >= high - room]
    if len(loops) == 1:
        return _cap(stood, faces, loops[0], key)
    if len(at_start) != len(at_end) or len(at_start) + len(at_end) != len(loops):
        aside = len(loops) - len(at_start) - len(at_end)
        where = f"{len(at_start)} at one end, {len(at_end)} at the other" + (f", {aside} between" if aside else "")
        raise BadMesh(
            f"{name} has {len(loops)} open ends", f"{where} of its length",
            "A piece has one at either end, or as many at both, or none",
        )  # fmt: skip
    if not loops:
        middle = (stood.min(axis=0) + stood.max(axis=0)) / 2
        stood = stood - np.array([middle[0], middle[1], low])
        return _made(stood, faces, high - low, f"{lies}; closed, so each piece stands for itself", key)
    begin, end = float(along[at_start].mean()), float(along[at_end].mean())
    centre = np.mean([stood[loops[n], :2].mean(axis=0) for n in (*at_start, *at_end)], axis=0)
    stood = stood - np.array([*centre, begin])
    starts, ends = [loops[n] for n in at_start], [loops[n] for n in at_end]
    return _joined(stood, faces, end - begin, starts, ends, lies, key)


def _lies(axis: NDArray[np.float64], faces: NDArray[np.int64], count: int) -> str:
    """Along which axis of its own a piece lies, and of how many bodies it is, in words."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    ends = np.concatenate([faces[:, :2], faces[:, 1:]])
    net = coo_matrix((np.ones(len(ends), np.int8), ends.T), shape=(count, count))
    bodies = len(np.unique(connected_components(net, directed=False)[1][faces[:, 0]]))
    own = int(np.argmax(np.abs(axis)))
    named = f"its {'xyz'[own]} axis" if abs(axis[own]) > 1 - 1e-9 else "the line between its open ends"
    return f"It lies along {named}" + (f", {bodies} bodies together" if bodies > 1 else "")


def _made(stood: Places, faces: NDArray[np.int64], long: float, words: str, key: str, **more: object) -> Segment:
    return Segment(
        stood, faces, long, float(np.ptp(stood[:, 0])), float(np.hypot(stood[:, 0], stood[:, 1]).max()), words=words,
        key=key, **more,  # type: ignore[arg-type]
    )  # fmt: skip


def _joined(
    stood: Places, faces: NDArray[np.int64], long: float, starts: list[Loop], ends: list[Loop], lies: str, key: str
) -> Segment:
    """Open ends in pairs: each end with the start that lies nearest across."""
    from scipy.optimize import linear_sum_assignment

    middle_start = np.array([stood[loop, :2].mean(axis=0) for loop in starts])
    middle_end = np.array([stood[loop, :2].mean(axis=0) for loop in ends])
    size_start = np.array([np.ptp(stood[loop, :2], axis=0).mean() for loop in starts])
    size_end = np.array([np.ptp(stood[loop, :2], axis=0).mean() for loop in ends])
    apart = np.linalg.norm(middle_end[:, None] - middle_start[None], axis=2)
    apart = apart + np.abs(size_end[:, None] - size_start[None])
    order = linear_sum_assignment(apart)[1]
    starts = [starts[n] for n in order]
    to_start, to_end, worst = [], [], 0.0
    for start, end in zip(starts, ends, strict=True):
        # Triangles of a start name its points the other way round than those of an end.
        back = end[::-1]
        one, two, far = matched(stood[start, :2], stood[back, :2])
        to_start.append(one)
        to_end.append(two[::-1])
        worst = max(worst, far)
    ends_words = "1 open end at either side" if len(starts) == 1 else f"{len(starts)} open ends at either side"
    words = f"{lies}; {ends_words}"
    return _made(
        stood, faces, long, words, key, starts=tuple(starts), ends=tuple(ends), joint_start=tuple(to_start),
        joint_end=tuple(to_end), apart=worst,
    )  # fmt: skip


def _cap(stood: Places, faces: NDArray[np.int64], loop: Loop, key: str) -> Segment:
    """A piece that is open at one place: it stands on that, and reaches along the way from there."""
    centre = stood[loop].mean(axis=0)
    edges = stood[np.roll(loop, -1)] - centre
    normal = np.cross(stood[loop] - centre, edges).sum(axis=0)
    normal = normal / max(float(np.linalg.norm(normal)), 1e-15)
    if normal @ (stood.mean(axis=0) - centre) < 0:
        normal = -normal
    own = int(np.argmax(np.abs(normal)))
    if abs(normal[own]) > _STRAIGHT:
        normal = np.eye(3)[own] * np.sign(normal[own])
    up = np.eye(3)[2] if abs(normal[1]) > 0.7 else np.eye(3)[1]
    up = up - (up @ normal) * normal
    up = up / np.linalg.norm(up)
    turned = (stood - centre) @ np.stack([np.cross(up, normal), up, normal], axis=1)
    return _made(
        turned, faces, float(turned[:, 2].max()), "It has 1 open end: it closes a cord", key, starts=(loop,), cap=True
    )
