"""Gestures become marks: arc length, chance, pressure, symmetry, how marks lie, meet, smooth and scrape."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from engraver.core.errors import BadValue
from engraver.core.params import specs
from engraver.core.pressing import way
from engraver.core.pressing.expand import expand
from engraver.core.pressing.gesture import GESTURES, Gesture
from engraver.core.pressing.relief import Tip, fall_table
from engraver.core.pressing.settings import GROUPS, StrokeSettings, checked, group_is_off, neutral, start_for
from engraver.core.pressing.tooth import TEETH, tooth
from engraver.core.surfaces import SURFACES, surface
from engraver.core.surfaces.ground import SCENE
from trials import TIP, dome, gesture, relief

FLAT = surface("flat").geometry


# -- the way ---------------------------------------------------------------------------


@pytest.mark.parametrize("count", [24, 400])
def test_spacing_is_by_arc_length_on_a_circle_and_on_a_spiral(count: int) -> None:
    """A circle's arc is r·t; an Archimedean spiral's r = a·t has (a/2)(t√(1+t²) + arsinh t) (handbook formulas)."""
    t = np.linspace(0, 2 * math.pi * 0.9, count)
    circle = np.stack([0.5 + 0.3 * np.cos(t), 0.5 + 0.3 * np.sin(t)], -1)
    marks = expand(gesture(points=circle, size=0.05, spacing=0.5), FLAT)
    angle = np.unwrap(np.arctan2(-marks.place[:, 1], marks.place[:, 0]))
    ends = 0 if count > 100 else 12  # where the hand told little, the two outermost legs are a guess
    assert np.diff(angle)[ends : len(angle) - 1 - ends] * 0.6 == pytest.approx(0.05 * SCENE * 0.5, rel=1e-3)
    turns = np.linspace(0.5, 18, 40 * count)
    spiral = np.stack([0.5 + 0.02 * turns * np.cos(turns), 0.5 + 0.02 * turns * np.sin(turns)], -1)
    marks = expand(gesture(points=spiral, size=0.05, spacing=0.5), FLAT)
    u = np.unwrap(np.arctan2(-marks.place[:, 1], marks.place[:, 0]))
    arc = 0.04 / 2 * (u * np.sqrt(1 + u * u) + np.arcsinh(u))
    assert np.diff(arc)[u[:-1] > 4][:-6] == pytest.approx(0.05, rel=1e-3)


def test_a_smooth_way_goes_through_its_points_without_loops() -> None:
    rng = np.random.default_rng(3)
    points = np.hstack([np.cumsum(rng.normal(size=(12, 3)), axis=0), rng.random((12, 1))])
    smooth = way.rounded(points, 0.05)
    for point in points:
        assert np.abs(smooth - point).max(axis=1).min() < 1e-9
    assert np.linalg.norm(np.diff(smooth[:, :3], axis=0), axis=1).max() < 0.1
    straight = np.linspace(0, 1, 9)[:, None] * np.array([[1.0, 2.0, 0.0, 1.0]])
    line = way.rounded(straight, 0.01)
    assert np.abs(line[:, 1] - 2 * line[:, 0]).max() < 1e-12
    assert len(way.rounded(np.repeat(points[:1], 50, axis=0), 0.1)) == 1


def test_a_string_holds_the_mark_back_and_never_lets_it_lie_farther_than_it_is_long() -> None:
    rng = np.random.default_rng(5)
    hand = np.hstack([np.cumsum(rng.normal(scale=0.02, size=(300, 3)), axis=0), np.ones((300, 1))])
    held = hand.copy()
    from engraver.core.pressing import tool_kernels

    tool_kernels.steady(held, 0.2)
    assert np.linalg.norm(held[:, :3] - hand[:, :3], axis=1).max() <= 0.2 + 1e-12

    def rough(p: np.ndarray) -> float:
        return float(np.abs(np.diff(p[:, :3], 2, axis=0)).sum())

    assert rough(held) < 0.5 * rough(hand)


def test_more_of_a_stroke_leaves_its_marks_as_they_are() -> None:
    """While the hand draws, marks that are there are pressed and cannot move."""
    t = np.linspace(0, 1, 60)
    points = np.stack([0.1 + 0.8 * t, 0.5 + 0.2 * np.sin(9 * t)], -1)
    more = {"size": 0.1, "turn_jitter": 1.0, "size_jitter": 0.5, "count": 3, "count_jitter": 1.0, "taper_in": 0.0,
            "scatter_across": 0.4, "flip_across": 0.5, "seed": 9}  # fmt: skip
    before = expand(gesture(points=points[:4], **more), FLAT, live=True)
    for n in range(5, 60, 7):
        after = expand(gesture(points=points[:n], **more), FLAT, live=True)
        assert after.same_from(before) == len(before)
        before = after
    whole = expand(gesture(points=points, **more), FLAT)
    assert whole.same_from(before) == len(before) < len(whole)


# -- chance, pressure, symmetry --------------------------------------------------------


def test_chance_follows_its_distributions() -> None:
    """A. Kolmogorov and N. Smirnov's test against the uniform laws that the settings name."""
    line = [(0.01, 0.5), (0.99, 0.5)]
    marks = expand(gesture(points=line, size=0.02, spacing=0.02, turn_jitter=0.5, size_jitter=0.4, seed=4,
                           round_jitter=0.6, flip_across=0.3, scatter_across=0.7), FLAT)  # fmt: skip
    assert len(marks) > 2000
    turn = np.arctan2(-marks.right[:, 1], marks.right[:, 0]) / math.pi
    assert stats.kstest(turn, stats.uniform(-0.5, 1).cdf).pvalue > 0.01
    assert stats.kstest(marks.radius / 0.02, stats.uniform(0.6, 0.4).cdf).pvalue > 0.01
    assert stats.kstest(marks.ratio, stats.uniform(0.4, 0.6).cdf).pvalue > 0.01
    assert stats.kstest(marks.place[:, 1] / 0.04, stats.uniform(-0.7, 1.4).cdf).pvalue > 0.01
    assert (marks.flip_x < 0).mean() == pytest.approx(0.3, abs=0.04) and (marks.flip_y > 0).all()
    other = expand(gesture(points=line, size=0.02, spacing=0.02, turn_jitter=0.5, seed=5), FLAT)
    assert not np.array_equal(other.right, marks.right[: len(other)])


