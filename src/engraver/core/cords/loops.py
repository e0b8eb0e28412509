"""Loops of points, such as the open borders of a mesh, and how two of them are joined."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from engraver.core.mesh.borders import Loop

Places = NDArray[np.float64]


def angles(flat: Places) -> NDArray[np.float64]:
    """Angles of points (n, 2) seen from their middle, in turns, rising or falling along the loop."""
    off = flat - flat.mean(axis=0)
    found: NDArray[np.float64] = np.unwrap(np.arctan2(off[:, 1], off[:, 0])) / (2 * np.pi)
    return found


def matched(one: Places, other: Places) -> tuple[NDArray[np.int64], NDArray[np.int64], float]:
    """Two loops that go round the same way brought together point to point, by nearest angle.

    Parameters
    ----------
    one, other : float64 (n, 2), (m, 2)
        Their points in order, seen along the way.

    Returns
    -------
    to_one, to_other : int64 (n,), (m,)
        For each point the number of the joint point that it becomes. There are as many as the shorter loop has; no
        order is broken and none is left out.
    apart : float
        How far two that become one lie apart at most.
    """
    if len(one) > len(other):
        to_other, to_one, apart = matched(other, one)
        return to_one, to_other, apart
    count, more = len(one), len(other)
    if count == more:  # the turn at which they lie nearest
        best = min(range(count), key=lambda k: float(((np.roll(other, -k, axis=0) - one) ** 2).sum()))
        to = (np.arange(more) - best) % count
        apart = float(np.linalg.norm(other - one[to], axis=1).max())
        return np.arange(count), to.astype(np.int64), apart
    # Each of the longer goes to the nearest of the shorter by angle, in order, each of which gets one at least.
    turn_one, turn_other = angles(one), angles(other)
    sign = 1.0 if turn_one[-1] >= turn_one[0] else -1.0
    turn_one, turn_other = turn_one * sign, turn_other * sign
    first = int(np.argmin(np.abs((turn_other - turn_one[0] + 0.5) % 1 - 0.5)))
    order = (np.arange(more) + first) % more
    gone = (turn_other[order] - turn_other[order[0]]) % 1
    want = (turn_one - turn_one[0]) % 1
    to = np.empty(more, np.int64)
    at = 0
    for n in range(more):
        left, rest = count - 1 - at, more - n
        if n and left and (rest <= left or abs(gone[n] - want[at + 1]) <= abs(gone[n] - want[at])):
            at += 1
        to[order[n]] = at
    apart = float(np.linalg.norm(other - one[to], axis=1).max())
    return np.arange(count), to, apart


def zipped(
    one: Loop, other: Loop, turn_one: NDArray[np.float64], turn_other: NDArray[np.float64]
) -> NDArray[np.int64]:
    """Triangles between two loops that go round the same way, each edge of either in one of them.

    Parameters
    ----------
    one, other : int64 (n,), (m,)
        Their points' numbers; ``one`` comes first along the way.
    turn_one, turn_other : float64
        Their angles in turns, rising.
    """
    n, m = len(one), len(other)
    begin = int(np.argmin(np.abs((turn_other - turn_one[0] + 0.5) % 1 - 0.5)))
    other, turn_other = np.roll(other, -begin), np.roll(turn_other, -begin)
    gone_one = np.append((turn_one - turn_one[0]) % 1, 1.0)
    gone_other = np.append((turn_other - turn_other[0]) % 1, 1.0)
    found, i, j = [], 0, 0
    while i < n or j < m:
        if j >= m or (i < n and gone_one[i + 1] <= gone_other[j + 1]):
            found.append((one[i % n], one[(i + 1) % n], other[j % m]))
            i += 1
        else:
            found.append((one[i % n], other[(j + 1) % m], other[j % m]))
            j += 1
    return np.array(found, np.int64)
