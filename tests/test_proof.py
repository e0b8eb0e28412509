"""The proof: pressing on analytic surfaces, light by Lambert's law, drawing without gaps."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from engraver.core.errors import unwatched
from engraver.core.mesh.model import mesh_of
from engraver.core.pressing.relief import Relief
from engraver.core.proof import trial_kernels
from engraver.core.proof.drawing import drawn as drawn_on
from engraver.core.proof.look import Look
from engraver.core.proof.scene import BenchScene, covered
from engraver.core.proof.strip import strip
from engraver.core.proof.trial_colours import joined
from engraver.core.proof.trial_picture import TrialPicture
from engraver.core.surfaces import SURFACES, Sheet, surface
from engraver.core.surfaces.ball import BALL_HALF_ANGLE, RADIUS
from engraver.core.surfaces.flat import FLAT_MARK
from engraver.core.surfaces.ground import grid_faces
from engraver.core.surfaces.own import OwnMesh
from engraver.core.surfaces.view import SURROUND, Eye, Lamp


def dome(side: int = 200) -> np.ndarray:
    y, x = (np.mgrid[0:side, 0:side] + 0.5) / side * 2 - 1
    return np.maximum(0, 1 - x * x - y * y).astype(np.float32)


def pressed(id: str, sheet: Sheet) -> Relief:
    return BenchScene().pressed(SURFACES[id], sheet)


@pytest.mark.parametrize("cut", [False, True])
def test_pressing_into_the_flat_moves_points_by_height_times_strength(cut: bool) -> None:
    points = pressed("flat", Sheet(dome(), 0.05, 201 * 201, (9, 9), cut)).points()
    x, y = points[:, 0] / FLAT_MARK, points[:, 1] / FLAT_MARK
    expected = np.maximum(0, 1 - x * x - y * y) * 0.05 * 2 * FLAT_MARK * (-1 if cut else 1)
    assert np.abs(points[:, 2] - expected).max() < 5e-4


def test_pressing_into_the_ball_moves_points_along_its_normals() -> None:
    points = pressed("ball", Sheet(dome(), 0.05, 90_000, (9, 9))).points()
    radius = np.linalg.norm(points, axis=-1)
    share = np.arccos(np.clip(points[:, 2] / radius, -1, 1)) / BALL_HALF_ANGLE
    expected = RADIUS + np.maximum(0, 1 - share**2) * 0.05 * 2 * RADIUS * BALL_HALF_ANGLE
    assert np.abs(radius - expected).max() < 1e-3


def test_light_is_lamberts_law() -> None:
    """An even normal: brightness is ambient + 0.72 cos of the angle to the lamp (J. H. Lambert, 1760)."""
    lamp, away = Lamp(270.0, 50.0).direction(), np.array([0, 0, -1], np.float32)
    tilt = math.radians(25)
    normal = np.array([-math.sin(tilt), 0, math.cos(tilt)], np.float32)
    image, depth = np.empty((3, 30, 30), np.float32), np.full((30, 30), -5, np.float32)
    image[:] = normal[:, None, None]
    out, cavity = np.empty((30, 30), np.float32), np.array([0.5, 0.3], np.float32)
    trial_kernels.light(image, depth, lamp, away, np.float32(0.2), 2, cavity, 0, 30, 0, 30, out)
    assert np.allclose(out, 0.2 + 0.72 * float(normal @ lamp), atol=1e-4)


def test_ridges_are_brighter_and_hollows_darker_and_an_outline_says_nothing() -> None:
    """Normals that part make a ridge, those that meet a hollow; both flanks are lit alike by a lamp above."""
    slope = np.zeros(60, np.float32)
    slope[:30], slope[30:] = -0.3, 0.3  # a ridge in the middle, seen from above
    lamp, none = np.array([0, 0, 1], np.float32), np.array([0, 0, -1], np.float32)
    cavity = np.array([0.5, 0.3], np.float32)
    for sign, jump in ((1, 0.0), (-1, 0.0), (1, 0.5)):
        image = np.zeros((3, 40, 60), np.float32)
        image[0], image[2] = sign * slope, 0.95
        depth = np.full((40, 60), -5, np.float32)
        depth[:, 30:] -= np.float32(jump)
        out = np.empty((40, 60), np.float32)
        trial_kernels.light(image, depth, lamp, none, np.float32(0.2), 2, cavity, 0, 60, 0, 40, out)
        apart = float(out[20, 30] - out[20, 10])
        assert (apart > 0.05) if (sign, jump) == (1, 0) else (apart < -0.05) if sign < 0 else abs(apart) < 1e-5


def _grid(x: np.ndarray, y: np.ndarray, z: float, shade: float, image: np.ndarray, depth: np.ndarray) -> None:
    rows, columns = x.shape
    screen = np.stack([x, y, np.full_like(x, z)], axis=-1).reshape(-1, 3).astype(np.float32)
    faces = grid_faces(np.arange(rows), np.arange(columns), np.arange(rows * columns).reshape(rows, columns))
    box = np.array([[-1e9, -1e9, 1e9, 1e9]] * (-(-len(faces) // trial_kernels.BLOCK)), np.float32)
    carried = np.full((rows * columns, 3), shade, np.float32)
    wire, (high, wide) = np.zeros(depth.shape, np.uint8), depth.shape
    trial_kernels.draw(
        screen, carried, faces, box, depth, image, wire, np.float32(0), np.float32(0), 0, wide, 0, high
    )


@pytest.mark.parametrize("id", ["flat", "ball"])
def test_marks_however_high_are_drawn_where_they_stand(id: str) -> None:
    """Triangles are looked for near where they are without marks: as when they are known to stand where they do."""
    scene, geometry = BenchScene(), SURFACES[id].geometry
    relief = scene.pressed(SURFACES[id], Sheet(dome(), 0.9, 20_000, (9, 9)))
    relief.ground = replace(relief.ground, tiles=None)  # all triangles are drawn
    stands = Relief(replace(relief.ground, points=relief.points()))
    for eye in (Eye(70, 30), Eye(70, 30, zoom=4, y=-0.2), Eye(10, 0, zoom=9, x=0.3, y=0.3)):
        there, known = (TrialPicture(r, geometry).draw(Look((160, 120), eye)).picture for r in (relief, stands))
        assert there.std() > 0.1 and (there == known).all()


@pytest.mark.parametrize("factor", [1, 2])
def test_brightness_becomes_colour_by_the_mean_of_its_samples(factor: int) -> None:
    rng = np.random.default_rng(factor)
    light = rng.uniform(-0.3, 1.2, (20 * factor, 30 * factor)).astype(np.float32)
    ramp, ground = (rng.uniform(0, 255, (n, 3)).astype(np.float32) for n in (1024, 20))
    step = np.minimum(np.maximum(light, 0) * np.float32(1023), np.float32(1023)).astype(int)
    every = np.where(light[..., None] < 0, np.repeat(ground, factor, axis=0)[:, None], ramp[step])
    mean = every.reshape(20, factor, 30, factor, 3).mean(axis=(1, 3))
    out = np.full((20, 30, 3), 7, np.uint8)
    clear, hazy, part = out.copy(), out.copy(), (2, 27, 3, 19)
    trial_kernels.clear_colour(light, factor, joined(ramp), joined(ground), *part, clear)
    air = np.array([0, 0, 0, 0, 0, 0], np.float32)
    trial_kernels.colour(light, light, factor, ramp, ground, air, *part, hazy)
    for drawn in (clear, hazy):
        assert np.abs(drawn[3:19, 2:27] - mean[3:19, 2:27]).max() < 0.502
        drawn[3:19, 2:27] = 7
        assert (drawn == 7).all()


def test_drawing_leaves_no_gap_and_nothing_outside() -> None:
    """A grid seen straight on covers every pixel whose centre lies in it, none beyond."""
    n = 40
    x, y = np.meshgrid(np.linspace(3.2, 56.7, n), np.linspace(5.1, 50.3, n))
    image, depth = np.full((3, 60, 64), -1, np.float32), np.full((60, 64), -1e9, np.float32)
    _grid(x, y, 0.0, 1.0, image, depth)
    py, px = np.mgrid[0:60, 0:64] + 0.5
    inside = (px > 3.21) & (px < 56.69) & (py > 5.11) & (py < 50.29)
    outside = (px < 3.19) | (px > 56.71) | (py < 5.09) | (py > 50.31)
    assert np.allclose(image[0][inside], 1) and (image[0][outside] == -1).all()


def test_the_nearest_surface_wins() -> None:
    x, y = np.meshgrid(np.linspace(0, 20, 5), np.linspace(0, 20, 5))
    for order in ((1.0, 2.0), (2.0, 1.0)):
        image, depth = np.full((3, 20, 20), -1, np.float32), np.full((20, 20), -1e9, np.float32)
        for z in order:
            _grid(x, y, z, z, image, depth)
        assert np.allclose(image[0], 2)


def test_the_ball_has_no_crease_and_no_stair() -> None:
    """Along the diagonals of the view a bare ball is as smooth as elsewhere, and it is a circle to a pixel."""
    sheet = Sheet(np.zeros((32, 32), np.float32), 0.05, 250_000, (400, 400), eye=Eye(0, 0))
    drawn = drawn_on(SURFACES["ball"], sheet).astype(float).mean(axis=-1)
    rough = np.abs(np.diff(drawn, 2, axis=0)[:, 1:-1]) + np.abs(np.diff(drawn, 2, axis=1)[1:-1])
    y, x = np.mgrid[1:399, 1:399] + 0.5 - 200
    inside = np.hypot(x, y) < 120
    for near in (np.abs(np.abs(x) - np.abs(y)) < 3, (np.abs(x) < 3) | (np.abs(y) < 3)):
        assert rough[inside & near].mean() < 1.5 * rough[inside & ~near].mean()
    there = np.abs(drawn - np.mean(SURROUND)) > 1.5
    away = np.hypot(np.argwhere(there)[:, 1] - 199.5, np.argwhere(there)[:, 0] - 199.5)
    # Seen from 5.2 away a ball of 0.95 is as large as one of 0.95 / sqrt(1 - (0.95 / 5.2)^2).
    radius = 400 / 1.16 / 2 * 0.95 / math.sqrt(1 - (0.95 / 5.2) ** 2)
    assert away.max() == pytest.approx(radius, abs=1.5)
    assert there.sum() == pytest.approx(math.pi * radius**2, rel=0.03)


def test_raising_is_lit_from_the_lamps_side_and_cutting_is_not() -> None:
    """With the lamp at the left a raised dome is brighter on its left flank; pressed in, on its right."""
    eye, lamp = Eye(tilt=0, turn=0), Lamp(270.0, 35.0)
    for cut in (False, True):
        drawn = (
            drawn_on(SURFACES["flat"], Sheet(dome(), 0.12, 90_000, (240, 240), cut, eye, lamp))
            .astype(int)
            .sum(axis=2)
        )
        left, right = drawn[110:130, 70:90].mean(), drawn[110:130, 150:170].mean()
        assert (left > right + 30) != cut


def test_a_turned_view_shows_the_surround_and_smooth_pictures_are_averages() -> None:
    sheet = Sheet(dome(), 0.03, 90_000, (200, 160), eye=SURFACES["ball"].eye)
    drawn = drawn_on(SURFACES["ball"], sheet)
    assert drawn.shape == (160, 200, 3) and tuple(drawn[0, 0]) == SURROUND
    finer = drawn_on(SURFACES["ball"], replace(sheet, size=(400, 320), smooth=False))
    # Without smoothing the wider hollows are left out, and twice as many pixels show the narrow ones finer.
    assert np.abs(drawn - finer.reshape(160, 2, 200, 2, 3).mean(axis=(1, 3))).mean() < 5.0
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


def _own(body: trimesh.Trimesh) -> Relief:
    own = OwnMesh(mesh_of(np.asarray(body.vertices), np.asarray(body.faces), "body"))
    return Relief(surface("own").geometry.build(20_000, own))


def test_a_closed_body_that_was_written_inside_out_is_seen_and_pressed_from_outside() -> None:
    body = trimesh.creation.icosphere(3)
    turned = body.copy()
    turned.invert()
    reliefs = [_own(body), _own(turned)]
    seen = [TrialPicture(r, surface("own").geometry).draw(Look((160, 120), Eye(20, 30))) for r in reliefs]
    assert np.abs(seen[0].picture.astype(int) - seen[1].picture).mean() < 0.5
    for relief in reliefs:
        assert not relief.ground.open and (relief.ground.points * relief.ground.normals).sum(axis=1).min() > 0


def test_the_inside_of_an_open_mesh_is_seen_also_where_a_mark_falls() -> None:
    ball = trimesh.creation.icosphere(4)
    bowl = trimesh.Trimesh(ball.vertices, ball.faces[ball.triangles_center[:, 2] < 0], process=False)
    relief, geometry = _own(bowl), surface("own").geometry
    assert relief.ground.open
    picture = TrialPicture(relief, geometry)
    look = Look((160, 120), Eye(10, 0))  # into it
    inside = picture.draw(look)
    assert inside.nearness[60, 80] > -1e8
    deep, rim = inside.nearness[60, 80], inside.nearness[inside.nearness > -1e8].max()
    assert deep < rim - 0.5
    # Its other side is lit as it lies, by normals that look at the eye.
    towards = picture._buffers.image[2][120, 160]
    assert towards > 0.9
    bulge = relief.ground.points[:, 2].argmin()
    near = np.linalg.norm(relief.ground.points - relief.ground.points[bulge], axis=1) < 0.4
    relief.height[near] = 0.2
    relief.touched[near] = 1
    drawn = picture.draw(look).picture.astype(int)
    anew = Relief(relief.ground)
    anew.height[:] = relief.height
    assert np.abs(drawn - TrialPicture(anew, geometry).draw(look).picture).mean() < 0.5