def test_by_chance_no_mark_is_smaller_than_the_smallest() -> None:
    line = [(0.01, 0.5), (0.99, 0.5)]
    marks = expand(gesture(points=line, size=0.02, spacing=0.05, size_jitter=1.0, size_least=0.15), FLAT)
    assert marks.radius.min() == pytest.approx(0.15 * 0.02) and marks.radius.max() <= 0.02


@pytest.mark.parametrize("share", [0.0, 0.4, 1.0])
def test_pressure_at_its_ends(share: float) -> None:
    """Full pressure leaves a value as it is set; none leaves what its rule does not take, for the size its least."""
    for pressure in (0.0, 1.0):
        marks = expand(
            gesture("single", points=[(0.5, 0.5, pressure)], size=0.2, strength=0.1, flow=0.8, press_size=share,
                    press_least=0.2, press_strength=share, press_flow=share), FLAT,
        )  # fmt: skip
        left = 1 - share * (1 - pressure)
        assert marks.strength[0] == pytest.approx(0.1 * left) and marks.flow[0] == pytest.approx(0.8 * left)
        assert marks.radius[0] == pytest.approx(0.2 * (1 - share * (1 - pressure) * 0.8))


@pytest.mark.parametrize("meets", ["highest", "replace"])
@pytest.mark.parametrize("on", ["flat", "ball", "box"])
def test_mirrored_marks_are_the_same_to_the_bit(on: str, meets: str) -> None:
    """A lopsided plate, turned, on surfaces whose points are mirrored themselves."""
    tip = Tip(np.ascontiguousarray(dome(64) * np.linspace(0.2, 1, 64, dtype=np.float32)), None, "lop")
    made = gesture(on=on, points=[(0.6, 0.4), (0.66, 0.6)], size=0.12, spacing=0.8, turn=20, mirror=True, meets=meets)
    pressed = relief(on)
    pressed.press(expand(made, surface(on).geometry), tip, made.settings)
    places, heights = pressed.ground.points, pressed.height
    assert (heights > 0).sum() > 200
    order = np.lexsort(places.T)
    over = places * np.array([-1, 1, 1], np.float32)
    like = np.lexsort(over.T)
    assert np.array_equal(places[order], over[like])
    assert np.array_equal(heights[order], heights[like])


