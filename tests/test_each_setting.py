"""Settings one by one, symmetry as a group, tips made smaller, and the part of a trial that becomes a plate."""

from __future__ import annotations

import math
from dataclasses import fields
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import map_coordinates
from scipy.spatial.transform import Rotation

from engraver.core.cache import Cache
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.numeric.resample import joined_area
from engraver.core.params import specs
from engraver.core.params.blobs import checked_points
from engraver.core.pressing import kernels
from engraver.core.pressing.expand import Marks, expand, symmetry
from engraver.core.pressing.gesture import COLUMNS, Gesture
from engraver.core.pressing.settings import GROUPS, StrokeSettings
from engraver.core.recipe import Project, Source, edits, trials
from engraver.core.recipe.trial import Trial
from engraver.core.sources.blank import Blank
from engraver.core.sources.trial import Given, TrialFrame, framed, heights, parts_of, tip_side
from engraver.core.surfaces import SURFACES, surface
from engraver.core.surfaces.view import Eye
from trials import TIP, gesture

FLAT = surface("flat").geometry
WAY = [(0.1, 0.4, 0.2), (0.4, 0.6, 1.0), (0.9, 0.5, 0.4)]

# -- one setting at a time -------------------------------------------------------------

# What of the marks each setting may change; no words: only how they act on what is there. How many marks there are is
# ruled by those that change "count".
RULES: dict[str, tuple[Any, set[str]]] = {
    "strength": (0.2, {"strength"}), "flow": (0.4, {"flow"}),
    "turn": (35.0, {"right"}), "turn_jitter": (0.7, {"right"}), "direction": ("along", {"right"}),
    "taper_in": (0.4, {"radius"}), "taper_out": (0.4, {"radius"}), "size_jitter": (0.6, {"radius"}),
    "roundness": (0.5, {"ratio"}), "round_jitter": (0.5, {"ratio"}),
    "flip_across": (0.5, {"flip_x"}), "flip_down": (0.5, {"flip_y"}),
    "scatter_across": (0.5, {"place"}), "scatter_along": (0.5, {"place"}),
    "press_size": (0.8, {"radius"}), "press_strength": (0.8, {"strength"}), "press_flow": (0.8, {"flow"}),
    "size": (0.1, {"count"}), "spacing": (0.5, {"count"}), "count": (3, {"count"}), "steady": (1.0, {"count"}),
    "count_jitter": (1.0, set()), "size_least": (0.5, set()), "press_least": (0.5, set()),
}  # fmt: skip


def _other(a: Marks, b: Marks) -> set[str]:
    if len(a) != len(b):
        return {"count"}
    return {f.name for f in fields(Marks) if not np.array_equal(getattr(a, f.name), getattr(b, f.name))}


@pytest.mark.parametrize("name", list(RULES))
def test_a_setting_changes_what_it_names_and_nothing_else(name: str) -> None:
    """Above all what happens by chance: turning one chance on must not throw the dice of another again."""
    value, changed = RULES[name]

    def made(**more: Any) -> Marks:
        return expand(gesture(points=WAY, **{"size": 0.08, "spacing": 0.3, "seed": 11, **more}), FLAT)

    assert _other(made(), made()) == set()
    assert _other(made(), made(**{name: value})) == changed
    lively = {"turn_jitter": 0.3, "size_jitter": 0.2, "round_jitter": 0.3, "flip_across": 0.4, "scatter_across": 0.2}
    if "count" not in changed and name not in ("size_least", "press_least"):
        lively.pop(name, None)
        assert _other(made(**lively), made(**lively, **{name: value})) == changed


def test_every_setting_is_judged_somewhere_and_stands_in_one_group() -> None:
    """Those that rule how marks act on the surface are judged by what they do to heights, in test_marks; those of
    curves by bands and cords, in test_bands and test_cords."""
    acting = {f for g in GROUPS if g.id in ("tooth", "fall") or g.curve for f in g.fields}
    acting |= {"acts", "level", "push", "meets"}
    assert set(RULES) | acting == set(specs(StrokeSettings))
    assert not set(RULES) & acting
    everything = [f for g in GROUPS for f in g.fields]
    assert sorted(everything) == sorted(specs(StrokeSettings))


