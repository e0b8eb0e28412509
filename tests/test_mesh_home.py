"""The first view of a mesh is as large as it can be, and stays while it is turned a little."""

from __future__ import annotations

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from engraver.core.mesh import load
from engraver.core.mesh.capture import Capture, posed
from engraver.core.mesh.raster import Frame
from engraver.core.mesh.shape import Shape
from engraver.core.proof.mesh_view import ROOM, home

ANGLE = st.floats(-90, 90)


def _box(a: float, b: float, c: float) -> Shape:
    data = trimesh.creation.box((a, b, c)).export(file_type="ply")
    return Shape(load(data, "box.ply"))


def _corners(shape: Shape, params: Capture) -> np.ndarray:
    """The box's own eight corners on the eye's plane, from the pose alone."""
    view = posed(shape, params)
    return view.points.astype(np.float64) @ view.matrix[:2].T


@given(
    sides=st.tuples(*[st.floats(0.2, 3.0)] * 3), turn=ANGLE, tilt=ANGLE, roll=ANGLE,
    size=st.sampled_from([(400, 400), (427, 440), (900, 300), (300, 900)]),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_all_of_the_mesh_shows_and_takes_most_of_the_view(
    sides: tuple[float, float, float], turn: float, tilt: float, roll: float, size: tuple[int, int]
) -> None:
    shape, (width, height) = _box(*sides), size
    params = Capture(view="top", turn=turn, tilt=tilt, roll=roll)
    frame = home(shape, params, width, height)
    at = _corners(shape, params)
    away = np.abs(at - (frame.x, frame.y)).max(axis=0)
    up = frame.width * height / width
    assert away[0] <= frame.width / 2 and away[1] <= up / 2
    taken = np.ptp(at, axis=0).max() / min(frame.width, up)
    assert abs(taken - 1 / ROOM) < 1e-4  # in one direction it is as large as it can be
    assert home(shape, params, width, height, frame) is frame


@given(turn=ANGLE, tilt=ANGLE, wider=st.floats(0.3, 4.0), aside=st.floats(-0.6, 0.6))
@settings(max_examples=60, deadline=None)
def test_a_view_stays_only_while_the_mesh_lies_in_it_and_fills_enough(
    turn: float, tilt: float, wider: float, aside: float
) -> None:
    shape, params = _box(2.0, 1.0, 0.5), Capture(view="top", turn=turn, tilt=tilt)
    best = home(shape, params, 400, 400)
    now = Frame(best.x + aside * best.width, best.y, best.width * wider)
    kept = home(shape, params, 400, 400, now)
    at = _corners(shape, params)
    low, high = at.min(axis=0), at.max(axis=0)
    middle, wide = (low + high) / 2, float((high - low).max())
    inside = bool((np.abs(middle - (now.x, now.y)) + wide / 2 <= now.width / 2).all())
    assert (kept is now) == (inside and wide >= 0.55 * now.width) or abs(wide / now.width - 0.55) < 1e-6
    assert kept is now or (kept.x, kept.y, kept.width) == (best.x, best.y, best.width)