def test_arms_stand_round_the_middle() -> None:
    marks = expand(gesture("single", points=[(0.8, 0.5)], size=0.1, arms=5), FLAT)
    angle = np.sort(np.arctan2(marks.place[:, 1], marks.place[:, 0]))
    assert np.diff(angle) == pytest.approx(2 * math.pi / 5) and np.hypot(*marks.place.T[:2]) == pytest.approx(0.6)
    both = expand(gesture("single", points=[(0.8, 0.4)], size=0.1, arms=3, mirror=True), FLAT)
    assert len(both) == 6 and (both.flip_y < 0).sum() == 3


# -- how marks lie -----------------------------------------------------------------------


def test_a_plate_dragged_out_and_turned_is_the_plate_resampled() -> None:
    """Against the formula of the soft disc at each point, turned by 30°: within 1e-4 of the strength."""
    lop = (np.mgrid[0:512, 0:512][1] + 0.5) / 512
    tip = Tip(np.ascontiguousarray(dome(512) * (0.5 + 0.5 * lop), np.float32), None, "lop")
    angle = math.radians(30)
    end = (0.5 + 0.2 * math.cos(angle), 0.5 + 0.2 * math.sin(angle))
    made = gesture("drag-out", points=[(0.5, 0.5), end], strength=0.1)
    pressed = relief("flat", 1_000_000)
    pressed.press(expand(made, FLAT), tip, made.settings)
    x, y = pressed.ground.points[:, 0].astype(float), -pressed.ground.points[:, 1].astype(float)
    u, v = (math.cos(angle) * x + math.sin(angle) * y) / 0.4, (math.cos(angle) * y - math.sin(angle) * x) / 0.4
    expected = np.clip(1 - u * u - v * v, 0, 1) ** 2 * (0.75 + u / 4) * 0.1 * 0.8
    expected[(np.abs(u) > 1) | (np.abs(v) > 1)] = 0
    assert np.abs(pressed.height - expected).max() < 1e-4 * 0.1 * 0.8


def test_a_mark_dragged_out_from_a_corner_has_its_corners_there() -> None:
    marks = expand(gesture("drag-out", points=[(0.3, 0.4), (0.6, 0.7)], corner=True), FLAT)
    assert marks.place[0, :2] == pytest.approx([-0.1, -0.1]) and marks.right[0] == pytest.approx([1, 0, 0], abs=1e-6)
    assert marks.radius[0] == pytest.approx(0.3)


@pytest.mark.parametrize("at", [(0.5, 0.5), (0.3, 0.25), (0.72, 0.8)])
def test_marks_on_the_ball_lie_by_the_exponential_map(at: tuple[float, float]) -> None:
    """Distance from the middle is the great circle's, direction the one in which it leaves (do Carmo, 1992)."""
    ball = surface("ball").geometry
    made = gesture("single", "ball", points=[at], size=0.6, strength=0.1)
    marks = expand(made, ball)
    ramp = np.tile((np.arange(256) + 0.5) / 256, (256, 1)).astype(np.float32)
    pressed = relief("ball", 60_000)
    pressed.press(marks, Tip(np.ascontiguousarray(ramp)), made.settings)
    p, c, right = pressed.ground.points.astype(float), marks.place[0], marks.right[0]
    radius = np.linalg.norm(c)
    cosine = np.clip(p @ c / radius**2, -1, 1)
    away = p - cosine[:, None] * c
    along = radius * np.arccos(cosine) / np.maximum(np.linalg.norm(away, axis=1), 1e-12)
    u = along * (away @ right) / marks.radius[0]
    v = along * (away @ np.cross(marks.normal[0], right)) / marks.radius[0]
    inside = (np.abs(u) < 0.98) & (np.abs(v) < 0.98) & (cosine > 0)
    found = pressed.height[inside] / (0.1 * 2 * marks.radius[0])
    assert inside.sum() > 5000 and np.abs(found - (u[inside] + 1) / 2).max() < 2e-3