def test_along_the_way_means_along_its_tangent() -> None:
    """Round a circle the mark's own right is the circle's tangent, (-sin t, cos t)."""
    t = np.linspace(0, 2 * math.pi * 0.8, 300)
    points = np.stack([0.5 + 0.3 * np.cos(t), 0.5 - 0.3 * np.sin(t)], -1)  # y goes down
    marks = expand(gesture(points=points, size=0.05, spacing=0.5, direction="along"), FLAT)
    at = np.arctan2(marks.place[:, 1], marks.place[:, 0])
    tangent = np.stack([-np.sin(at), np.cos(at)], -1)
    assert ((marks.right[:, :2] * tangent).sum(axis=1)[1:-1] > 0.999).all()


@pytest.mark.parametrize("share", [0.2, 0.5, 1.0])
def test_a_taper_grows_in_proportion_to_the_way_gone(share: float) -> None:
    line = [(0.1, 0.5), (0.9, 0.5)]
    marks = expand(gesture(points=line, size=0.05, spacing=0.2, taper_in=share), FLAT)
    gone = (marks.place[:, 0] - marks.place[0, 0]) / np.ptp(marks.place[:, 0])
    assert marks.radius / 0.05 == pytest.approx(np.minimum(1, gone / share), abs=1e-6)
    back = expand(gesture(points=line, size=0.05, spacing=0.2, taper_out=share), FLAT)
    assert back.radius == pytest.approx(marks.radius[::-1], abs=1e-6)


# -- symmetry --------------------------------------------------------------------------


@pytest.mark.parametrize("axis", [0, 1, 2])
@pytest.mark.parametrize("arms", [1, 2, 3, 5, 12])
def test_arms_are_the_turns_of_a_polygon(arms: int, axis: int) -> None:
    """The cyclic group of order n, against scipy's; a mirror doubles it, half of it with a determinant of -1."""
    turns = symmetry(False, arms, axis)
    about = np.eye(3)[axis]
    expected = [Rotation.from_rotvec(2 * math.pi * n / arms * about).as_matrix() for n in range(arms)]
    assert np.allclose(turns, expected, atol=1e-12)
    both = symmetry(True, arms, axis)
    assert len(both) == 2 * arms
    assert np.round(np.linalg.det(both)).tolist().count(-1) == arms
    for one in both:
        assert np.allclose(one @ one.T, np.eye(3), atol=1e-12)
    for a in turns:  # whichever is done after another is one of them again
        for b in turns:
            assert min(np.abs(a @ b - c).max() for c in turns) < 1e-12


@settings(max_examples=25, deadline=None)
@given(st.floats(0.1, 0.9), st.floats(0.1, 0.9), st.integers(1, 12), st.booleans())
def test_the_likes_of_a_mark_are_where_symmetry_puts_them(x: float, y: float, arms: int, mirror: bool) -> None:
    alone = expand(gesture("single", points=[(x, y)], size=0.1), FLAT)
    marks = expand(gesture("single", points=[(x, y)], size=0.1, arms=arms, mirror=mirror), FLAT)
    to = symmetry(mirror, arms, FLAT.axis)
    assert len(marks) == len(to)
    assert np.allclose(marks.place, [m @ alone.place[0] for m in to]) and np.ptp(marks.radius) == 0
    # A mirrored mark is turned over: its picture keeps its handedness with the mirror, not against it.
    assert (marks.flip_y < 0).sum() == (arms if mirror else 0)


# -- tips ------------------------------------------------------------------------------


