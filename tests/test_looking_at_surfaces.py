"""The eye and the lamp: what they turn to, and the dial and the drags that move them on both desks."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from scipy.spatial.transform import Rotation

from conftest import LEFT, settle
from engraver.app import proof_state
from engraver.app.proof_state import ZOOMS, ProofState
from engraver.app.views.light_dial import LightDial
from engraver.app.window import Window
from engraver.core.cache import Cache
from engraver.core.proof.look import Look
from engraver.core.proof.trial_view import TrialView, TrialWish
from engraver.core.recipe import Trial
from engraver.core.surfaces import SURFACES, surface
from engraver.core.surfaces.view import LAMP_HEIGHTS, MOST_PAN, Eye, Lamp

ANGLES = st.floats(-720, 720, allow_nan=False)
TILTS = st.floats(0, 90)
SHARES = st.floats(-1.5, 1.5)


@given(TILTS, ANGLES)
def test_the_eye_is_a_rotation_by_its_two_angles(tilt: float, turn: float) -> None:
    """Against scipy's rotations: first about the scene's z, then about the eye's x, away from the viewer."""
    found = Eye(tilt, turn).rotation()
    expected = Rotation.from_euler("x", -tilt, degrees=True) * Rotation.from_euler("z", turn, degrees=True)
    assert np.allclose(found, expected.as_matrix(), atol=2e-6)
    assert np.linalg.det(found.astype(float)) == pytest.approx(1, abs=1e-5)


@given(TILTS, ANGLES, st.floats(-40, 40), st.floats(-90, 90))
def test_turning_adds_up_and_leaves_the_rest(tilt: float, turn: float, by: float, about: float) -> None:
    eye = Eye(tilt, turn, 2.0, 0.1, -0.2)
    there = eye.turned(by, about)
    assert (there.zoom, there.x, there.y) == (2.0, 0.1, -0.2)
    back = there.turned(-by, -about)
    assert back.tilt == pytest.approx(eye.tilt, abs=1e-9) and back.turn == pytest.approx(eye.turn, abs=1e-9)


@given(st.floats(0.4, 12), st.floats(0.4, 12), st.floats(-0.4, 0.4), st.floats(-0.4, 0.4))
def test_what_is_under_the_pointer_stays_there_while_it_zooms(
    before: float, after: float, x: float, y: float
) -> None:
    """A place that is seen at x from the middle lies at x / zoom - eye.x of what is looked at, before and after."""
    eye = Eye(zoom=before)
    there = eye.zoomed(after, x, y)
    assert there.zoom == after
    assert x / after - there.x == pytest.approx(x / before - eye.x, abs=1e-9)
    assert y / after - there.y == pytest.approx(y / before - eye.y, abs=1e-9)


@given(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6))
def test_nothing_is_moved_out_of_sight(x: float, y: float) -> None:
    there = Eye().moved(x, y)
    assert max(abs(there.x), abs(there.y)) <= MOST_PAN


@given(SHARES, SHARES)
def test_the_dial_goes_there_and_back(x: float, y: float) -> None:
    """On a dial of radius 1 a lamp stands where it is seen from straight above: the cosine of its height away."""
    lamp = Lamp.at(x, y)
    low, high = LAMP_HEIGHTS
    assert low <= lamp.height <= high and 0 <= lamp.azimuth < 360
    shown = lamp.on_dial()
    assert math.hypot(*shown) == pytest.approx(math.cos(math.radians(lamp.height)))
    towards = lamp.direction()
    assert (towards[0], -towards[1]) == pytest.approx(shown, abs=1e-6) and np.linalg.norm(towards) == pytest.approx(1)
    if math.cos(math.radians(high)) < math.hypot(x, y) < math.cos(math.radians(low)):
        assert shown == pytest.approx((x, y), abs=1e-6)


@given(ANGLES, st.floats(-200, 200))
def test_a_lamp_is_never_below_the_ground(azimuth: float, height: float) -> None:
    there = Lamp().moved(azimuth, height)
    assert LAMP_HEIGHTS[0] <= there.height <= LAMP_HEIGHTS[1] and 0 <= there.azimuth < 360
    turns = (there.azimuth - Lamp().azimuth - azimuth) / 360
    assert turns == pytest.approx(round(turns), abs=1e-6)