def test_marks_roll_round_the_pipe_without_being_stretched() -> None:
    """A tube unrolls: the mark is the plane's, by the way round."""
    pipe = surface("pipe").geometry
    made = gesture("single", "pipe", points=[(0.5, 0.02)], size=0.5, strength=0.1)  # over the seam at the back
    pressed, marks = relief("pipe", 60_000), expand(made, pipe)
    pressed.press(marks, TIP, made.settings)
    even = pressed.ground.even
    assert even is not None
    p = pressed.ground.points[: even.rows * even.columns].astype(float)
    angle = np.arctan2(p[:, 2], p[:, 1]) - math.atan2(marks.place[0, 2], marks.place[0, 1])
    arc = np.abs((angle + math.pi) % (2 * math.pi) - math.pi) * pressed.ground.radius
    r2 = ((p[:, 0] - marks.place[0, 0]) ** 2 + arc**2) / marks.radius[0] ** 2
    expected = np.clip(1 - r2, 0, 1) ** 2 * 0.1
    assert np.abs(pressed.height[: len(p)] - expected).max() < 2e-3 and not pressed.height[len(p) :].any()


def test_a_mark_is_the_same_at_every_density() -> None:
    """A soft disc on few and on many points: the few hold what the many hold there."""
    made = gesture("single", points=[(0.47, 0.55)], size=0.4, strength=0.1, turn=17)
    few, many = relief("flat", 3600), relief("flat", 360_000)
    for one in (few, many):
        one.press(expand(made, FLAT), TIP, made.settings)
    fine = many.height.reshape(600, 600)
    middle = (fine[4::10, 4::10] + fine[5::10, 4::10] + fine[4::10, 5::10] + fine[5::10, 5::10]) / 4
    assert np.abs(few.height.reshape(60, 60) - middle).max() < 0.02 * 0.1


# -- how marks act and meet --------------------------------------------------------------


def _pressed(*made: Gesture, tip: Tip = TIP) -> np.ndarray:
    one = relief("flat", 10_000)
    for g in made:
        one.press(expand(g, FLAT), tip, g.settings)
    return one.height.copy()


def _two(**more: object) -> tuple[Gesture, Gesture]:
    return (
        gesture("single", points=[(0.45, 0.5)], size=0.4, n=1, **more),
        gesture("single", points=[(0.6, 0.55)], size=0.3, n=2, **more),
    )


def test_highest_wins_is_idempotent_and_order_free_and_adding_commutes() -> None:
    a, b = _two(meets="highest")
    assert np.array_equal(_pressed(a, b), _pressed(b, a)) and np.array_equal(_pressed(a, b, b, a), _pressed(a, b))
    assert np.array_equal(_pressed(a, b), np.maximum(_pressed(a), _pressed(b)))
    a, b = _two(meets="add")
    assert np.allclose(_pressed(a, b), _pressed(b, a), atol=1e-7)
    assert np.allclose(_pressed(a, b), _pressed(a) + _pressed(b), atol=1e-7)
    lone = _pressed(gesture("single", size=0.4, acts="cut"))
    assert np.array_equal(lone, -_pressed(gesture("single", size=0.4)))


