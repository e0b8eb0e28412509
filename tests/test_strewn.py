"""Scatter, patterns and placed plates: distances on the torus, tilings that close, copies against plain loops."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import spatial

from engraver.core.numeric import strew, tilings
from engraver.core.numeric.tilings import Tiling, tiling
from engraver.core.params import Stroke
from engraver.core.pressing.marks import Mark, press, rows_of
from engraver.core.raster import Raster
from engraver.core.recipe import Step
from engraver.core.steps import kind_of
from engraver.core.steps.kind import StepContext
from engraver.core.steps.scatter import copies, marks_of

SIDE = 96


def built(step: str, wrap: bool = False, side: int = SIDE, seed: int = 4, plate: Raster | None = None,
          **values: Any) -> Raster:  # fmt: skip
    raster = Raster.of(np.zeros((side, side), np.float32), wrap=(wrap, wrap))
    facts = raster.facts()
    params = Step.make(step, **values).params
    context = StepContext(facts, facts, (side, side), seed=seed, plates={"p": plate} if plate is not None else {})
    return kind_of(step).apply(raster, params, context)


@given(
    least=st.floats(0.02, 0.4), ratio=st.floats(1, 3), wrap=st.tuples(st.booleans(), st.booleans()),
    seed=st.integers(0, 2**40), count=st.integers(1, 400),
)  # fmt: skip
def test_no_two_places_lie_nearer_than_they_may(
    least: float, ratio: float, wrap: tuple[bool, bool], seed: int, count: int
) -> None:
    """Brute force over the torus."""
    places = strew.at_random(count, ratio, 1.0, least, wrap, seed)
    assert len(places) <= count and (places >= 0).all() and (places < (ratio, 1.0)).all()
    away = np.abs(places[:, None] - places[None])
    for axis, whole in ((0, ratio), (1, 1.0)):
        if wrap[axis] and whole >= least:
            away[..., axis] = np.minimum(away[..., axis], whole - away[..., axis])
    far = np.hypot(away[..., 0], away[..., 1])[~np.eye(len(places), dtype=bool)]
    assert not len(far) or far.min() >= least * (1 - 1e-12)
    fewer = strew.at_random(max(1, count // 2), ratio, 1.0, least, wrap, seed)
    assert (fewer == places[: len(fewer)]).all()  # a smaller count only takes away


def test_the_plate_is_filled() -> None:
    """Bridson's guarantee: hardly a place is left that is farther than the least distance from all others."""
    places = strew.at_random(10_000, 1.0, 1.0, 0.05, (True, True), 3)
    tree = spatial.cKDTree(places, boxsize=1.0)
    free, _ = tree.query(np.random.default_rng(1).random((20_000, 2)))
    assert (free > 0.05).mean() < 0.02 and len(places) > 0.65 / (0.05**2 * np.sqrt(3) / 2) * 0.8


def test_random_numbers_are_even_and_their_own() -> None:
    one, two = strew.draws(7, 50_000, 1), strew.draws(7, 50_000, 2)
    counts = np.histogram(one, 50, (0, 1))[0]
    assert ((counts - 1000) ** 2 / 1000).sum() < 90  # chi squared with 49 degrees of freedom, 0.999
    assert abs(np.corrcoef(one, two)[0, 1]) < 0.02 and abs(np.corrcoef(one[1:], one[:-1])[0, 1]) < 0.02
    assert (strew.draws(7, 10, 1) == one[:10]).all()


@pytest.mark.parametrize("layout", ["rows", "six-sided", "rings"])
def test_ordered_layouts_hold_about_as_many_as_asked(layout: str) -> None:
    params = Step.make("scatter", layout=layout, count=150).params
    places, _, _ = copies(params, (1.5, 1.0), (True, True), 1)  # type: ignore[arg-type]
    assert 120 < len(places) < 190
    if layout != "rings":
        tree = spatial.cKDTree(places, boxsize=(1.5, 1.0))
        near = tree.query(places, k=5)[0][:, 1:]
        assert near[:, 0].max() / near[:, 0].min() < 1.001


def test_one_knob_does_not_move_what_another_laid() -> None:
    plain: Any = {"count": 60, "size": 0.05, "least": 0.03}
    raster = Raster.of(np.zeros((SIDE, SIDE), np.float32))
    context = StepContext(raster.facts(), raster.facts(), (SIDE, SIDE), seed=9)

    def rows(**more: Any) -> np.ndarray:
        return marks_of(Step.make("scatter", **{**plain, **more}).params, SIDE, SIDE, context)  # type: ignore[arg-type]

    first = rows()
    for more, columns in (
        ({"size": 0.02, "size_to": 0.2, "bias": -0.5}, (0, 1, 3, 4, 5)),
        ({"height": 0.1, "height_to": 0.2}, (0, 1, 2, 3, 4)), ({"turn": 30.0}, (0, 1, 2, 5)), ({}, range(6)),
    ):  # fmt: skip
        assert (rows(**more)[:, columns] == first[:, columns]).all(), more
    assert (rows(seed=1)[:, :2] != first[:, :2]).any()
    moved = rows(moved=((3.0, 0.5, 0.25), (7.0,)))
    assert len(moved) == 59 and moved[3, :2].tolist() == [0.5 * SIDE, 0.25 * SIDE]
    kept = [n for n in range(60) if n not in (3, 7)]
    assert (np.delete(moved, 3, axis=0) == first[kept]).all()


