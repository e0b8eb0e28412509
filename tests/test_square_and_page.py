"""The square of a trial that becomes a plate, set by hand; and the page: its colours, and a mask over words."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from conftest import LEFT, settle
from engraver.app.desks.proof import ProofDesk
from engraver.app.window import Window
from engraver.core.cache import Cache
from engraver.core.pressing.gesture import Gesture, packed_points
from engraver.core.pressing.relief import Tip
from engraver.core.pressing.settings import checked
from engraver.core.proof.look import Look
from engraver.core.proof.paper import lettering, page
from engraver.core.proof.projection import projection
from engraver.core.proof.trial_square import TrialSquare
from engraver.core.proof.trial_view import TrialView, TrialWish
from engraver.core.recipe import Trial
from engraver.core.sources.trial import TrialFrame
from engraver.core.surfaces import surface
from engraver.core.surfaces.kind import Paper
from engraver.core.surfaces.view import Eye
from test_proof_desk import desk, drag, shown  # noqa: F401

SHARES = st.floats(0.2, 0.8)
SIZE = (800, 600)
SIGNS = ((-1, -1), (1, -1), (1, 1), (-1, 1))


def square(reading: TrialFrame, tilt: float = 35.0, turn: float = -9.0) -> TrialSquare:
    geometry = surface("flat" if reading.seen == "plane" else "ball").geometry
    return TrialSquare(reading, projection(geometry, Eye(tilt, turn), SIZE))


# -- the square -------------------------------------------------------------------


@given(SHARES, SHARES, st.floats(0.1, 1.0), st.floats(0, 75), st.floats(-180, 180), st.booleans())
def test_a_squares_corners_lie_where_it_says(
    x: float, y: float, width: float, tilt: float, turn: float, plane: bool
) -> None:
    """Projecting a corner and finding its pixel in the plane again come back to the frame's own numbers."""
    found = square(TrialFrame(x=x, y=y, width=width, seen="plane" if plane else "eye"), tilt, turn)
    for (sx, sy), corner in zip(SIGNS, found.corners(), strict=True):
        place = found.place(*corner)
        assert place == pytest.approx((x + sx * width / 2, y + sy * width / 2), abs=2e-5)


@given(SHARES, SHARES, st.floats(0.1, 0.6), st.integers(0, 3), SHARES, SHARES)
def test_a_pulled_corner_follows_the_hand_and_the_one_across_stays(
    x: float, y: float, width: float, corner: int, to_x: float, to_y: float
) -> None:
    sx, sy = SIGNS[corner]
    fixed = x - sx * width / 2, y - sy * width / 2
    reach = sx * (to_x - fixed[0]), sy * (to_y - fixed[1])
    assume(max(reach) > 0.02)
    made = square(TrialFrame(x=x, y=y, width=width)).pulled(corner, to_x, to_y)
    assert made.width == pytest.approx(max(reach), abs=1e-4)
    assert (made.x - sx * made.width / 2, made.y - sy * made.width / 2) == pytest.approx(fixed, abs=2e-4)


def test_a_plane_seen_on_its_edge_has_no_places() -> None:
    assert square(TrialFrame(), tilt=90.0).place(400, 300) is None
    assert square(TrialFrame(width=3.0)).pulled(2, 9.0, 9.0).width == 3.0  # no wider than can be asked for


def test_a_square_set_by_hand_becomes_the_plate(window: Window, desk: ProofDesk) -> None:  # noqa: F811
    canvas, active = desk.canvas, window.trials
    QTest.keyClick(window, Qt.Key.Key_9)  # straight down: what is framed is what is seen
    active.look(Eye(0.0, 0.0))
    drag(canvas, (0.45, 0.5), (0.55, 0.5))
    settle(window)
    desk.trial_actions.plate_menu().actions()[-1].trigger()
    begun = active.framing
    assert begun is not None and begun.width <= 0.8
    gestures, shown_square = len(active.trial.gestures), canvas.square()
    assert shown_square is not None
    at = shown_square.corners()[2] / canvas._ratio()
    share = at / (canvas.width(), canvas.height())
    drag(canvas, tuple(share), tuple(share + 0.05))
    wider = active.framing
    assert wider is not None and wider.width > begun.width + 0.02
    assert wider.x - wider.width / 2 == pytest.approx(begun.x - begun.width / 2, abs=1e-3)
    drag(canvas, (0.5, 0.5), (0.5, 0.6))
    lower = active.framing
    assert lower is not None and lower.y > wider.y + 0.02 and lower.x == pytest.approx(wider.x, abs=1e-3)
    assert len(active.trial.gestures) == gestures  # nothing was pressed meanwhile
    QTest.keyClick(canvas, Qt.Key.Key_Return)
    settle(window)
    plate = window.studio.plate
    assert plate is not None and plate.reading == lower and window.bench.isVisible()
    window.go_to("proof")
    desk.trial_actions.set_square()
    QTest.keyClick(canvas, Qt.Key.Key_Escape)
    assert active.framing is None
    desk.trial_actions.set_square()
    active.set_surface("ball")
    assert active.framing is None  # a square of the plane is none of the ball


# -- the page ---------------------------------------------------------------------