def test_keeping_replacing_levelling_gathering_and_pushing() -> None:
    a, b = _two(meets="keep")
    first, both = _pressed(a), _pressed(a, b)
    stands = first > 0.011 * first.max() * 10
    assert np.array_equal(both[stands], first[stands]) and (both[first == 0] == _pressed(b)[first == 0]).all()
    square = Tip(np.full((16, 16), 0.5, np.float32))
    a, b = _two(meets="replace")
    inside = _pressed(b, tip=square) == _pressed(b, tip=square).max()
    assert np.allclose(_pressed(a, b, tip=square)[inside], _pressed(b, tip=square)[inside], atol=1e-8)
    flat = gesture("single", size=0.5, acts="level", level=0.05)
    ones = Tip(np.ones((16, 16), np.float32))
    levelled = _pressed(a, flat, tip=ones)
    x, y = relief("flat", 10_000).ground.points.T[:2]
    core = (np.abs(x) < 0.4) & (np.abs(y) < 0.4)
    assert np.allclose(levelled[core], 0.05 * 1.0)
    pulls = relief("flat", 10_000)
    made = gesture("single", size=0.5, acts="gather", strength=0.1)
    pulls.press(expand(made, FLAT), ones, made.settings)
    assert pulls.moves is not None and not pulls.height.any()
    moved = np.linalg.norm(pulls.moves[core], axis=1)
    far = np.hypot(x[core], y[core])
    assert np.allclose(moved, np.minimum(far, 0.1 * 1.0), atol=1e-6)
    towards = -(pulls.moves[core][:, 0] * x[core] + pulls.moves[core][:, 1] * y[core])
    assert np.allclose(towards, moved * far, atol=1e-6)
    ball = relief("ball", 20_000)
    made = gesture("single", "ball", points=[(0.5, 0.5)], size=0.5, push="mark", strength=0.1)
    ball.press(expand(made, surface("ball").geometry), ones, made.settings)
    by = ball.points() - ball.ground.points
    reached = np.linalg.norm(ball.ground.points - [0, 0, 0.95], axis=1) < 0.45
    assert np.allclose(by[reached], [0, 0, 0.1], atol=1e-5)  # all one way, that of the middle: to the eye


def test_ink_builds_up_to_full_and_no_further() -> None:
    page = relief("paper", 10_000)
    made = gesture("single", size=0.5, flow=0.3)
    left = np.ones(len(page.height))
    for _ in range(4):
        page.press(expand(made, FLAT), Tip(np.ones((16, 16), np.float32)), made.settings)
        left *= 0.7
        assert page.height.max() == pytest.approx(1 - left[0], abs=1e-6)


@pytest.mark.parametrize("fall", ["soft", "round", "peak", "drawn"])
def test_the_receiving_brushs_falloff_is_its_formula(fall: str) -> None:
    curve = ((0.0, 1.0), (0.3, 0.9), (1.0, 0.0))
    made = gesture("single", size=0.8, fall=fall, fall_curve=curve, strength=0.1)
    found = _pressed(made, tip=Tip(np.ones((400, 400), np.float32))) / (0.1 * 1.6)
    x, y = relief("flat", 10_000).ground.points.T[:2].astype(float)
    r = np.hypot(x, y) / 0.8
    formula = {"soft": 1 - 3 * r**2 + 2 * r**3, "round": np.sqrt(np.clip(1 - r * r, 0, 1)), "peak": (1 - r) ** 2,
               "drawn": np.interp(r, *np.array(curve).T)}[fall]  # fmt: skip
    core = r < 0.99  # a half ball is upright at its border
    assert np.abs(found - np.where(r < 1, formula, 0))[core].max() < 0.01 and not found[r > 1].any()
    assert fall_table(fall, curve)[[0, -1]] == pytest.approx([1, 0], abs=1e-6)


@pytest.mark.parametrize("id", TEETH)
def test_every_tooth_tiles_and_has_every_tone(id: str) -> None:
    tones = tooth(id)
    assert tones.shape == (256, 256) and stats.kstest(tones.ravel(), "uniform").statistic < 1e-4
    for turned in (tones, tones.T):  # from the last row to the first is no more of a step than somewhere within
        within = np.abs(np.diff(turned, axis=0)).mean(axis=1)
        assert np.abs(turned[0] - turned[-1]).mean() < 1.2 * within.max()