def test_copies_are_laid_one_by_one_in_their_order() -> None:
    """A plain loop over pixels: a turned, bilinear copy at a time, the same order, the same rule."""
    rng = np.random.default_rng(2)
    tip = rng.random((16, 16)).astype(np.float32)
    marks = [
        Mark(rng.uniform(0, 60), rng.uniform(0, 60), 8.0, rng.uniform(0, 360), bool(n % 2), 0.8) for n in range(9)
    ]
    for meets in ("add", "higher", "outer", "over"):
        out, cover = np.zeros((60, 60), np.float32), np.zeros((60, 60), np.float32)
        press(tip, None, rows_of(marks), out, cover, meets)  # type: ignore[arg-type]
        plain = np.zeros((60, 60))
        y, x = np.mgrid[:60, :60] + 0.5
        whole = np.pad(tip, 1)
        sure = np.ones((60, 60), bool)
        for m in marks:
            a = np.radians(m.turn)
            u = np.cos(a) * (x - m.x) + np.sin(a) * (y - m.y)
            v = np.cos(a) * (y - m.y) - np.sin(a) * (x - m.x)
            u, v = (-u if m.flip else u) + 8, v + 8
            inside = (u >= 0) & (u < 16) & (v >= 0) & (v < 16)
            sure &= (np.minimum(np.abs(u), np.abs(u - 16)) > 1e-6) & (np.minimum(np.abs(v), np.abs(v - 16)) > 1e-6)
            i, j = np.clip(np.floor(v + 0.5).astype(int), 0, 16), np.clip(np.floor(u + 0.5).astype(int), 0, 16)
            s, t = u + 0.5 - j, v + 0.5 - i
            h = (1 - t) * ((1 - s) * whole[i, j] + s * whole[i, j + 1])
            h = 0.8 * (h + t * ((1 - s) * whole[i + 1, j] + s * whole[i + 1, j + 1]))
            made = {"add": plain + h, "over": h}.get(meets, np.maximum(plain, h))
            plain = np.where(inside, made, plain)
        assert np.abs(out - plain)[sure].max() < 1e-4, meets


def test_on_a_tile_copies_go_on_at_the_other_side() -> None:
    """Rolled by half, a scatter has the same kind of middle: nothing is cut where the borders were."""
    values: Any = {"count": 40, "size": 0.2, "least": 0.05, "height": 1.0}
    tile = built("scatter", wrap=True, **values).pixels
    lone = built("scatter", wrap=False, **values).pixels

    def jumps(picture: np.ndarray) -> tuple[float, float]:
        steps = np.abs(np.diff(picture, axis=0, append=picture[:1])).mean(axis=1)
        return float(steps[-1]), float(np.quantile(steps[:-1], 0.98))

    across, inside = jumps(tile)
    assert across < 1.2 * inside and jumps(lone)[0] > 1.5 * inside
    moved = built("scatter", wrap=True, moved=((0.0, 0.0, 0.0),), **{**values, "count": 1}).pixels
    assert moved[0, 0] > 0.9 and moved[-1, -1] > 0.9 and moved[0, -1] > 0.9


def test_copies_along_a_stroke_lie_evenly_and_look_along_it() -> None:
    stroke = Stroke.through([(0.1, 0.5), (0.9, 0.5), (0.9, 0.9)], 0.02, "way")
    values: Any = {"layout": "strokes", "strokes": (stroke,), "spacing": 0.1, "size": 0.02, "moved": ((2.0,),)}
    params: Any = Step.make("scatter", **values).params
    facts = Raster.of(np.zeros((200, 200), np.float32)).facts()
    context = StepContext(facts, facts, (200, 200), from_source=np.diag([200.0, 200.0, 1.0]), source=facts)
    rows = marks_of(params, 200, 200, context)
    assert len(rows) == 12  # 1.2 long, and one was taken out
    assert rows[0, :2] == pytest.approx([20, 100], abs=1e-3) and rows[-1, :2] == pytest.approx([180, 180], abs=1e-3)
    steps = np.hypot(*np.diff(rows[:, :2], axis=0).T)
    assert steps[1] == pytest.approx(40, abs=1e-3) and np.delete(steps, 1).max() < 20.01
    assert rows[0, 3] == pytest.approx(1) and rows[-1, 4] == pytest.approx(1)  # to the right, then down


