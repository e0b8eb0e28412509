"""Strokes that one movement of the hand has laid: its own, and those turned and mirrored about the middle."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .strokes import Stroke, Strokes

_MIDDLE = 0.5


def _turned(stroke: Stroke) -> NDArray[np.float64]:
    """From what the hand drew to this stroke, for rows (x, y) about the middle in one unit: (2, 2)."""
    c, s = np.cos(np.radians(stroke.arm_turn)), np.sin(np.radians(stroke.arm_turn))
    side = np.diag([-1.0 if stroke.arm_mirrored else 1.0, 1.0])
    found: NDArray[np.float64] = side @ np.array([[c, s], [-s, c]])
    return found


def arms_of(stroke: Stroke, size: tuple[float, float], arms: int, mirrored: bool) -> Strokes:
    """A stroke with its arms round the middle of a picture, and their mirror images.

    ``size`` is the picture's width and height; places are shares of them. The stroke itself comes first.
    """
    unit = np.array(size) / min(size)
    away = (stroke.points[:, :2].astype(np.float64) - _MIDDLE) * unit
    made = []
    for mirror in (False, True) if mirrored else (False,):
        for arm in range(arms):
            one = stroke.but(arm_turn=360.0 * arm / arms, arm_mirrored=mirror)
            made.append(
                one.but(data=Stroke.packed(away @ _turned(one) / unit + _MIDDLE, stroke.points[:, 2].tolist()))
            )
    return tuple(made)


def groups(strokes: Strokes) -> list[Strokes]:
    """Strokes as they were laid together, in their order."""
    found: list[list[Stroke]] = []
    for stroke in strokes:
        if stroke.begins or not found:
            found.append([])
        found[-1].append(stroke)
    return [tuple(g) for g in found]


def laid_with(strokes: Strokes, digest: str) -> Strokes:
    """The strokes that were laid together with the last one of a digest; none where it is gone."""
    return next((g for g in reversed(groups(strokes)) if any(s.digest == digest for s in g)), ())


def without(strokes: Strokes, group: Strokes) -> Strokes:
    """All but a group of :func:`groups`."""
    return tuple(s for g in groups(strokes) for s in g if g != group)


def changed(strokes: Strokes, group: Strokes, **changes: Any) -> Strokes:
    """A group with other settings."""
    return tuple(s.but(**changes) if g == group else s for g in groups(strokes) for s in g)


def moved(
    strokes: Strokes, group: Strokes, held: Stroke, by: tuple[float, float], size: tuple[float, float]
) -> tuple[Strokes, Stroke]:
    """A group moved so that one of its strokes goes by so much, in shares of the source; and that one as it is then.

    ``held`` is one of ``group``, which is one of :func:`groups`; ``size`` is the source's width and height.
    Arms and mirror images go their own ways, as they would had the hand drawn there.
    """
    unit = np.array(size) / min(size)
    own = np.asarray(by) * unit @ _turned(held).T  # a turned matrix is undone by its transpose
    new, now = [], held
    for one in groups(strokes):
        for stroke in one:
            if one == group:
                places = stroke.points[:, :2].astype(np.float64) + own @ _turned(stroke) / unit
                there = stroke.but(data=Stroke.packed(places, stroke.points[:, 2].tolist()))
                now = there if stroke is held else now
                new.append(there)
            else:
                new.append(stroke)
    return tuple(new), now