@given(st.integers(5, 40), st.integers(0, 3), st.integers(0, 2**31))
def test_a_tip_that_is_made_smaller_keeps_its_mean_and_its_middle(side: int, drop: int, seed: int) -> None:
    """Sums are kept as by an area average, also where the sizes do not divide; so is the centre of gravity."""
    less = max(3, side - 2 - drop)
    tip = np.zeros((side, side), np.float32)
    tip[2:-2, 2:-2] = np.random.default_rng(seed).random((side - 4, side - 4), np.float32)
    small = joined_area(tip, less, less)
    assert small.mean() == pytest.approx(float(tip.mean()), rel=2e-3, abs=1e-6)
    if side > 20:
        middles = [
            ((np.arange(n) + 0.5) / n * a.sum(axis=0)).sum() / a.sum() for n, a in ((side, tip), (less, small))
        ]
        assert middles[1] == pytest.approx(middles[0], abs=0.1 / side)


@pytest.mark.parametrize("by", [2, 4, 8])
def test_a_smooth_tip_made_smaller_is_what_opencv_makes_of_it(by: int) -> None:
    """INTER_AREA takes pixels for even squares; on a smooth tip the two differ by the second difference alone."""
    tip = np.pad(TIP.tall, ((3, 4), (3, 4)))[:128, :128]
    less = 128 // by
    ours, theirs = joined_area(tip, less, less), cv2.resize(tip, (less, less), interpolation=cv2.INTER_AREA)
    assert np.abs(ours - theirs).max() < 2 * np.abs(np.diff(tip, 2, axis=0)).max()


def test_a_ramp_made_smaller_is_the_ramp() -> None:
    """A straight slope joined linearly is itself: its average over a pixel is its value in the middle."""
    ramp = np.tile(np.arange(100, dtype=np.float32), (100, 1))
    for less in (99, 73, 50, 31, 7):
        middle = (np.arange(less) + 0.5) * 100 / less - 0.5
        found = joined_area(ramp, less, less)
        inner = (middle > 100 / less) & (middle < 99 - 100 / less)
        assert np.abs(found[:, inner] - middle[inner]).max() < 1e-3


