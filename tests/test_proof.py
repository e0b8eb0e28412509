"""The proof: pressing on analytic surfaces, light by Lambert's law, drawing without gaps."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from engraver.core.errors import unwatched
from engraver.core.proof import kernels
from engraver.core.proof.drawing import drawn as drawn_on
from engraver.core.proof.scene import covered, in_plaster, pressed
from engraver.core.proof.strip import strip
from engraver.core.surfaces import SURFACES, Sheet
from engraver.core.surfaces.ball import BALL_HALF_ANGLE, ball_grid
from engraver.core.surfaces.ball import BODY as BALL
from engraver.core.surfaces.flat import BODY as FLAT
from engraver.core.surfaces.flat import FLAT_MARK
from engraver.core.surfaces.view import SURROUND, Eye, Lamp


def dome(side: int = 200) -> np.ndarray:
    y, x = (np.mgrid[0:side, 0:side] + 0.5) / side * 2 - 1
    return np.maximum(0, 1 - x * x - y * y).astype(np.float32)


@pytest.mark.parametrize("cut", [False, True])
def test_pressing_into_the_flat_moves_points_by_height_times_strength(cut: bool) -> None:
    points, _ = pressed(FLAT, Sheet(dome(), 0.05, 201 * 201, (9, 9), cut))
    x, y = points[..., 0] / FLAT_MARK, points[..., 1] / FLAT_MARK
    expected = np.maximum(0, 1 - x * x - y * y) * 0.05 * 2 * FLAT_MARK * (-1 if cut else 1)
    assert np.abs(points[..., 2] - expected).max() < 5e-4


def test_pressing_into_the_ball_moves_points_along_its_normals() -> None:
    points, _ = pressed(BALL, Sheet(dome(), 0.05, 301 * 301, (9, 9)))
    radius = np.linalg.norm(points, axis=-1)
    theta = np.arccos(np.clip(points[..., 2] / radius, -1, 1))
    share = theta / BALL_HALF_ANGLE
    expected = 0.95 + np.maximum(0, 1 - share**2) * 0.05 * ball_grid(301).mark_width
    assert np.abs(radius - expected).max() < 1e-3


def test_the_ball_is_equally_dense() -> None:
    """Lambert's equal-area projection: quads of the grid have the same area all over."""
    p = ball_grid(101).points.astype(np.float64)
    a, b = p[1:, :-1] - p[:-1, :-1], p[:-1, 1:] - p[:-1, :-1]
    areas = np.linalg.norm(np.cross(a, b), axis=-1)[15:-15, 15:-15]
    assert areas.std() / areas.mean() < 0.25


def test_light_is_lamberts_law() -> None:
    """A tilted plane: brightness is ambient + 0.72 cos of the angle to the lamp (J. H. Lambert, 1760)."""
    tilt = math.radians(25)
    y, x = np.mgrid[0:9, 0:9].astype(np.float32)
    points = np.stack([x, -y, x * math.tan(tilt)], axis=-1).astype(np.float32)
    lamp = Lamp(270.0, 50.0).direction()
    normal = np.array([-math.sin(tilt), 0, math.cos(tilt)])
    away = np.array([0, 0, -1], np.float32)
    out = np.empty((9, 9), np.float32)
    kernels.light(points, np.zeros((9, 9), np.float32), lamp, away, np.float32(0.2), np.float32(1), 0, 9, out)
    assert np.allclose(out, 0.2 + 0.72 * float(normal @ lamp), atol=1e-4)


def test_drawing_leaves_no_gap_and_nothing_outside() -> None:
    """A grid seen straight on covers every pixel whose centre lies in it, none beyond."""
    n = 40
    j, i = np.meshgrid(np.linspace(3.2, 56.7, n), np.linspace(5.1, 50.3, n))
    grid = np.stack([j, i, np.zeros_like(i)], axis=-1).astype(np.float32)
    image = np.full((60, 64), -1, np.float32)
    kernels.draw(grid, np.ones((n, n), np.float32), np.full((60, 64), -1e9, np.float32), image, 0, 60)
    y, x = np.mgrid[0:60, 0:64] + 0.5
    inside = (x > 3.21) & (x < 56.69) & (y > 5.11) & (y < 50.29)
    outside = (x < 3.19) | (x > 56.71) | (y < 5.09) | (y > 50.31)
    assert (image[inside] == 1).all() and (image[outside] == -1).all()


