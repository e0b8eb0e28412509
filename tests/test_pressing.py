"""Marks laid into heights: where they lie, how they turn and meet, against areas and powers known beforehand."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from engraver.core.errors import Cancelled
from engraver.core.pressing.marks import Mark, along, lay
from engraver.core.pressing.place_kernels import bent
from engraver.core.pressing.tip import TIP_SIDE, heights, packed_tip, squared, tip_of
from engraver.core.raster import Raster


def _disc(side: int = 256) -> np.ndarray:
    y, x = (np.mgrid[:side, :side] + 0.5) / side * 2 - 1
    return np.clip((1 - np.hypot(x, y)) * side / 2 + 0.5, 0, 1).astype(np.float32)


def _half(side: int = 128) -> np.ndarray:
    tip = np.zeros((side, side), np.float32)
    tip[:, side // 2 :] = 1  # its right half
    return tip


@pytest.mark.parametrize("radius", [3.0, 11.5, 60.0])
@pytest.mark.parametrize("place", [(100.0, 80.0), (97.3, 81.75)])
def test_a_disc_has_the_area_and_the_middle_of_a_circle(radius: float, place: tuple[float, float]) -> None:
    out = np.zeros((160, 200), np.float32)
    lay(_disc(), [Mark(*place, radius)], out, "greater")
    y, x = np.mgrid[:160, :200] + 0.5
    assert out.sum() == pytest.approx(np.pi * radius**2, rel=0.03 if radius > 5 else 0.12)
    middle = (x * out).sum() / out.sum(), (y * out).sum() / out.sum()
    assert middle == pytest.approx(place, abs=0.06)
    spread = ((x - middle[0]) ** 2 * out).sum() / out.sum()
    assert spread == pytest.approx(radius**2 / 4, rel=0.05 if radius > 5 else 0.2)  # second moment of a disc


@pytest.mark.parametrize(("turn", "side"), [(0, "right"), (90, "down"), (180, "left"), (270, "up"), (-90, "up")])
def test_a_mark_turns_clockwise(turn: float, side: str) -> None:
    out = np.zeros((81, 81), np.float32)
    lay(_half(), [Mark(40.5, 40.5, 20, turn)], out, "greater")
    half = {"right": out[:, 41:], "left": out[:, :40], "up": out[:40], "down": out[41:]}[side]
    assert half.sum() == pytest.approx(out.sum(), rel=0.06) and out.sum() == pytest.approx(800, rel=0.05)


def test_a_flipped_mark_is_its_mirror_image() -> None:
    rng = np.random.default_rng(4)
    tip = rng.random((64, 64)).astype(np.float32)
    plain, over = (np.zeros((90, 90), np.float32) for _ in range(2))
    lay(tip, [Mark(45, 45, 32)], plain, "greater")
    lay(tip, [Mark(45, 45, 32, flip=True)], over, "greater")
    assert np.abs(over - plain[:, ::-1]).max() < 1e-5 and np.abs(over - plain).max() > 0.3


marks = st.builds(
    Mark,
    st.floats(-20, 80),
    st.floats(-20, 80),
    st.floats(1, 30),
    st.floats(-180, 180),
    st.booleans(),
    st.floats(0, 1),
)  # fmt: skip


@given(some=st.lists(marks, max_size=6), seed=st.integers(0, 9))
def test_the_greater_of_marks_does_not_depend_on_their_order(some: list[Mark], seed: int) -> None:
    tip, out, other = _disc(64), np.zeros((60, 64), np.float32), np.zeros((60, 64), np.float32)
    lay(tip, some, out, "greater")
    lay(tip, np.random.default_rng(seed).permutation(np.array(some, object)).tolist(), other, "greater")
    assert np.array_equal(out, other)
    again = out.copy()
    lay(tip, some, again, "greater")
    assert np.array_equal(out, again)  # nothing is laid twice
    assert out.min() >= 0 and out.max() <= max((m.strength for m in some), default=0) + 1e-6


@given(some=st.lists(marks, min_size=1, max_size=6))
def test_covering_multiplies_what_is_still_bare(some: list[Mark]) -> None:
    """Each mark leaves the share 1 - strength of what it meets: a product (T. Porter and T. Duff, 1984: over)."""
    tip = np.ones((32, 32), np.float32)
    out = np.ones((60, 64), np.float32)
    lay(tip, some, out, "covers")
    apart = np.ones_like(out)
    for mark in some:
        alone = np.ones_like(out)
        lay(tip, [mark], alone, "covers")
        apart *= alone
    assert np.allclose(out, apart, atol=1e-6) and out.min() >= -1e-6 and out.max() <= 1


@pytest.mark.parametrize("count", [1, 2, 5])
def test_ink_builds_up_by_powers(count: int) -> None:
    out = np.ones((41, 41), np.float32)
    lay(np.ones((16, 16), np.float32), [Mark(20.5, 20.5, 12, strength=0.3)] * count, out, "covers")
    assert out[20, 20] == pytest.approx(0.7**count, rel=1e-5) and out[0, 0] == 1


def test_the_farther_from_zero_stands_with_its_sign() -> None:
    out = np.zeros((41, 61), np.float32)
    up, down = np.full((16, 16), 0.4, np.float32), np.full((16, 16), -0.9, np.float32)
    lay(up, [Mark(20, 20, 12)], out, "farther")
    lay(down, [Mark(36, 20, 12)], out, "farther")
    assert out[20, 12] == pytest.approx(0.4) and out[20, 28] == out[20, 40] == pytest.approx(-0.9)
    lay(up, [Mark(36, 20, 12)], out, "farther")
    assert out[20, 40] == pytest.approx(-0.9)


def test_beside_the_raster_nothing_is_touched_and_half_beside_half_is() -> None:
    out = np.zeros((40, 40), np.float32)
    lay(_disc(), [Mark(-50, 20, 10), Mark(20, 500, 10)], out, "greater")
    assert not out.any()
    lay(_disc(), [Mark(0, 20, 10)], out, "greater")
    assert out.sum() == pytest.approx(np.pi * 50, rel=0.05)


def test_a_mark_much_smaller_than_its_tip_is_averaged() -> None:
    """A fine grid of 1 and 0 laid small is grey: point samples would give 1 or 0."""
    tip = np.indices((256, 256)).sum(axis=0) % 2
    out = np.zeros((20, 20), np.float32)
    lay(tip.astype(np.float32), [Mark(10.3, 9.8, 5)], out, "greater")
    assert np.abs(out[7:13, 7:13] - 0.5).max() < 0.02


def test_nobody_waits_any_more() -> None:
    count = 0

    def check() -> None:
        nonlocal count
        count += 1
        if count == 3:
            raise Cancelled

    with pytest.raises(Cancelled):
        lay(_disc(32), [Mark(5, 5, 3)] * 2000, np.zeros((10, 10), np.float32), "greater", check)
    assert count == 3


@given(
    points=st.lists(st.tuples(st.floats(0, 300), st.floats(0, 300)), min_size=1, max_size=6), step=st.floats(0.6, 40)
)
def test_marks_lie_at_even_ways_with_both_ends_among_them(points: list[tuple[float, float]], step: float) -> None:
    path = np.column_stack([np.array(points), np.linspace(0, 1, len(points))])
    found = along(path, step)
    assert np.allclose(found[0, :2], path[0, :2])
    legs = np.hypot(*np.diff(path[:, :2], axis=0).T) if len(points) > 1 else np.zeros(0)
    count = int(legs.sum() / step)
    assert len(found) == (count + 1 if count else 1)
    if count:
        assert np.allclose(found[-1, :2], path[-1, :2])
        # Straight from mark to mark is at most the way between them.
        apart = np.hypot(*np.diff(found[:, :2], axis=0).T)
        assert apart.max() <= legs.sum() / count + 1e-6


def test_along_a_straight_stroke_every_column_goes_evenly() -> None:
    found = along(np.array([[0.0, 0.0, 0.0], [30.0, 40.0, 1.0]]), 5.0)
    assert len(found) == 11 and np.allclose(found[:, 2], np.linspace(0, 1, 11))
    assert np.allclose(np.hypot(*np.diff(found[:, :2], axis=0).T), 5.0)


def test_heights_are_told_from_zero() -> None:
    grey = np.array([[0.0, 0.5, 1.0]], np.float32)
    assert heights(grey, "black").tolist() == [[0, 0.5, 1]] and heights(grey, "mid").tolist() == [[-1, 0, 1]]


@pytest.mark.parametrize("shape", [(30, 30), (20, 50), (51, 20)])
def test_a_plate_lies_in_the_middle_of_its_square(shape: tuple[int, int]) -> None:
    found = squared(np.ones(shape, np.float32))
    side = max(shape)
    assert found.shape == (side, side) and found.sum() == shape[0] * shape[1]
    rows, columns = np.nonzero(found)
    assert abs(rows.mean() - (side - 1) / 2) <= 0.5 and abs(columns.mean() - (side - 1) / 2) <= 0.5


@pytest.mark.parametrize("zero", ["black", "mid"])
def test_a_tip_is_how_far_a_plate_stands_off_the_surface(zero: str) -> None:
    y, x = np.mgrid[-1:1:512j, -1:1:512j]
    hill = np.exp(-(x**2 + y**2) * 8)
    tones = hill if zero == "black" else 0.5 - hill / 2
    raster = Raster.of(tones.astype(np.float32), zero=zero)
    tip = tip_of(raster)
    assert tip.shape == (TIP_SIDE, TIP_SIDE) and tip.dtype == np.float32
    assert tip.max() == pytest.approx(1, abs=0.01) and tip[0, 0] < 0.01
    packed = np.frombuffer(packed_tip(raster), "<u2").reshape(TIP_SIDE, TIP_SIDE) / 65535
    assert np.abs(packed - tip).max() <= 0.5 / 65535 + 1e-7


def test_on_a_ball_a_mark_reaches_as_far_as_the_arc_is_long() -> None:
    """The exponential map of the unit sphere, in double precision by NumPy: at the angle t and the turn a from the
    mark's middle a point lies at t (cos a, sin a)."""
    t, a = (grid.ravel() for grid in np.meshgrid(np.linspace(1e-4, 1.85, 300), np.linspace(0, 2 * np.pi, 24)))
    normal = np.stack([np.sin(t) * np.cos(a), np.sin(t) * np.sin(a), np.cos(t)], 1)
    to = normal - (0, 0, 1)
    mark = (0, 0, 1), (1, 0, 0), (0, 1, 0)
    found = np.array([
        bent(*(np.float32(x) for x in (*way, *up, *mark[0], *mark[1], *mark[2])))
        for way, up in zip(to, normal, strict=True)
    ])  # fmt: skip
    assert np.abs(found - t[:, None] * np.stack([np.cos(a), np.sin(a)], 1)).max() < 3e-6
    beyond = np.sin(2.0), 0.0, np.cos(2.0)
    assert bent(beyond[0], 0.0, beyond[2] - 1, *beyond, *mark[0], *mark[1], *mark[2])[0] > 1e8  # its other side
