"""What no mark has reached is drawn from few triangles: the picture is the one that all of them give."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from engraver.core.cache import Cache
from engraver.core.pressing.settings import checked
from engraver.core.proof.look import Look
from engraver.core.proof.trial_view import TrialView, pressed_once
from engraver.core.surfaces import surface
from engraver.core.surfaces.tiles import SIDE, STRIDES

GRIDS = ("flat", "ball", "pipe", "box", "terrain")


def knob() -> np.ndarray:
    y, x = np.mgrid[-1:1:96j, -1:1:96j]
    away = np.hypot(x, y)
    return np.where(away < 0.9, (1 - away) * (0.7 + 0.3 * np.sin(20 * x)), 0).astype(np.float32)


@pytest.mark.parametrize("on", GRIDS)
def test_few_triangles_show_what_all_of_them_do(on: str) -> None:
    eye = surface(on).eye
    view, settings = TrialView(Cache()), checked(size=0.4, strength=0.05)
    # A place off the middle, so that marks end inside tiles; on the ball over an edge of the cube that it is made of.
    wish = pressed_once(on, knob(), settings, Look((560, 440), eye=eye), through=((0.57, 0.53),), points=400_000)
    few = view.draw(wish)
    picture = view._picture
    assert picture is not None and picture._untouched is not None
    ground = picture.relief.ground
    assert np.abs(picture._normals - ground.normals_of(picture.relief.points())).max() < 1e-5
    left_out, two = picture._untouched.left_out(picture.relief, few.projection)
    assert left_out.mean() > 0.5 and len(two) < len(picture.relief.ground.faces) / 10
    picture._untouched = None
    every = picture.draw(replace(wish.look, eye=replace(eye, turn=eye.turn + 1)))
    every = picture.draw(wish.look)
    apart = np.abs(few.picture.astype(int) - every.picture).max(axis=2)
    there, seen = every.nearness > -1e8, few.nearness > -1e8
    # But for the outermost pixels of an outline nothing is missing, and beside it nothing is of another tone.
    rim = there & ~cv2.erode(there.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool)
    beside = cv2.dilate(rim.astype(np.uint8), np.ones((13, 13), np.uint8)).astype(bool)
    assert not (there & ~seen & ~rim).any() and (seen & ~there).sum() < 20
    assert apart[~beside].max() <= 6 and apart.mean() < 0.06
    # The test sees a tile that is missing: it is as large as many pixels.
    assert (there & ~rim).sum() / len(picture.relief.ground.tiles.held) > 3  # type: ignore[union-attr]


def test_what_is_pressed_next_is_seen_and_goes_again() -> None:
    """Marks come into tiles that were drawn from few triangles, and leave them."""
    settings, look = checked(size=0.3, strength=0.05), Look((400, 320), eye=surface("ball").eye)
    first = pressed_once("ball", knob(), settings, look, points=250_000)
    second = pressed_once("ball", knob(), settings, look, through=((0.42, 0.4),), points=250_000)
    again = tuple(g.model_copy(update={"uid": "again"}) for g in second.trial.gestures)
    trial = first.trial.model_copy(update={"gestures": (*first.trial.gestures, *again)})
    both = replace(first, trial=trial)
    view, anew = TrialView(Cache()), TrialView(Cache())
    once = view.draw(first).picture.copy()
    twice = view.draw(both).picture.astype(int)
    assert np.abs(twice - anew.draw(both).picture).mean() < 0.05 < np.abs(twice - once).mean()
    assert np.abs(view.draw(first).picture.astype(int) - once).mean() < 0.05


@pytest.mark.parametrize("on", GRIDS)
def test_tiles_hold_every_square_once_and_know_how_far_they_are_off(on: str) -> None:
    ground = surface(on).geometry.build(5_000, None)
    tiles = ground.tiles
    assert tiles is not None and tiles.starts[-1] == len(ground.faces)
    for t in np.linspace(0, len(tiles.held) - 1, 40).astype(int):
        faces = ground.faces[tiles.starts[t] : tiles.starts[t + 1]]
        assert set(faces.ravel()) == set(tiles.held[t]) and len(faces) <= 2 * SIDE**2
        grid = tiles.held[t].reshape(SIDE + 1, SIDE + 1)
        high, wide = len(set(grid[:, 0])), len(set(grid[0]))
        for square, few in zip(STRIDES, tiles.levels, strict=True):
            off, faces = 0.0, []
            for top in range(0, high - 1, square):
                for left in range(0, wide - 1, square):
                    part = grid[top : min(top + square + 1, high), left : min(left + square + 1, wide)]
                    off = max(off, _off(ground.points[part].astype(float), ground.normals[part]))
                    a, b, c, d = part[0, 0], part[0, -1], part[-1, 0], part[-1, -1]
                    faces += [[a, c, b], [b, c, d]]
            assert few.error[t] == pytest.approx(off, abs=2e-6)
            assert [f for f in few.faces[t].tolist() if len(set(f)) == 3] == faces


def _off(at: np.ndarray, normals: np.ndarray) -> float:
    """How far a square's points (rows, columns, 3) lie, along their normals, from its corners' bilinear patch."""
    u, w = (np.linspace(0, 1, n)[:, None] for n in at.shape[:2])
    shares = [(1 - u) * (1 - w).T, (1 - u) * w.T, u * (1 - w).T, u * w.T]
    ends = [at[0, 0], at[0, -1], at[-1, 0], at[-1, -1]]
    on_it = sum(s[..., None] * e for s, e in zip(shares, ends, strict=True))
    return float(np.abs(np.sum((at - on_it) * normals, axis=-1)).max())


@pytest.mark.parametrize("on", GRIDS)
def test_what_is_pressed_while_it_turns_is_seen_at_once(on: str) -> None:
    """The few points that are drawn meanwhile follow all of them, there and back, at every look."""
    view, settings = TrialView(Cache()), checked(size=0.5, strength=0.06)
    wish = pressed_once(on, knob(), settings, Look((300, 240), eye=surface(on).eye, moving=True), points=250_000)
    bare = replace(wish, trial=wish.trial.model_copy(update={"gestures": ()}))
    pictures = [view.draw(one).picture for one in (bare, wish, bare, wish)]
    alone = TrialView(Cache()).draw(wish)
    at_rest = replace(wish, look=replace(wish.look, moving=False))
    assert (pictures[0] != pictures[1]).any() and (pictures[0] == pictures[2]).all()
    assert (pictures[1] == pictures[3]).all() and (pictures[1] == alone.picture).all()
    rested, again = view.draw(at_rest), view.draw(wish)
    assert (again.picture == alone.picture).all()
    # Few triangles or all: the same body in the same place.
    there, seen = alone.nearness > -1e8, rested.nearness > -1e8
    assert (there != seen).mean() < 0.01 and np.abs(alone.nearness - rested.nearness)[there & seen].mean() < 0.01
