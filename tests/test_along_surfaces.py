"""Curves that go to another surface, open bands straightened, tubes by their formulas, and what is refused."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from engraver.core.cache import Cache
from engraver.core.cords.trial import cords_of
from engraver.core.curves.model import Curve
from engraver.core.errors import BadValue
from engraver.core.pressing.gesture import Gesture
from engraver.core.recipe import Trial, trials
from engraver.core.sources.trial_strip import straightened, whole_repeats
from engraver.core.surfaces import surface
from segments import rope
from test_bands import along, formula, strip, tip

LINE = np.array([[-0.9, 0.0, 0], [0.9, 0.0, 0]])
SIGNED = st.floats(-0.3, 0.3).map(lambda v: round(v, 3))


def _trial(*gestures: Gesture, on: str = "flat") -> Trial:
    return Trial(id="t", surface=on, gestures=gestures)


@given(
    places=st.lists(st.tuples(SIGNED, SIGNED), min_size=2, max_size=5, unique=True),
    reach=st.floats(0.05, 0.3), angle=st.floats(0, 6.28), on=st.sampled_from(["ball", "terrain", "pipe", "box"]),
)  # fmt: skip
@settings(max_examples=40)
def test_a_curve_keeps_its_places_and_its_handles_on_another_surface(
    places: list[tuple[float, float]], reach: float, angle: float, on: str
) -> None:
    points = np.array([(x, y, 0.0) for x, y in places])
    way = reach * np.array([np.cos(angle), np.sin(angle), 0.0])
    curve = Curve(sharp=(0,)).with_handles({0: np.stack([-0.5 * way, way])})
    there = trials.on_another(_trial(along(points, curve)), on)
    (gesture,) = there.gestures
    geometry = surface(on).geometry
    placed, _ = geometry.onto(gesture.points[:, :3], None)
    assert np.abs(placed - gesture.points[:, :3]).max() < 1e-4  # on the surface
    handles = gesture.way.handle_of(0)
    assert handles is not None and gesture.way.sharp == (0,)
    before, after = handles
    sizes = np.linalg.norm(handles, axis=1)
    # They lie in the surface, in one line, and keep their ratio.
    near = placed[:1] + 1e-3 * handles
    assert np.abs(geometry.onto(near, None)[0] - near).max() < 0.02 * 1e-3 * sizes.max()
    assert np.linalg.norm(np.cross(before, after)) < 0.02 * sizes.prod() and before @ after < 0
    assert sizes[1] / sizes[0] == pytest.approx(2.0, rel=0.02)
    back = trials.on_another(there, "flat").gestures[0]
    assert np.abs(back.points[:, :3] - points).max() < 1e-4
    again = back.way.handle_of(0)
    assert again is not None and np.abs(again[1] - way).max() < 0.02 * reach


@pytest.mark.parametrize(("fits", "repeats", "length"), [("own", 2, 1.6), ("whole", 2, 1.8)])
def test_an_open_band_is_straightened_over_its_whole_repeats(fits: str, repeats: int, length: float) -> None:
    """A strip twice as long as it is wide, 0.4 wide: a repeat of its own length takes 0.8 of 1.8."""
    gesture = along(LINE, size=0.2, strength=0.1, fits=fits)
    tips = {"p": tip(strip())}
    span = whole_repeats(gesture, tips, surface("flat").geometry, None)
    assert span.end - span.begin == pytest.approx(length, abs=1e-6) and span.wide == pytest.approx(0.4)
    assert span.shape == pytest.approx(0.4 / length)
    rows, columns = 96, 512
    tall = straightened(_trial(gesture), tips, None, gesture.uid, (rows, columns))
    y, x = (np.mgrid[0:rows, 0:columns] + 0.5) / np.array([rows, columns])[:, None, None]
    inner = (y > 0.03) & (y < 0.97)
    assert np.abs(tall - 0.04 * formula((repeats * x) % 1, y))[inner].max() < 6e-3 * 0.04
    across = np.abs(tall[:, 0] - tall[:, -1]).max()  # it goes on in itself: from its last column into its first
    assert across < 2.5 * np.abs(np.diff(tall, axis=1)).max()


def test_end_pieces_are_left_out_of_the_strip() -> None:
    gesture = along(LINE, size=0.2, strength=0.1, fits="own", first_piece="e", last_piece="e")
    tips = {"p": tip(strip()), "e": tip(strip(columns=128, of=lambda x, y: 0 * x + 1.0), "e")}
    span = whole_repeats(gesture, tips, surface("flat").geometry, None)
    # Pieces as long as they are wide (0.4) at both ends leave 1.0, which holds one repeat of 0.8.
    assert span.begin == pytest.approx(0.4, abs=1e-6) and span.end == pytest.approx(1.2, abs=1e-6)
    tall = straightened(_trial(gesture), tips, None, gesture.uid, (64, 256))
    assert tall.max() < 0.04 * 0.96  # nothing of the pieces, which are white


@pytest.mark.parametrize(
    ("gesture", "word"),
    [
        (along(LINE, size=0.2, plate="gone"), "gone"),
        (along(LINE[:1], size=0.2), "two points"),
        (along(LINE * 0.2, size=0.2, fits="own"), "whole repeat"),
    ],
)
def test_what_cannot_be_straightened_is_told(gesture: Gesture, word: str) -> None:
    with pytest.raises(BadValue) as error:
        straightened(_trial(gesture), {"p": tip(strip())}, None, gesture.uid, (32, 64))
    assert word in error.value.sentence()
    with pytest.raises(BadValue):
        straightened(_trial(gesture), {"p": tip(strip())}, None, "another", (32, 64))


@given(radius=st.floats(0.3, 0.7), thick=st.floats(0.02, 0.06), bend=st.floats(-0.2, 0.2), high=st.floats(0.0, 0.15))
@settings(max_examples=12)
def test_cords_along_rings_hold_what_the_formulas_say(radius: float, thick: float, bend: float, high: float) -> None:
    """Volume and area of a tube are those of its circle times its length (H. Weyl, 1939; Pappus for a circle).

    A piece of rope is no circle: its own volume over its length is the measure. The same rope mirrored, or along
    the curve turned round, holds as much.
    """
    a = np.arange(24) * 2 * np.pi / 24
    ring = np.stack([
        radius * np.cos(a) * (1 + bend * np.cos(2 * a)), radius * np.sin(a) * (1 + bend * np.cos(2 * a)),
        high * np.sin(2 * a),
    ], -1)  # fmt: skip

    def volume(places: np.ndarray, **more: float) -> tuple[float, float]:
        gesture = along(places, Curve(closed=True), size=thick, made="body", fits="count", times=24, **more)
        tips = {"p": tip(strip(), body=rope())}
        (cord,) = cords_of((gesture,), surface("flat").geometry, None, tips, Cache(10**8))
        corners = cord.points[cord.faces].astype(np.float64)
        inside = float(np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])).sum() / 6)
        return inside, float(np.linalg.norm(np.ptp(cord.points, axis=0)))

    whole, _ = volume(ring)
    turned, _ = volume(ring[::-1])
    shifted, _ = volume(np.roll(ring, 5, axis=0))
    assert whole > 0
    assert turned == pytest.approx(whole, rel=4e-3) and shifted == pytest.approx(whole, rel=4e-3)
    doubled, _ = volume(ring * 2)  # twice as long, as thick: twice as much
    assert doubled == pytest.approx(2 * whole, rel=0.03)