def test_a_tooth_takes_away_no_more_than_its_depth_and_stays_where_it_is_fixed() -> None:
    ones = Tip(np.ones((16, 16), np.float32))

    def at(x: float, fixed: str) -> np.ndarray:
        more = {"size": 0.3, "tooth": "grit", "tooth_depth": 0.6, "tooth_fixed": fixed, "strength": 0.1}
        return _pressed(gesture("single", points=[(x, 0.5)], **more), tip=ones) / (0.1 * 0.6)

    one, other = at(0.5, "surface"), at(0.56, "surface")
    x, y = relief("flat", 10_000).ground.points.T[:2]
    both = (x > -0.15) & (x < 0.25) & (np.abs(y) < 0.25)
    assert one[both].min() >= 0.4 - 1e-6 and np.array_equal(one[both], other[both])
    assert one[both].std() > 0.1 and not np.array_equal(at(0.5, "mark")[both], at(0.56, "mark")[both])


# -- declarations ------------------------------------------------------------------------


def test_settings_are_declared_once_and_grouped() -> None:
    names = [name for group in GROUPS for name in group.fields]
    assert sorted(names) == sorted(specs(StrokeSettings)) and len(GROUPS) == 10
    assert all(group_is_off(group, StrokeSettings()) for group in GROUPS)
    organic = start_for("surface")
    assert (organic.size_jitter, organic.size_least, organic.turn_jitter) == (0.25, 0.15, 1.0)
    assert organic.flip_across > 0 < organic.flip_down
    tip, hard = start_for("tip"), start_for("drawing")
    assert 0.01 <= tip.spacing <= 0.05 and tip.tooth_depth == 0.08 and hard.spacing == 1.0
    assert hard.direction == "along" and not hard.turn_jitter
    plain = neutral(organic.but(size=0.3, strength=0.07))
    assert (plain.size, plain.strength) == (0.3, 0.07) and not plain.turn_jitter and plain.tooth == "none"
    with pytest.raises(BadValue, match=r"0\.01 to 4"):
        checked(spacing=9)
    with pytest.raises(BadValue, match="have no 'wobble'"):
        checked(wobble=1)


_OURS = sorted(SURFACES.keys() - {"own"})
_WITH_POINTS = [id for id, kind in GESTURES.items() if kind.points]
_POINT = st.tuples(st.floats(-3, 3), st.floats(-3, 3), st.floats(0, 1))


_HANDS = st.lists(_POINT, min_size=1, max_size=40)


@given(_HANDS, st.sampled_from(_OURS), st.sampled_from(_WITH_POINTS), st.integers(0, 9))
def test_whatever_the_hand_does_gives_marks_that_lie_on_the_surface(
    points: list[tuple[float, float, float]], on: str, kind: str, seed: int
) -> None:
    geometry = surface(on).geometry
    made = gesture(kind, on, points=points, seed=seed, turn_jitter=1.0, size_jitter=1.0, scatter_across=1.0,
                   scatter_along=1.0, count=3, steady=0.5, mirror=True, arms=2)  # fmt: skip
    marks = expand(made, geometry)
    if GESTURES[kind].curve and not len(marks):  # a curve of one place is none yet
        assert len(np.unique(made.points[:, :3].round(5), axis=0)) < 2
        return
    assert len(marks) and np.isfinite(marks.rows()).all() and (marks.radius >= 0).all()
    again, _ = geometry.onto(marks.place, None)
    assert np.abs(again - marks.place).max() < 1e-5
    for ways in (marks.normal, marks.right):
        assert np.allclose(np.linalg.norm(ways, axis=1), 1)
    assert np.abs((marks.normal * marks.right).sum(1)).max() < 1e-6


def test_a_hundred_thousand_points_are_a_stroke_and_nothing_more() -> None:
    t = np.linspace(0, 1, 100_000)
    long = expand(gesture(points=np.stack([t, 0.5 + 0.4 * np.sin(700 * t)], -1), size=0.01, spacing=0.05), FLAT)
    assert 10_000 < len(long) <= 200_001
    with pytest.raises(ValueError, match="0 to 100000 points"):
        Gesture(uid="g", kind="stroke", data=bytes(24 * 100_001))
    with pytest.raises(ValueError, match="not numbers"):
        Gesture(uid="g", kind="stroke", data=np.full(6, np.nan, "<f4").tobytes())