def test_words_fill_the_page_in_as_many_lines_as_make_them_largest() -> None:
    for words, tall in (("SALT QUAY", True), ("chain", False)):
        drawn = lettering(words, 400, 400)
        rows, columns = np.flatnonzero(drawn.max(axis=1) > 0.5), np.flatnonzero(drawn.max(axis=0) > 0.5)
        assert 0.8 < max(np.ptp(rows), np.ptp(columns)) / 400 <= 0.9
        assert (np.ptp(rows) > 200) == tall
        assert (rows[0] + rows[-1]) / 2 == pytest.approx(199.5, abs=2)
    narrow, wide = lettering("one two three", 200, 600), lettering("one two three", 600, 200)
    assert (narrow > 0.5).sum() > 1.3 * (lettering("one two three x", 200, 200) > 0.5).sum()
    assert narrow.shape == (600, 200) and wide.shape == (200, 600)
    assert not lettering("", 40, 40).any() and not lettering("\u4e2d", 40, 40).any()
    assert np.array_equal(lettering("a\u4e2db", 90, 90), lettering("ab", 90, 90))


def test_a_mask_shows_the_second_colour_only_in_letters_that_it_reveals() -> None:
    """The page of the bench and of the desk: each pixel is ground, ink or second colour, or lies between them."""
    paper = Paper(ink=(0, 0, 0), ground=(0, 0, 255), second=(255, 0, 0), mask=True, words="QUAY")
    half = np.zeros((64, 64), np.float32)
    half[:, :32] = 1
    bench = page(half, paper, 300, 300).astype(int)
    letters = lettering("QUAY", 300, 300) > 0.999
    assert (bench[:, :140][letters[:, :140]] == (255, 0, 0)).all()
    assert (bench[:, 160:][letters[:, 160:]] == (0, 0, 0)).all()
    assert (bench[lettering("QUAY", 300, 300) == 0] == (0, 0, 255)).all()

    kind = surface("paper")
    places = kind.geometry.chart(np.array([0.25]), np.array([0.5]))
    press = Gesture(uid="g", kind="single", plate="p", settings=checked(size=0.5), data=packed_points(places))
    trial = Trial(id="t", surface="paper", points=60_000, gestures=(press,))
    wish = TrialWish(trial, {"p": Tip(np.ones((32, 32), np.float32))}, Look((300, 300), kind.eye, paper=paper))
    view = TrialView(Cache())
    drawn = view.draw(wish)
    inside = [drawn.place(x + 0.5, y + 0.5) for y, x in np.ndindex(300, 300)]
    x, y = (
        np.array([(np.nan, np.nan) if p is None else p[:2] for p in inside]).reshape(300, 300, 2).transpose(2, 0, 1)
    )
    marked = (np.abs(x + 0.5) < 0.45) & (np.abs(y) < 0.45)
    red = (drawn.picture[..., 0] > 200) & (drawn.picture[..., 2] < 60)
    black = drawn.picture.max(axis=2) < 40
    assert red[marked].sum() > 300 and not black[marked].any()
    assert not red[x > 0.05].any() and black[x > 0.05].sum() > 300
    # Without a mask the page is inked where marks fell, and it says nothing.
    bare = view.draw(replace(wish, look=replace(wish.look, paper=replace(paper, mask=False)))).picture
    assert (bare[marked].max(axis=1) < 20).all() and (bare[x > 0.1] == (0, 0, 255)).all()
    assert np.array_equal(view.draw(wish).picture, drawn.picture)


def test_the_page_is_painted_from_the_desk(window: Window, desk: ProofDesk) -> None:  # noqa: F811
    tools, active = desk.tools, window.trials
    assert tools.dial.isVisible() and not tools.page.isVisible()
    QTest.mouseClick(desk.surfaces.surfaces["paper"], LEFT)
    active.look(Eye(0.0, 0.0))
    drag(desk.canvas, (0.4, 0.5), (0.6, 0.5))
    inked = shown(desk)
    assert tools.page.isVisible() and not tools.dial.isVisible() and not tools.light.isVisible()
    QTest.mouseClick(tools.page, LEFT)
    parts = tools.page.controls
    assert tools.page.sheet.isVisible() and not parts.words.isVisible()
    QTest.mouseClick(parts.as_mask, LEFT)
    masked = shown(desk)
    assert active.state.paper.mask and (masked != inked).any(axis=-1).mean() > 0.02
    assert parts.words.isVisible() and parts.swatches["second"].isVisible()
    parts.words.selectAll()
    QTest.keyClicks(parts.words, "rope")
    assert active.state.paper.words == "rope"
    assert (shown(desk) != masked).any(axis=-1).mean() > 0.02
    assert tools.page.sheet.pos().y() + tools.page.sheet.height() <= tools.page.mapToGlobal(QPoint(0, 0)).y()


def test_the_grid_shows_at_once_and_says_where_it_is_too_fine(window: Window, desk: ProofDesk) -> None:  # noqa: F811
    active = window.trials
    active.look(replace(active.eye, zoom=6.0))
    before = shown(desk)
    QTest.keyClick(window, Qt.Key.Key_G)
    lines = shown(desk)
    assert (np.abs(lines - before).max(axis=-1) > 12).mean() > 0.05 and not desk.canvas._lines_too_fine()
    active.set_trial("dense", points=1_000_000)
    active.look(replace(active.eye, zoom=1.0))
    shown(desk)
    assert desk.canvas._lines_too_fine()
