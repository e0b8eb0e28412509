"""Healing: seamless pieces, against an independent sparse solve and on open textures."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage, sparse
from scipy.sparse import linalg
from skimage import data, restoration

from engraver.core.engine import Cache, Engine, Request
from engraver.core.numeric import harmonic, patch
from engraver.core.numeric.bending import thin_plate
from engraver.core.params import Stroke
from engraver.core.recipe import Step
from engraver.core.steps.placed import Placed, painted
from lines import line_of, run

TEXTURES = {name: getattr(data, name)()[:320, :320].astype(np.float32) / 255 for name in ("brick", "grass", "gravel")}


def test_a_clone_solves_poissons_equation() -> None:
    """Against the equation set up the other way: Laplacian of the result = Laplacian of the piece."""
    rng = np.random.default_rng(1)
    values = rng.random((40, 50)).astype(np.float32)
    mask = np.zeros((40, 50), bool)
    mask[10:20, 8:22] = True
    mask[12:15, 22:25] = True
    dx, dy = 20, 12
    found = patch.cloned(values, mask, (dx, dy))
    assert np.array_equal(found[~mask], values[~mask])
    places = {tuple(p): n for n, p in enumerate(np.argwhere(mask))}
    matrix, right = sparse.lil_matrix((len(places), len(places))), np.zeros(len(places))
    for (r, c), n in places.items():
        for a, b in ((r - 1, c), (r + 1, c), (r, c - 1), (r, c + 1)):
            matrix[n, n] += 1
            right[n] += float(values[r + dy, c + dx]) - float(values[a + dy, b + dx])
            if (a, b) in places:
                matrix[n, places[a, b]] -= 1
            else:
                right[n] += float(values[a, b])
    expected = linalg.spsolve(matrix.tocsr(), right)
    assert np.abs(found[mask] - expected).max() < 1e-5


def blemished(texture: np.ndarray, cx: float = 150, cy: float = 170) -> tuple[np.ndarray, np.ndarray]:
    y, x = np.mgrid[0:320, 0:320] + 0.5
    spot = np.hypot(x - cx, y - cy) < 16
    spoilt = texture.copy()
    spoilt[spot] = 0.97
    return spoilt, np.hypot(x - cx, y - cy)


MARK = Stroke.through([(150 / 320, 170 / 320)], 20 / 320, "auto")


@pytest.mark.parametrize("name", list(TEXTURES))
def test_a_healed_patch_is_as_lively_as_its_surroundings(name: str) -> None:
    """scikit-image's CC0 textures: gradients along the patch's border 0.8 to 1.25 of the unharmed ones."""
    truth, border, usual = TEXTURES[name], [], []
    for x, y in ((150, 170), (90, 90), (220, 100), (240, 240), (80, 230), (160, 60)):
        spoilt, away = blemished(truth, x, y)
        result = run("heal", spoilt, strokes=(Stroke.through([(x / 320, y / 320)], 20 / 320, "auto"),)).pixels
        steep, before = np.hypot(*np.gradient(result)), np.hypot(*np.gradient(truth))
        border.append(steep[np.abs(away - 20) < 2.5].mean())
        usual.append(before[np.abs(away - 20) < 2.5].mean())
        assert 0.5 <= steep[away < 15].mean() / before[(away > 22) & (away < 50)].mean() <= 1.7
        assert np.abs(result[away < 15]).max() < 0.97
        assert np.array_equal(result[away > 22], spoilt[away > 22])
    assert 0.8 <= np.mean(border) / np.mean(usual) <= 1.25


def test_a_chosen_piece_is_taken() -> None:
    texture = np.zeros((100, 100), np.float32) + np.linspace(0.2, 0.6, 100, dtype=np.float32)
    texture[20:40, 60:80] += np.random.default_rng(2).random((20, 20)).astype(np.float32) * 0.1
    mark = Stroke.through([(0.3, 0.7)], 0.06, "from", (0.4, -0.4))
    result = run("heal", texture, strokes=(mark,)).pixels
    inner, piece = result[66:74, 26:34], texture[26:34, 66:74]
    assert np.corrcoef(np.diff(inner).ravel(), np.diff(piece).ravel())[0, 1] > 0.999
    assert abs(inner.mean() - texture[66:74, 26:34].mean()) < 0.05


def test_a_repair_stays_on_its_blemish_when_the_crop_moves() -> None:
    """The stroke is kept in source shares: wherever the crop goes, the same spot of the picture is healed."""
    spoilt, _ = blemished(TEXTURES["gravel"])
    heal = Step.make("heal", strokes=(MARK,))
    for values in ({"x": 0.5}, {"x": 0.42, "y": 0.55, "width": 0.61}, {"width": 0.6, "angle": 20.0}):
        crop = Step.make("crop", **{"width": 0.7, **values})
        line, engine = line_of(spoilt, crop, heal)
        before = engine.evaluate(line, Request(upto=heal.uid, before=True, exact=True)).raster.pixels
        after = engine.evaluate(line, Request(exact=True)).raster.pixels
        assert (before > 0.93).sum() > 300 and (after > 0.93).sum() < 12
        healed = np.abs(after - before) > 1e-4
        assert healed.sum() == pytest.approx(np.pi * 20**2, rel=0.15)


def test_a_piece_goes_on_over_the_border_only_where_the_picture_wraps() -> None:
    values = np.tile(np.sin(2 * np.pi * np.arange(60) / 60), (40, 1)).astype(np.float32)
    mask = np.zeros((40, 60), bool)
    mask[10:20, 0:6] = True
    spoilt = np.where(mask, 5.0, values).astype(np.float32)
    wrapped = patch.cloned(spoilt, mask, (0, 15), (True, True))
    assert np.abs(wrapped - values).max() < 0.02
    assert list(patch.folded(np.array([-2, -1, 0, 3, 4, 5]), 4, False)) == [1, 0, 0, 3, 3, 2]
    assert list(patch.folded(np.array([-2, 5]), 4, True)) == [2, 1]


def test_strokes_outside_the_plate_or_all_over_it_change_nothing() -> None:
    texture = TEXTURES["brick"]
    far = Stroke.through([(4.0, 4.0)], 0.02, "auto")
    everything = Stroke.through([(0.5, 0.5)], 1.9, "auto")
    assert np.array_equal(run("heal", texture, strokes=(far, everything)).pixels, texture)


def test_preview_and_full_size_heal_the_same_spot() -> None:
    spoilt, _ = blemished(TEXTURES["grass"])
    line, engine = line_of(spoilt, Step.make("heal", strokes=(MARK,)))
    engine.evaluate(line, Request(exact=True))
    small = engine.evaluate(line, Request(side=160))
    assert not small.provisional and not small.draft and (small.raster.pixels > 0.93).sum() == 0
    first = Engine(engine.sources, Cache()).evaluate(line, Request(side=160))
    assert first.provisional and first.draft and (first.raster.pixels > 0.93).sum() == 0


def _fine(values: np.ndarray) -> np.ndarray:
    return values - ndimage.gaussian_filter(values, 1.5)


@pytest.mark.parametrize("name", list(TEXTURES))
def test_a_long_stroke_keeps_the_grain(name: str) -> None:
    """Across nearly the whole picture, where no place of its own length is free."""
    way = [(0.05, 0.4), (0.5, 0.55), (0.95, 0.45)]
    truth = TEXTURES[name]
    marked = painted([Placed("auto", "", np.array(way) * 320, 0.04 * 320, None)], 320, 320) > 0.5
    spoilt = np.where(marked, np.float32(0.97), truth)
    healed = run("heal", spoilt, strokes=(Stroke.through(way, 0.04, "auto"),)).pixels
    inside = ndimage.binary_erosion(marked, iterations=3)
    assert 0.6 <= _fine(healed)[inside].std() / _fine(truth)[inside].std() <= 1.6
    assert (healed[inside] > 0.96).mean() < 0.005 and np.array_equal(healed[~marked], truth[~marked])


def test_smooth_ground_is_filled_smoothly_and_keeps_its_grain() -> None:
    y, x = np.mgrid[0:320, 0:320] / 320
    form = ndimage.gaussian_filter(TEXTURES["grass"], 20)
    truth = (form + 0.004 * np.random.default_rng(2).standard_normal(form.shape)).astype(np.float32)
    for cx, cy in ((0.5, 0.5), (0.3, 0.62), (0.7, 0.3)):
        hole = np.hypot(x - cx, y - cy) < 0.05
        spoilt = np.where(hole, np.float32(0.97), truth)
        healed = run("heal", spoilt, strokes=(Stroke.through([(cx, cy)], 0.065, "auto"),)).pixels
        left = ndimage.gaussian_filter(healed - form, 4)[hole]
        assert np.sqrt(np.square(left).mean()) < 0.004
        assert 0.6 < _fine(healed)[hole].std() / _fine(truth)[hole].std() < 1.5


def test_the_plate_is_that_of_scikit_image() -> None:
    """Against ``inpaint_biharmonic``, on a picture band-limited well below the hole's width."""
    values = ndimage.gaussian_filter(TEXTURES["gravel"], 9)[:80, :80]
    hole = np.zeros((80, 80), bool)
    hole[30:46, 28:50] = True
    ours, theirs = thin_plate(values, hole), restoration.inpaint_biharmonic(values.astype(np.float64), hole)
    assert np.abs(ours - theirs).max() < 2e-3
    assert np.abs(ours - values).max() < 0.6 * np.abs(harmonic.fill(values, hole) - values).max()


def test_a_patch_that_loses_its_grain_is_told() -> None:
    line, engine = line_of(TEXTURES["grass"], heal := Step.make("heal", strokes=(MARK,)))
    engine.evaluate(line, Request(exact=True))
    found = heal.declared.tells(heal.params, {f"{MARK.digest} grain": 0.2})
    assert "half the grain" in found and "One stroke" in found
    assert "half the grain" not in heal.declared.tells(heal.params, {f"{MARK.digest} grain": 0.9})
    everywhere = np.ones((320, 320), bool)
    hole = np.zeros_like(everywhere)
    hole[100:130, 100:130] = True
    assert patch.grain_kept(TEXTURES["grass"], hole, hole, None) == 0
    assert 0.5 < patch.grain_kept(TEXTURES["grass"], hole, hole, (60.0, 0.0)) < 2
    assert patch.grain_kept(np.full((320, 320), 0.5, np.float32), hole, hole, None) == 1