def test_density_follows_a_plate() -> None:
    ramp = Raster.of(np.tile(np.linspace(0, 1, 64, dtype=np.float32), (64, 1)))
    out = built("scatter", side=400, plate=ramp, where="p", count=4000, size=0.004, least=0.0, height=1.0).pixels
    halves = out[:, :200].sum(), out[:, 200:].sum()
    assert 2.4 < halves[1] / halves[0] < 3.6  # the integrals of a ramp's halves are as 1 to 3


def test_a_scatter_of_a_million_is_refused() -> None:
    for values in ({"count": 1_000_000}, {"moved": ((1.5, 0.0, 0.0),)}, {"moved": ((-1.0,),)}, {"size": 0.0}):
        with pytest.raises(ValueError, match="Scatter"):
            Step.make("scatter", **values)


# -- patterns ------------------------------------------------------------------------------

CLOSING = [k for k in ("rows", *tilings._KINDS) if k not in ("rings", "rays", "spiral")]


@pytest.mark.parametrize("kind", CLOSING)
def test_a_pattern_closes_over_the_borders(kind: str) -> None:
    """Twice as many on twice the side is the same plate laid side by side."""
    form = Tiling(kind, 4, 6, joint=0.1)
    one = tiling(64, 64, form)
    four = tiling(128, 128, Tiling(kind, 8, 12, joint=0.1, twist=form.twist))
    assert np.abs(four - np.tile(one, (2, 2))).max() < 2e-3
    uneven = tiling(60, 60, Tiling(kind, 4, 6, joint=0.1, jitter=0.8, seed=3))
    steps = np.abs(np.diff(uneven, axis=0, append=uneven[:1])).mean(axis=1)
    assert steps[-1] <= steps[:-1].max() * 1.05


def test_slabs_measure_what_they_should() -> None:
    """A joint of a fifth of the side leaves 0.8 squared of the plate; hard borders, square corners."""
    out = tiling(500, 500, Tiling("stacked", 5, 5, joint=0.2, bevel=0.0, worn=0.0))
    assert out.mean() == pytest.approx(0.64, abs=0.004) and set(np.unique(out)) == {0.0, 1.0}
    worn = tiling(500, 500, Tiling("stacked", 5, 5, joint=0.2, bevel=0.0, worn=1.0))
    assert worn.mean() == pytest.approx(0.64 * np.pi / 4, abs=0.004)


def test_six_sided_cells_are_nearest_to_their_points() -> None:
    """Against a k-d tree on the torus: the border lies where the two nearest are equally far."""
    form = Tiling("six-sided", 4, 4, joint=0.2, bevel=0.0)
    out = tiling(200, 200, form)
    i, j = np.mgrid[:4, :4]
    points = np.column_stack([((j + 0.5 + i % 2 * 0.5) / 4 % 1).ravel(), ((i + 0.5) / 4).ravel()])
    y, x = (np.mgrid[:200, :200] + 0.5) / 200
    far, _ = spatial.cKDTree(points, boxsize=1.0).query(np.column_stack([x.ravel(), y.ravel()]), k=2)
    small = min(1 / 4, 1 / 4 * 2 / np.sqrt(3))
    plain = ((far[:, 1] - far[:, 0]) / small > 0.2).reshape(200, 200)
    assert (plain != (out > 0.5)).mean() < 0.002


def test_a_ring_groove_is_round() -> None:
    out = tiling(200, 200, Tiling("rings", 4, profile="wave", width=1.0))
    y, x = np.mgrid[:200, :200] + 0.5
    r = np.hypot(x - 100, y - 100) / 25
    d = 2 * (r - np.floor(r) - 0.5)
    assert np.abs(out - (0.5 + 0.5 * np.cos(np.pi * d))).max() < 1e-4


# -- placed plates -------------------------------------------------------------------------


def test_a_placed_plate_lies_where_it_is_put() -> None:
    y, x = np.mgrid[:64, :64] + 0.5
    cover = (np.hypot(x - 32, y - 32) < 20).astype(np.float32)
    crest = Raster.of(np.full((64, 64), 0.75, np.float32), cover, zero="mid")
    params: Any = Step.make("place", plate="p", x=0.25, y=0.6, width=0.32, height=0.5).params
    ground = Raster.of(np.full((200, 200), 0.2, np.float32))
    context = StepContext(ground.facts(), ground.facts(), (200, 200), plates={"p": crest})
    done = kind_of("place").apply(ground, params, context).pixels
    assert done[120, 50] == pytest.approx(0.2 + 0.5 * 0.5, abs=1e-5) and done[120, 50 + 23] == pytest.approx(0.2)
    raised = (done - 0.2).sum() / 0.25
    assert raised == pytest.approx(np.pi * 20**2, rel=0.02)


def test_place_and_scatter_without_a_plate_do_nothing() -> None:
    assert (built("scatter", kind="plate").pixels == 0).all() and (built("place").pixels == 0).all()
