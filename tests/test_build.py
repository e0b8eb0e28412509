"""Heights from numbers: noise against the published formulas written plainly, gradients against exact tones."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog
from scipy import spatial

from conftest import LEFT, in_dialog, settle
from engraver.app.views.add_step import AddStep
from engraver.app.window import Window
from engraver.core.engine import Request, new_step
from engraver.core.numeric import fields
from engraver.core.numeric.fields import NoiseForm
from engraver.core.raster import Raster
from engraver.core.recipe import Step
from engraver.core.steps import KINDS as STEPS
from lines import line_of, run

KINDS = ("smooth", "ridged", "billowed", "cells", "borders", "second", "waves")


def drawn(seed: int, octave: int, counts: tuple[int, int]) -> np.ndarray:
    rng = np.random.Generator(np.random.PCG64([seed, octave]))
    return rng.random((2, fields.PERIOD, fields.PERIOD), dtype=np.float32)[:, : counts[0], : counts[1]]


def places(side: int, size: float) -> tuple[np.ndarray, np.ndarray]:
    at = (np.arange(side) + 0.5) / (side * size)
    return np.broadcast_to(at, (side, side)), np.broadcast_to(at[:, None], (side, side))


def test_smooth_noise_is_perlins() -> None:
    """K. Perlin, "Improving Noise" (2002): gradients at the corners, joined by 6t^5 - 15t^4 + 10t^3."""
    side, size, seed = 90, 0.21, 5
    u, v = places(side, size)
    angle = 2 * np.pi * drawn(seed, 0, (fields.PERIOD, fields.PERIOD))[0].astype(np.float64)
    i, j = np.floor(u).astype(int), np.floor(v).astype(int)
    corners = {}
    for down in (0, 1):
        for across in (0, 1):
            a = angle[j + down, i + across]
            corners[down, across] = np.cos(a) * (u - i - across) + np.sin(a) * (v - j - down)
    s, t = (((6 * f - 15) * f + 10) * f**3 for f in (u - i, v - j))
    upper, lower = ((1 - s) * corners[d, 0] + s * corners[d, 1] for d in (0, 1))
    plain = np.sqrt(2) * ((1 - t) * upper + t * lower)
    assert np.abs(fields.noise(side, side, NoiseForm("smooth", size, seed=seed)) - plain).max() < 1e-5
    ridged = fields.noise(side, side, NoiseForm("ridged", size, seed=seed))
    assert np.abs(ridged - (2 * (1 - np.abs(plain)) ** 2 - 1)).max() < 2e-5
    billowed = fields.noise(side, side, NoiseForm("billowed", size, seed=seed))
    assert np.abs(billowed - (2 * np.abs(plain) - 1)).max() < 2e-5
    # The turned way is another loop: the same noise where the turn is next to nothing.
    turned = fields.noise(side, side, NoiseForm("smooth", size, turn=1e-7, seed=seed))
    assert np.abs(turned - plain).max() < 1e-4


@pytest.mark.parametrize("tiles", [False, True])
def test_cells_go_by_the_two_nearest_points(tiles: bool) -> None:
    """S. Worley (1996), against SciPy's k-d tree, which knows tori."""
    side, size, seed = 300, 0.05, 9
    u, v = places(side, size)
    counts = (20, 20) if tiles else (fields.PERIOD, fields.PERIOD)
    jitter = drawn(seed, 0, counts).astype(np.float64)
    grid = np.mgrid[0 : counts[0], 0 : counts[1]]
    points = np.stack([(grid[1] + jitter[0]).ravel(), (grid[0] + jitter[1]).ravel()], axis=1)
    tree = spatial.cKDTree(points, boxsize=[counts[1], counts[0]])
    away, _ = tree.query(np.stack([u.ravel(), v.ravel()], axis=1), k=2)
    first, second = (away[:, n].reshape(side, side) for n in (0, 1))
    for kind, plain in (
        ("cells", 1 - 2 * first),
        ("second", 1 - 1.5 * second),
        ("borders", 2 * (second - first) - 1),
    ):
        made = fields.noise(side, side, NoiseForm(kind, size, seed=seed), (tiles, tiles))  # type: ignore[arg-type]
        assert np.abs(made - plain).max() < 1e-4, kind