def test_the_nearest_surface_wins() -> None:
    def sheet(z: float) -> np.ndarray:
        j, i = np.meshgrid(np.linspace(0, 20, 5), np.linspace(0, 20, 5))
        return np.stack([j, i, np.full_like(i, z)], axis=-1).astype(np.float32)

    for order in ((1.0, 2.0), (2.0, 1.0)):
        image, depth = np.full((20, 20), -1, np.float32), np.full((20, 20), -1e9, np.float32)
        for z in order:
            kernels.draw(sheet(z), np.full((5, 5), z, np.float32), depth, image, 0, 20)
        assert (image == 2).all()


def test_raising_is_lit_from_the_lamps_side_and_cutting_is_not() -> None:
    """With the lamp at the left a raised dome is brighter on its left flank; pressed in, on its right."""
    eye, lamp = Eye(tilt=0, turn=0), Lamp(270.0, 35.0)
    for cut in (False, True):
        drawn = in_plaster(FLAT, Sheet(dome(), 0.12, 90_000, (240, 240), cut, eye, lamp)).astype(int).sum(axis=2)
        left, right = drawn[110:130, 70:90].mean(), drawn[110:130, 150:170].mean()
        assert (left > right + 30) != cut


def test_a_turned_view_shows_the_surround_and_smooth_pictures_are_averages() -> None:
    sheet = Sheet(dome(), 0.03, 90_000, (200, 160), eye=SURFACES["ball"].eye)
    drawn = in_plaster(BALL, sheet)
    assert drawn.shape == (160, 200, 3) and tuple(drawn[0, 0]) == SURROUND
    rough = (
        in_plaster(BALL, replace(sheet, size=(400, 320), smooth=False)).reshape(160, 2, 200, 2, 3).mean(axis=(1, 3))
    )
    assert np.abs(drawn - rough).max() <= 1.0
    assert np.array_equal(drawn_on(SURFACES["ball"], sheet, unwatched), drawn)


def test_the_strip_repeats_the_mark_and_leaves_the_ground() -> None:
    drawn = strip(dome(), 0.03, 430, 84, Lamp())
    assert drawn.shape == (84, 430, 3)
    ground = drawn[0, 0].astype(int)
    assert np.abs(drawn[:2].astype(int) - ground).max() <= 1
    assert np.abs(drawn[42].astype(int) - ground).sum(axis=1).astype(bool).mean() > 0.6


def test_a_strip_runs_on_along_the_stroke_without_a_joint() -> None:
    """Nothing changes along this strip, so nothing changes along its stroke; turned, it is the same stroke."""
    x = np.linspace(0, 1, 64, endpoint=False)
    ridge = np.tile(np.hanning(32)[:, None], (1, 64)).astype(np.float32)
    waves = ridge * (0.6 + 0.4 * np.cos(4 * np.pi * x)).astype(np.float32)
    plain, waved = (strip(s, 0.03, 600, 84, Lamp(), wrap=(True, False)).astype(int) for s in (ridge, waves))
    inside = slice(60, 540)
    assert np.abs(np.diff(plain[42, inside], axis=0)).max() <= 4
    turned = strip(np.ascontiguousarray(waves.T), 0.03, 600, 84, Lamp(), wrap=(False, True))
    assert np.array_equal(turned, waved)
    # Where the strip begins again the picture is as smooth as within it: the shift by half a strip is alike.
    rolled = strip(np.roll(waves, 32, axis=1), 0.03, 600, 84, Lamp(), wrap=(True, False)).astype(int)
    assert np.abs(rolled[:, inside] - waved[:, inside]).max() <= 6


def test_a_tile_lies_still_under_its_stroke() -> None:
    tile = np.tile(np.float32(0.5), (40, 40))
    drawn = strip(tile, 0.03, 430, 84, Lamp(), wrap=(True, True)).astype(int)
    ground = drawn[0, 0]
    assert np.abs(drawn[:2] - ground).max() <= 1 and np.abs(drawn[:, :4] - ground).max() <= 1
    assert np.abs(drawn[40:44, 150:280] - ground).max() <= 2 < np.abs(drawn[14:30, 150:280] - ground).max()


def test_a_strip_covers_one_row_of_the_surface() -> None:
    tile = np.random.default_rng(1).random((20, 60), dtype=np.float32)
    both, row = covered(tile, 3, 180), covered(tile, 3, 180, (True, False))
    assert both.shape == (180, 180) and np.array_equal(row, np.tile(tile, (1, 3)))
    assert np.array_equal(covered(tile.T, 3, 180, (False, True)), row.T)
