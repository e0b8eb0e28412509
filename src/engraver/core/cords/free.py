"""A cord along a curve that lies on nothing: in the units of its segment."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..curves.laid import laid
from ..curves.model import Curve
from ..errors import Watch, unwatched
from ..pressing.along import TO_A_WIDTH, Note, course_of, notes_of_way
from ..pressing.settings import StrokeSettings
from .body import Cord, cord_of
from .segment import Segment


def free_cord(
    segment: Segment, points: NDArray[np.float64], curve: Curve, settings: StrokeSettings, *, radius: float = 0.0,
    first: Segment | None = None, last: Segment | None = None, check: Watch = unwatched,
) -> tuple[Cord, tuple[Note, ...]]:  # fmt: skip
    """A segment repeated along a curve in space, whose frames turn as little as can be.

    Parameters
    ----------
    points : float64 (n, 3 or 4)
        In the segment's units, with a pressure 0..1 where there is a fourth.
    radius : float
        The farthest point of the cord from its way; 0 for the segment as it is.

    Raises
    ------
    BadValue
        The curve has too few points, or the cord too many triangles.
    Cancelled
        Nobody waits any more.
    """
    size = radius / segment.radius if radius > 0 else 1.0
    width = segment.width * size
    made = laid(points, curve, step=width / TO_A_WIDTH, least=settings.bend * width)
    if points.shape[1] == 3:
        points = np.column_stack([points, np.ones(len(points))])
    course = course_of(settings, points, made, width, segment.long / segment.width)
    cord = cord_of(segment, made.way, course, settings, first=first, last=last, check=check)
    notes = notes_of_way(settings, made, course, room=segment.radius * size, flat=False)
    return cord, (*notes, *(Note(words) for words in cord.told))