def test_waves_are_sines_and_bending_moves_them() -> None:
    made = fields.noise(100, 100, NoiseForm("waves", 0.2, seed=7))
    assert np.abs(made - made[:1]).max() < 1e-5  # level crests
    spectrum = np.abs(np.fft.rfft(made[0]))
    assert spectrum.argmax() == 5 and spectrum[5] == pytest.approx(50, rel=1e-3)  # five whole sines of height 1
    near = fields.noise(100, 100, NoiseForm("waves", 0.2, bend=1e-6, seed=7))
    assert np.abs(near - made).max() < 1e-3
    assert np.abs(fields.noise(100, 100, NoiseForm("waves", 0.2, bend=0.5, seed=7)) - made).max() > 0.2


@pytest.mark.parametrize("kind", KINDS)
def test_what_tiles_goes_on_over_every_border(kind: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Going on past its borders it comes back as what it was."""
    form = NoiseForm(kind, 0.25, 3, bend=0.3, seed=2)  # type: ignore[arg-type]
    tile, plane = fields.noise(64, 96, form, (True, True)), fields._plane
    monkeypatch.setattr(fields, "_plane", lambda height, width, *rest: plane(64, 96, *rest))
    assert np.abs(fields.noise(128, 192, form, (True, True)) - np.tile(tile, (2, 2))).max() < 2e-3
    monkeypatch.undo()
    assert run("noise", np.zeros((160, 240), np.float32), kind=kind, size=0.2, tiles=True).wrap == (True, True)
    assert run("noise", np.zeros((160, 240), np.float32), kind=kind, size=0.2).wrap == (False, False)


@pytest.mark.parametrize("kind", KINDS)
def test_noise_is_fixed_to_the_plate_and_to_its_seed(kind: str) -> None:
    form = NoiseForm(kind, 0.3, 2, stretch=1.5, turn=0.4, bend=0.2, seed=3)  # type: ignore[arg-type]
    large, small = fields.noise(480, 480, form), fields.noise(60, 60, form)
    reduced = large.reshape(60, 8, 60, 8).mean(axis=(1, 3))
    assert np.abs(reduced - small).mean() < 0.03
    assert np.array_equal(fields.noise(60, 60, form), small)
    other = NoiseForm(kind, 0.3, 2, stretch=1.5, turn=0.4, bend=0.2, seed=4)  # type: ignore[arg-type]
    assert np.abs(fields.noise(60, 60, other) - small).mean() > 0.05
    wide = fields.noise(60, 90, form)
    assert np.abs(wide[:, :60] - small).max() < 1e-4  # a wider plate keeps its left part


@pytest.mark.parametrize("zero", ["black", "mid"])
@pytest.mark.parametrize(
    ("meets", "plain"),
    [
        ("add", lambda a, b: a + b), ("take", lambda a, b: a - b), ("higher", np.maximum), ("lower", np.minimum),
        ("over", lambda a, b: b), ("multiply", lambda a, b: a * b),
    ],
)  # fmt: skip
def test_heights_meet_about_the_plates_zero(zero: str, meets: str, plain) -> None:  # type: ignore[no-untyped-def]
    rng = np.random.default_rng(2)
    at, reach = (0.5, 0.5) if zero == "mid" else (0.0, 1.0)
    below = rng.uniform(-1 if zero == "mid" else 0, 1, (40, 40)).astype(np.float32)
    raster = Raster.of(at + reach * below, zero=zero)  # type: ignore[arg-type]
    made = run("gradient", raster, way="straight", start=-0.4, end=0.9, meets=meets, amount=0.75)
    built = np.broadcast_to(-0.4 + 1.3 * (np.arange(40) + 0.5) / 40, (40, 40))
    expected = at + reach * (below + 0.75 * (plain(below, built) - below))
    assert np.abs(made.pixels - expected).max() < 1e-5 and made.zero == zero


def test_stepped_greys_have_exact_tones_and_equal_widths() -> None:
    made = run("gradient", np.zeros((20, 256), np.float32), steps=8, reach=256 / 20).pixels
    assert np.array_equal(made[0], np.repeat(np.arange(8, dtype=np.float32) / 7, 32))
    smooth = run("gradient", np.zeros((20, 256), np.float32), reach=256 / 20).pixels
    assert np.abs(smooth[0] - (np.arange(256) + 0.5) / 256).max() < 1e-6
    y, x = np.mgrid[0:100, 0:100] + 0.5 - 50
    radial = run("gradient", np.zeros((100, 100), np.float32), way="radial", reach=0.5, start=1.0, end=0.0).pixels
    assert np.abs(radial - np.clip(1 - np.hypot(x, y) / 50, 0, 1)).max() < 1e-6
    around = run("gradient", np.zeros((100, 100), np.float32), way="round", turn=30.0).pixels
    share = ((np.degrees(np.arctan2(y, x)) - 30) % 360) / 360
    apart = np.abs(around - share)
    assert np.minimum(apart, 1 - apart).max() < 1e-5
    curved = run(
        "gradient", np.zeros((20, 256), np.float32), reach=256 / 20, points=((0.0, 0.0), (0.5, 1.0), (1.0, 0.0))
    )
    assert curved.pixels[0].max() > 0.999 and curved.pixels[0, -1] < 0.02


def test_a_blank_becomes_a_tile_of_noise_that_is_kept_at_any_side() -> None:
    blank = np.zeros((512, 512), np.float32)
    step = Step.make("noise", tiles=True, size=0.25, octaves=2).model_copy(update={"uid": "noise"})  # its seed
    line, engine = line_of(blank, step)
    full = engine.evaluate(line, Request(exact=True)).raster.pixels
    small = engine.evaluate(line, Request(side=128)).raster.pixels
    assert np.abs(full.reshape(128, 4, 128, 4).mean(axis=(1, 3)) - small).max() < 0.02
    assert 0.1 < full.min() < 0.4 and 0.6 < full.max() < 0.95


def test_typing_the_exact_name_takes_that_step(window: Window) -> None:
    """*Noise*, not *Denoise*, which stands before it in the list."""
    window.studio.add_blank()
    settle(window)
    for word, kind in (("noise", "noise"), ("grad", "gradient"), ("terrace", "terrace"), ("Levels", "levels")):
        in_dialog(AddStep, lambda sheet, word=word: _typed(sheet, word))  # type: ignore[misc]
        QTest.mouseClick(window.bench.line.add, LEFT)
        settle(window)
        assert next(s.kind for s in window.studio.steps if s.uid == window.studio.step_uid) == kind


def _typed(sheet: QDialog, word: str) -> None:
    assert isinstance(sheet, AddStep)
    QTest.keyClicks(sheet.field, word)
    QTest.keyClick(sheet.field, Qt.Key.Key_Return)


@pytest.mark.parametrize("id", [id for id, kind in STEPS.items() if kind.group == "build"])
@pytest.mark.parametrize("wraps", [False, True])
def test_what_is_built_on_a_plate_does_not_hide_what_stands_there(id: str, wraps: bool) -> None:
    """It can be recognised still, and repeats where it repeated."""
    waves = np.sin(np.arange(128) * 2 * np.pi * 3 / 128).astype(np.float32)
    there = Raster.of(0.5 + 0.2 * waves + 0.2 * waves[:, None], wrap=(wraps, wraps))
    line, engine = line_of(there)
    step = new_step(id, line, ())
    after = engine.evaluate(line_of(there, step)[0], Request(exact=True)).raster
    assert np.corrcoef(after.pixels.ravel(), there.pixels.ravel())[0, 1] > 0.4
    assert after.wrap == there.wrap
    if wraps and id == "noise":  # also in its tones
        across = np.abs(after.pixels[:, 0] - after.pixels[:, -1]).max()
        assert across < 2 * np.abs(np.diff(after.pixels, axis=1)).max()


def test_noise_on_a_blank_is_the_ground_and_on_that_a_roughness(window: Window) -> None:
    studio = window.studio
    studio.add_blank(64)
    studio.add_step("noise")
    assert studio.steps[0].params == Step.make("noise").params
    studio.add_step("noise", seed=3)
    assert studio.steps[1].params.meets == "add" and studio.steps[1].params.seed == 3
    studio.toggle_step(studio.steps[0].uid)  # what is off does not stand
    studio.add_step("noise")
    assert studio.steps[2].params.meets == "add"  # the second one does