@pytest.mark.parametrize("id", list(SURFACES))
def test_a_surface_is_turned_no_farther_than_it_has_a_front(id: str) -> None:
    low, high = surface(id).tilts
    assert low <= surface(id).eye.tilt <= high
    state = ProofState()
    for tilt, zoom in ((-500.0, 1e-9), (500.0, 1e9)):
        eye = state.with_eye(id, Eye(tilt, 7.0, zoom, 50.0, -50.0)).eye(id)
        assert low <= eye.tilt <= high and ZOOMS[0] <= eye.zoom <= ZOOMS[1]
        assert (eye.x, eye.y) == (MOST_PAN, -MOST_PAN) and eye.turn == 7.0
    others = {k for k in SURFACES if state.with_eye(id, Eye(20.0)).eye(k) != state.eye(k)}
    assert others <= {id}


# -- by hand, on both desks ------------------------------------------------------------


def _dial(window: Window, desk: str) -> LightDial:
    window.go_to(desk)
    settle(window)
    return next(d for d in window.findChildren(LightDial) if d.isVisible())


def _lamp(window: Window, desk: str) -> Lamp:
    return window.trials.lamp if desk == "proof" else window.studio.proof.lamp


@pytest.mark.parametrize("desk", ["bench", "proof"])
def test_the_dial_moves_the_lamp_of_its_desk_by_mouse_and_keys(window: Window, desk: str) -> None:
    window.commands["start-cushion"].run()
    settle(window)
    dial = _dial(window, desk)
    other = "bench" if desk == "proof" else "proof"
    kept, middle = _lamp(window, other), QPoint(dial.width() // 2, dial.height() // 2)
    first = _lamp(window, desk)
    for off, azimuth in ((QPoint(9, 0), 90), (QPoint(0, 9), 180), (QPoint(-9, 0), 270), (QPoint(0, -9), 0)):
        QTest.mouseClick(dial, LEFT, Qt.KeyboardModifier.NoModifier, middle + off)
        away = (_lamp(window, desk).azimuth - azimuth + 180) % 360 - 180
        assert abs(away) < 4
    low = _lamp(window, desk).height
    QTest.mouseClick(dial, LEFT, Qt.KeyboardModifier.NoModifier, middle)
    assert _lamp(window, desk).height == LAMP_HEIGHTS[1] > low
    for key, by in ((Qt.Key.Key_Right, (10, 0)), (Qt.Key.Key_Left, (-10, 0)), (Qt.Key.Key_Down, (0, -5)),
                    (Qt.Key.Key_Up, (0, 5))):  # fmt: skip
        before = _lamp(window, desk)
        QTest.keyClick(dial, key)
        assert _lamp(window, desk) == before.moved(*by) != before
    QTest.mouseDClick(dial, LEFT, Qt.KeyboardModifier.NoModifier, middle)
    assert _lamp(window, desk) == first
    assert _lamp(window, other) == kept, "the other desk keeps its own light"
    settle(window)


def test_each_surface_keeps_its_own_eye_and_light_over_a_restart(window: Window) -> None:
    trials = window.trials
    trials.set_surface("ball")
    trials.look(replace(trials.eye, tilt=50.0, zoom=2.0))
    trials.shine(Lamp(10.0, 20.0))
    trials.set_surface("flat")
    assert trials.eye == surface("flat").eye and trials.lamp == surface("flat").lamp
    path, data = trials.keep()
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    again = proof_state.read(path)
    assert (again.eye("ball").tilt, again.eye("ball").zoom) == (50.0, 2.0) and again.lamp("ball") == Lamp(10.0, 20.0)
    for broken in (
        b"",
        b"{",
        data[: len(data) // 2],
        b'{"eyes": {"ball": {"tilt": NaN}}}',
        b"[" * 5000,
        b"0" * 300_000,
    ):
        path.write_bytes(broken)
        assert proof_state.read(path) == ProofState()


def test_where_the_hand_is_does_not_change_while_the_next_picture_is_drawn() -> None:
    """What was seen keeps its own depths: on another thread they are cleared and drawn anew."""
    view = TrialView(Cache())
    wish = TrialWish(Trial(id="t", surface="ball", points=60_000), {}, Look((120, 120), SURFACES["ball"].eye))
    seen = view.draw(wish)
    before = seen.place(60, 60)
    view.draw(replace(wish, look=replace(wish.look, eye=Eye(0.0, 0.0, 0.3, 2.0))))  # the ball is elsewhere now
    after = seen.place(60, 60)
    assert before is not None and after is not None and np.array_equal(before, after)
    on, _ = SURFACES["ball"].geometry.onto(before[None], None)
    assert np.linalg.norm(before - on[0]) < 0.01