# -- bytes of points -------------------------------------------------------------------


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"\0" * 23, "points of 24 bytes"),
        (b"\0" * 24 * 4, "1 to 3 points"),
        (b"", "1 to 3 points"),
        (np.array([[0, 0, np.nan, 0, 0, 0]], "<f4").tobytes(), "not numbers"),
        (np.array([[0, 0, np.inf, 0, 0, 0]], "<f4").tobytes(), "not numbers"),
    ],
)  # fmt: skip
def test_points_that_are_none_are_refused(data: bytes, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        checked_points(data, COLUMNS, 1, 3, "a gesture")


def test_points_that_are_some_are_left_as_they_are() -> None:
    data = np.arange(18, dtype="<f4").tobytes()
    assert checked_points(data, COLUMNS, 1, 3, "a gesture") is data
    assert Gesture(uid="g", kind="stroke", data=data).points.tolist() == np.arange(18.0).reshape(3, 6).tolist()


# -- what of a trial becomes a plate ---------------------------------------------------


def _trial(on: str = "flat", *made: Gesture) -> Trial:
    return Trial(id="t", surface=on, points=60_000, gestures=made)


@pytest.mark.parametrize("id", list(SURFACES))
def test_only_a_plane_is_taken_straight_down(id: str) -> None:
    trial = _trial(id)
    parts = parts_of(trial)
    assert "eye" in parts and ("whole" in parts) == ("filled" in parts) == surface(id).geometry.plane
    assert ("pressed" in parts) != surface(id).geometry.plane
    seen = framed(trial, "eye", "mid", Eye(20.0, 30.0, 2.0))
    assert (seen.seen, seen.tilt, seen.turn, seen.zero) == ("eye", 20.0, 30.0, "mid")
    near = framed(trial, "eye", "mid", Eye(20.0, 30.0, 4.0))
    assert near.width == pytest.approx(seen.width / 2, abs=2e-4)


@settings(max_examples=12, deadline=None)
@given(st.floats(0.2, 0.8), st.floats(0.2, 0.8), st.floats(0.03, 0.3))
def test_what_the_marks_fill_is_framed_with_a_little_room(x: float, y: float, size: float) -> None:
    trial = _trial("flat", gesture("single", points=[(x, y)], size=size, strength=0.1))
    frame = framed(trial, "filled", "black", Eye())
    assert (frame.x, frame.y) == pytest.approx((x, y), abs=1e-3) and size < frame.width < 1.1 * size
    found, cover = heights(Given(trial, {"p": TIP}, None, f"{x} {y} {size}"), frame, (64, 64), SourceStore())
    assert cover is None and found[31:33, 31:33].min() > 0.9 * found.max() > 0
    assert max(found[0].max(), found[-1].max(), found[:, 0].max(), found[:, -1].max()) == 0


def test_nothing_filled_is_the_whole_surface() -> None:
    off = gesture("single", points=[(0.3, 0.3)], size=0.1).but(on=False)
    for trial in (_trial(), _trial("flat", off)):
        assert (
            framed(trial, "filled", "black", Eye()) == framed(trial, "whole", "black", Eye()) == TrialFrame(trial="t")
        )


def test_a_preview_presses_tips_as_large_as_it_shows_them() -> None:
    """Twice as near, twice the pixels; a mark that is dragged out counts with the size that it was drawn at."""
    trial = _trial("flat", gesture("single", points=[(0.5, 0.5)], size=0.25))
    sides = [tip_side(trial, None, TrialFrame(trial="t", width=w), 512) for w in (1.0, 0.5, 0.25, 0.01)]
    assert sides == [128, 256, 512, 1024]
    out = _trial("flat", gesture("drag-out", points=[(0.5, 0.5), (0.9, 0.5)], size=0.01))
    assert tip_side(out, None, TrialFrame(trial="t"), 512) == 512  # 0.8 of the surface wide
    assert tip_side(_trial(), None, TrialFrame(trial="t"), 512) == 64


def test_a_preview_of_a_plate_made_of_a_trial_is_the_plate_made_smaller() -> None:
    sources = SourceStore()
    project, plate = edits.add_plate(
        Project(), Source(id="b", kind="blank", name="Disc"), "Disc", (), reading=Blank(side=512)
    )
    project, id = trials.add_trial(project, "flat", points=60_000)
    for n, place in enumerate([(0.3, 0.3), (0.6, 0.7)]):
        made = gesture("single", points=[place], size=0.3, strength=0.2, n=n).but(plate=plate)
        project = trials.add_gesture(project, id, made)
    trial = project.trials[0]
    source = Source(id="s", kind="trial", name="Pressed")
    project, pressed = edits.add_plate(
        project, source, "Pressed", (), reading=framed(trial, "whole", "black", Eye()), read_as="trial"
    )
    line = resolve(project, pressed, sources)
    whole = Engine(sources, Cache()).evaluate(line, Request(exact=True)).raster.pixels
    small = Engine(sources, Cache()).evaluate(line, Request(side=128)).raster.pixels
    expected = joined_area(np.ascontiguousarray(whole, np.float32), *small.shape[:2])
    assert np.abs(small - expected).mean() < 0.01


def test_between_its_pixels_a_tip_is_joined_linearly() -> None:
    """Against scipy's map_coordinates of the first order, through the loop that presses."""
    rng = np.random.default_rng(2)
    tip = rng.random((9, 9)).astype(np.float32)
    ringed = np.pad(tip, 1).astype(np.float32)
    at = rng.uniform(0, 9.9, (2, 200))
    expected = map_coordinates(ringed.astype(float), at, order=1)
    found = [kernels.tip_at.py_func(ringed.ravel(), 0, 11, x, y) for y, x in at.T]
    assert np.allclose(found, expected, atol=1e-5)
