"""Bands: a strip along a curve against the polar warp, on every surface; pieces, flips, trials taken back, bodies."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from engraver.core.cache import Cache
from engraver.core.cords.trial import cords_of, on_curve
from engraver.core.curves.model import Curve
from engraver.core.engine import SourceStore
from engraver.core.pressing.band import lay_band
from engraver.core.pressing.expand import expand
from engraver.core.pressing.gesture import GESTURES, Gesture, packed_points
from engraver.core.pressing.relief import Relief, Tip
from engraver.core.pressing.replay import Replay
from engraver.core.pressing.settings import checked
from engraver.core.pressing.strip import Strip, joins, strip_of
from engraver.core.proof.look import Look
from engraver.core.proof.trial_files import cords_in, mesh_bytes, relief_of
from engraver.core.proof.trial_picture import TrialPicture
from engraver.core.proof.trial_view import TrialView, TrialWish
from engraver.core.raster import Raster
from engraver.core.recipe import Trial
from engraver.core.sources.trial import Given, TrialFrame, chosen_band, framed, heights, parts_of
from engraver.core.surfaces import surface
from engraver.core.surfaces.view import Eye
from segments import rope
from trials import look_alike, relief


def formula(x: Any, y: Any) -> Any:
    """Tones that go on in themselves along x."""
    return 0.5 + 0.25 * np.cos(2 * np.pi * x) * np.sin(np.pi * y) + 0.2 * np.sin(2 * np.pi * (2 * x + y))


def strip(rows: int = 128, columns: int = 256, of: Callable[..., Any] = formula, **more: Any) -> Strip:
    y, x = (np.mgrid[0:rows, 0:columns] + 0.5) / np.array([rows, columns])[:, None, None]
    return Strip(of(x, y).astype(np.float32), None, **{"wraps": True, **more})


def tip(made: Strip, key: str = "k", **more: Any) -> Tip:
    return Tip(np.zeros((4, 4), np.float32), None, key, strip=made, **more)


def along(places: np.ndarray, curve: Curve | None = None, uid: str = "a", **settings: Any) -> Gesture:
    own = {k: settings.pop(k) for k in ("mirror", "arms", "plate") if k in settings}
    return Gesture(
        uid=uid, kind="along", settings=checked(**settings), data=packed_points(places), curve=curve or Curve(),
        **{"plate": "p", **own},
    )  # fmt: skip


def pressed(gesture: Gesture, on: str, made: Relief | None = None, **tips: Tip) -> Relief:
    found = made or relief(on, 250_000)
    lay_band(found, gesture, surface(on).geometry, None, {"p": tip(strip()), **tips}, Cache(10**8))
    return found


def circle(radius: float, count: int = 24) -> np.ndarray:
    a = np.arange(count) * 2 * np.pi / count
    return radius * np.stack([np.cos(a), np.sin(a), 0 * a], -1)


BAND = {"size": 0.15, "strength": 0.1, "fits": "count", "times": 9, "meets": "add"}


def _flat(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return np.arctan2(points[:, 1], points[:, 0]), 0.6 - np.hypot(points[:, 0], points[:, 1])


def _ball(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return np.arctan2(points[:, 1], points[:, 0]), (0.6 - np.arccos(np.clip(points[:, 2] / 0.95, -1, 1))) * 0.95


def _pipe(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    off = points[:, 0] - 0.3
    return np.arctan2(points[:, 2], points[:, 1]), np.where(np.abs(points[:, 0]) < 1.24, off, 9.0)


ROUND: dict[str, tuple[np.ndarray, Callable[[np.ndarray], tuple[np.ndarray, np.ndarray]]]] = {
    "flat": (circle(0.6), _flat),
    "ball": (0.95 * (np.sin(0.6) * circle(1.0) + [0, 0, np.cos(0.6)]), _ball),
    "pipe": (np.stack([np.full(24, 0.3), *(0.46 * circle(1.0).T[:2])], -1), _pipe),
}


@pytest.mark.parametrize("on", ROUND)
def test_a_strip_along_a_circle_is_the_polar_warp(on: str) -> None:
    places, polar = ROUND[on]
    gesture = along(places, Curve(closed=True), **BAND)
    found = pressed(gesture, on, relief(on, 1_000_000))
    angle, left = polar(found.ground.points.astype(float))
    across = 0.5 - left / 0.3
    want = 0.03 * formula((angle / (2 * np.pi) * 9) % 1, across)
    inside, outside = (across > 0.02) & (across < 0.98), (across < -0.01) | (across > 1.01)
    assert inside.sum() > 20_000
    assert np.abs(found.height - want)[inside].max() < 1e-3 * 0.03 and not found.height[outside].any()


def test_a_straight_band_is_the_strip_itself_and_a_bend_does_not_stretch_it() -> None:
    line = np.array([[-0.9, 0.0, 0], [0.9, 0.0, 0]])
    found = pressed(along(line, size=0.2, strength=0.1, fits="own"), "flat")
    x, y = found.ground.points[:, 0].astype(float), found.ground.points[:, 1].astype(float)
    across = 0.5 - y / 0.4
    inside = (across > 0.02) & (across < 0.98) & (np.abs(x) < 0.895)
    want = 0.04 * formula(((x + 0.9) / 0.8) % 1, across)
    assert np.abs(found.height - want)[inside].max() < 2e-5
    beyond = (np.abs(x) > 0.91) | (np.abs(y) > 0.205)
    assert not found.height[beyond].any()
    # Every second one turned over, the other side up, cut in: all by their formulas.
    for settings, wanted in (
        ({"top": "right"}, lambda u, v: formula(u % 1, 1 - v)),
        ({"alternate": "across"}, lambda u, v: formula(u % 1, np.where(np.floor(u) % 2 == 1, 1 - v, v))),
        ({"alternate": "both"}, lambda u, v: formula(np.where(np.floor(u) % 2 == 1, -u % 1, u % 1),
                                                     np.where(np.floor(u) % 2 == 1, 1 - v, v))),
        ({"acts": "cut"}, lambda u, v: -formula(u % 1, v)),
    ):  # fmt: skip
        found = pressed(along(line, size=0.2, strength=0.1, fits="own", **settings), "flat")
        u = (x + 0.9) / 0.8
        calm = inside & (np.abs(u - np.round(u)) > 0.02)
        assert np.abs(found.height - 0.04 * wanted(u, across))[calm].max() < 1e-4, settings


def test_pieces_stand_at_both_ends_and_a_twist_goes_across() -> None:
    line = np.array([[-0.9, 0.0, 0], [0.9, 0.0, 0]])
    end = tip(strip(64, 64, lambda x, y: x + 0 * y, wraps=False), "end")
    found = pressed(along(line, size=0.2, strength=0.1, first_piece="e", last_piece="e"), "flat", e=end)
    x, y = found.ground.points[:, 0].astype(float), found.ground.points[:, 1].astype(float)
    near = (np.abs(y) < 0.19) & (np.abs(x) > 0.52) & (np.abs(x) < 0.88)
    # The piece is as long as the band is wide: 0.4. Its right side, which is white, meets the band at either end.
    assert np.abs(found.height[near] - 0.04 * (0.9 - np.abs(x[near])) / 0.4).max() < 0.03 * 0.04
    middle = np.abs(x) < 0.48
    assert np.ptp(found.height[middle & (np.abs(y) < 0.1)]) > 0.02
    both = strip(64, 128, lambda x, y: 0.5 + 0.5 * np.cos(2 * np.pi * y) + 0 * x, across=True)
    twisted = pressed(along(line, size=0.2, strength=0.1, twist=2.0), "flat", p=tip(both))
    v = 0.5 - y / 0.4 + 2 * (x + 0.9) / 1.8
    calm = (np.abs(y) < 0.19) & (np.abs(x) < 0.88)
    assert np.abs(twisted.height - 0.04 * (0.5 + 0.5 * np.cos(2 * np.pi * v)))[calm].max() < 0.01 * 0.04


def test_size_taper_and_pressure_run_along_a_band() -> None:
    line = np.array([[-0.9, 0.0, 0], [0.9, 0.0, 0]])
    white = tip(strip(32, 32, lambda x, y: 1 + 0 * x))
    x, y = relief("flat", 250_000).ground.points.astype(float)[:, :2].T

    def width_at(made: Relief, where: float) -> float:
        near = np.abs(x - where) < 0.004
        return float(np.ptp(y[near & (made.height > 0)]))

    tapered = pressed(along(line, size=0.2, strength=0.1, taper_out=0.5), "flat", p=white)
    assert width_at(tapered, -0.4) == pytest.approx(0.4, abs=0.01)
    assert width_at(tapered, 0.45) == pytest.approx(0.2, abs=0.02)
    grown = pressed(along(line, size=0.2, strength=0.1, size_along=((0.0, 0.2), (1.0, 1.0))), "flat", p=white)
    assert width_at(grown, -0.85) < 0.15 < 0.35 < width_at(grown, 0.85)
    rows = np.column_stack([np.repeat(line, 1, axis=0)])
    ruled = checked(size=0.2, strength=0.1, press_size=1.0, press_least=0.0)
    light = Gesture(uid="a", kind="along", plate="p", settings=ruled,
                    data=packed_points(rows, np.array([1.0, 0.25])))  # fmt: skip
    pressed_ = pressed(light, "flat", p=white)
    assert width_at(pressed_, 0.85) == pytest.approx(0.4 * 0.27, abs=0.03)


def test_bands_meet_what_lies_there_and_are_mirrored() -> None:
    line = np.array([[0.2, -0.5, 0], [0.2, 0.5, 0]])
    white = tip(strip(32, 32, lambda x, y: 1 + 0 * x))
    base = relief("flat", 60_000)
    base.height[:] = 0.01
    for meets, want in (("add", 0.05), ("highest", 0.04), ("replace", 0.04)):
        made = relief("flat", 60_000)
        made.height[:] = 0.01
        pressed(along(line, size=0.2, strength=0.1, meets=meets), "flat", made, p=white)
        assert made.height.max() == pytest.approx(want, rel=1e-5)
    two = pressed(along(line, size=0.1, strength=0.1, mirror=True), "flat", relief("flat", 60_000), p=tip(strip()))
    x, y = two.ground.points[:, 0], two.ground.points[:, 1]
    side = round(len(x) ** 0.5)
    grid = two.height.reshape(side, side)
    assert np.allclose(grid, grid[:, ::-1], atol=2e-6) and grid.any() and np.isfinite(y).all()
    level = pressed(along(line, size=0.2, acts="level", level=0.05), "flat", relief("flat", 60_000), p=white)
    assert level.height.max() == pytest.approx(0.05 * 0.4, rel=1e-5)
    gathered = pressed(along(line, size=0.2, strength=0.1, acts="gather"), "flat", relief("flat", 60_000), p=white)
    assert gathered.moves is not None and gathered.moves[:, 0].any() and not gathered.height.any()


def test_a_strip_knows_along_which_side_it_lies() -> None:
    rng = np.random.default_rng(2)
    across = np.cumsum(rng.normal(0.6, 1, size=(40, 1)), axis=0) + np.sin(np.arange(160) * 2 * np.pi / 80)[None]
    assert joins(across.astype(np.float32)) and not joins(across.T.astype(np.float32))
    ramp = np.linspace(0, 1, 64, dtype=np.float32)[None] * np.ones((32, 1), np.float32)
    assert not joins(ramp)
    lying = strip_of(Raster.of(across.astype(np.float32) * 0.1 + 0.5, wrap=(False, True)))
    assert lying.tall.shape == (160, 40) and lying.wraps and not lying.across
    less = strip().at_rows(30.4)
    assert (
        less.tall.shape == (31, 62)
        and less.wraps
        and abs(float(less.tall.mean()) - float(strip().tall.mean())) < 1e-4
    )


def trial(on: str, *gestures: Gesture, points: int = 60_000) -> Trial:
    return Trial(id="t", surface=on, points=points, gestures=gestures)


def test_a_band_straightened_is_its_strip_again_on_every_surface() -> None:
    for on, (places, _) in ROUND.items():
        gesture = along(places, Curve(closed=True), **BAND)
        made = trial(on, gesture)
        tips = {"p": tip(strip())}
        assert "strip" in parts_of(made) and chosen_band(made) == gesture
        reading = framed(made, "strip", "black", Eye(), tips=tips)
        assert reading.seen == "along" and reading.size[1] == 1024
        rows = round(900 * reading.shape)
        tall, cover = heights(Given(made, tips, None, "k"), reading, (rows, 900), SourceStore())
        assert cover is None
        y, x = (np.mgrid[0:rows, 0:900] + 0.5) / np.array([rows, 900])[:, None, None]
        inner = (y > 0.03) & (y < 0.97)
        assert np.abs(tall - 0.03 * formula((9 * x) % 1, y))[inner].max() < 6e-3 * 0.03, on
    assert TrialFrame(seen="along", shape=0.1).size == (102, 1024)


def test_what_is_told_of_a_band_names_places() -> None:
    geometry, tips = surface("flat").geometry, {"p": tip(strip(wraps=False))}
    t = np.linspace(0, 2 * np.pi, 20)[:-1]
    eight = np.stack([0.6 * np.sin(t), 0.5 * np.sin(2 * t), 0 * t], -1)
    notes = on_curve(along(eight, Curve(closed=True), size=0.1, twist=0.4), geometry, None, tips, Cache(10**7)).notes
    said = " ".join(note.words for note in notes)
    assert "crosses itself" in said and "does not tile along" in said and "cannot be twisted" in said
    assert "whole turns" in said
    cross = next(n for n in notes if "crosses" in n.words)
    assert np.linalg.norm(cross.places, axis=1).min() < 0.1
    one = on_curve(along(eight[:1]), geometry, None, tips, Cache(10**7)).notes
    assert "two points" in one[0].words
    gone = on_curve(along(eight, plate="q"), geometry, None, tips, Cache(10**7)).notes
    assert "gone" in gone[0].words
    band = on_curve(along(eight, made="body"), geometry, None, tips, Cache(10**7))
    assert any("not made from a mesh" in n.words for n in band.notes) and not band.cords


def test_cords_lie_on_surfaces_are_drawn_captured_and_saved() -> None:
    ball = surface("ball")
    places = 0.95 * (np.sin(1.2) * circle(1.0, 16) + [0, 0, np.cos(1.2)])
    gesture = along(places, Curve(closed=True, offset=0.02), size=0.08, made="body")
    made = trial("ball", gesture)
    tips = {"p": tip(strip(), body=rope())}
    (cord,) = cords_of(made.gestures, ball.geometry, None, tips, Cache(10**8))
    away = np.linalg.norm(cord.points, axis=1)
    assert away.max() < 0.95 + 0.04 + 0.09 and away.min() > 0.95 + 0.04 - 0.09  # lifted by 2 % of a width of 2
    # In the picture it stands out, moved it is drawn where it is, and without it the ball is bare again.
    view, look = TrialView(Cache(10**8)), Look((160, 160), Eye(10, 0), rough=True)
    bare = view.draw(TrialWish(trial("ball"), tips, look)).picture.astype(int)
    with_it = view.draw(TrialWish(made, tips, look)).picture.astype(int)
    changed = np.abs(with_it - bare).max(axis=-1) > 8
    assert 0.01 < changed.mean() < 0.5
    moved = view.draw(
        TrialWish(trial("ball", gesture.but(curve=Curve(closed=True, offset=0.06))), tips, look)
    ).picture
    fresh = TrialView(Cache(10**8)).draw(
        TrialWish(trial("ball", gesture.but(curve=Curve(closed=True, offset=0.06))), tips, look)
    )
    assert look_alike(moved, fresh.picture)
    assert look_alike(view.draw(TrialWish(trial("ball"), tips, look)).picture, bare)
    wish = TrialWish(made, tips, look)
    (again,) = cords_in(wish, Cache(10**8))
    assert np.array_equal(again.points, cord.points)
    alone, both = mesh_bytes(None, ".stl", (cord,)), mesh_bytes(relief_of(wish, Cache(10**8)), ".stl", (cord,))
    assert len(both) > len(alone) == 84 + 50 * len(cord.faces)
    # Straight down on a plane it is the height of its body.
    flat = along(np.array([[-0.5, 0, 0], [0.5, 0, 0]]), Curve(offset=0.05), size=0.2, made="body")
    given = Given(trial("flat", flat), tips, None, "k")
    tall, _ = heights(given, TrialFrame(trial="t", side=128), (128, 128), SourceStore())
    scale = 0.4 / float(np.ptp(rope().points[:, 0]))
    assert tall.max() == pytest.approx(0.1 + 0.26 * scale, rel=0.05) and not tall[0].any()


def test_a_curve_is_one_gesture_among_others_replayed_and_written_down() -> None:
    assert GESTURES["along"].curve and "size" in GESTURES["along"].asks
    assert GESTURES["along"].takes("bend") and not GESTURES["along"].takes("strength", "body")
    assert not GESTURES["stroke"].takes("bend") and GESTURES["stroke"].takes("strength")
    gesture = along(circle(0.5), Curve(closed=True, sharp=(2,), held=("end",)).with_handles({1: np.eye(3)[:2] * 0.1}))
    again = Gesture.model_validate_json(gesture.model_dump_json())
    assert (
        again == gesture and again.curve == gesture.curve and np.allclose(again.way.handle_of(1), np.eye(3)[:2] * 0.1)
    )
    assert gesture.but(curve=Curve(closed=True)).digest != gesture.digest
    marks = expand(gesture, surface("flat").geometry)
    assert len(marks) > 6 and np.abs(np.hypot(*marks.place[:, :2].T) - 0.5).max() < 0.05
    other = along(circle(0.3), Curve(closed=True), uid="b", **BAND)
    geometry, tips = surface("flat").geometry, {"p": tip(strip())}
    one = Replay(relief("flat", 60_000).ground, geometry, None, "r", Cache(10**8))
    one.bring([gesture, other], tips)
    kept = one.relief.height.copy()
    one.bring([gesture], tips)
    one.bring([gesture, other], tips)
    assert np.array_equal(one.relief.height, kept)
    one.live([gesture], other.but(data=packed_points(circle(0.31))), tips)
    one.live([gesture], other, tips)
    assert np.array_equal(one.relief.height, kept)
    picture = TrialPicture(one.relief, geometry)
    assert picture.draw(Look((64, 64))).picture.std() > 1
    with pytest.raises(ValueError, match="named once each"):
        Curve(sharp=(3, 1))
    with pytest.raises(ValueError, match="handles"):
        Curve(handled=(1,), handles=b"123")
