"""Tiles: seams against open photographs and the published decomposition; borders exactly zero."""

from __future__ import annotations

import numpy as np
import pytest

from conftest import band_limited
from engraver.core.engine import Request
from engraver.core.errors import BadValue
from engraver.core.numeric import seam, seamless
from engraver.core.raster import Raster
from engraver.core.recipe import Step
from engraver.core.steps import kind_of
from engraver.core.steps.tile import METHODS
from lines import line_of
from test_tone import context, open_picture, run


def good(values: np.ndarray) -> bool:
    """The gauge's own bound, both ways."""
    return max(seam.seam(values).over, seam.seam_down(values).over) <= seam.GOOD


@pytest.mark.parametrize("name", ["brick", "grass", "gravel"])
def test_open_photographs_become_tiles(name: str) -> None:
    """scikit-image's textures (CC0), of which none tiles as it is."""
    values = open_picture(name)[:384, :384]
    assert not good(values)
    result = run("seamless", Raster.of(values))
    assert result.wrap == (True, True) or result.pixels.shape == (384 - 46, 384 - 46)
    assert good(result.pixels)
    assert result.pixels.std() == pytest.approx(values.std(), rel=0.15)


@pytest.mark.parametrize("method", METHODS)
@pytest.mark.parametrize("axis", ["both", "across", "down"])
def test_what_repeats_has_no_step(method: str, axis: str) -> None:
    values = open_picture("gravel")[:200, :240]
    result = run("seamless", Raster.of(values), method=method, axis=axis).pixels
    if axis in ("both", "across"):
        assert seam.seam(result).step <= 0.99
    else:
        assert result.shape[1] == 240
    if axis in ("both", "down"):
        assert seam.seam(np.ascontiguousarray(result.T)).step <= 0.99


def test_a_truly_periodic_picture_is_good_however_it_is_rolled() -> None:
    y, x = np.mgrid[0:96, 0:128] * (2 * np.pi)
    x, y = x / 128, y / 96
    tile = (0.5 + 0.2 * np.sin(3 * x + 2 * y) + 0.2 * np.cos(5 * x - y)).astype(np.float32)
    for by in ((0, 0), (13, 50), (60, 7)):
        assert good(np.roll(tile, by, axis=(0, 1)))
    assert not good(band_limited(96, 128, 0.03, 4) + np.linspace(0, 1, 128, dtype=np.float32))


def test_matched_borders_are_the_published_decomposition() -> None:
    """Moisan (2011): p + s = u, and s solves the periodic Poisson equation of the border's jumps, within 1e-6."""
    u = band_limited(60, 81, 0.2, 3).astype(np.float64)
    p = seamless.matched(u.astype(np.float32), (True, True)).astype(np.float64)
    s = u.astype(np.float32) - p
    laplace = sum(np.roll(s, by, axis) for axis in (0, 1) for by in (1, -1)) - 4 * s
    jumps = np.zeros_like(u)
    jumps[0] += u[-1] - u[0]
    jumps[-1] += u[0] - u[-1]
    jumps[:, 0] += u[:, -1] - u[:, 0]
    jumps[:, -1] += u[:, 0] - u[:, -1]
    assert np.abs(laplace - jumps).max() < 2e-6 and abs(s.mean()) < 1e-6
    periodic = (0.5 + 0.3 * np.sin(2 * np.pi * np.arange(64) / 64))[None].repeat(40, 0).astype(np.float32)
    assert np.abs(seamless.matched(periodic, (True, True)) - periodic).max() < 0.06


def test_a_blend_keeps_its_contrast() -> None:
    """Within 7 % of the mean of the two strips, for noise, grass and gravel; a plain average would lose a third."""
    rng = np.random.default_rng(2)
    for values in (
        rng.random((256, 256), np.float32),
        open_picture("grass")[:256, :256],
        open_picture("gravel")[:256, :256],
    ):
        values = values.astype(np.float32)
        tile = seamless.overlapped(values, 48)
        kept = seam.contrast_kept(tile[:, :48], *seamless.strips(values, 48))
        assert kept == pytest.approx(1, abs=0.07)


def test_after_other_steps_the_seam_is_still_good() -> None:
    tile = run("seamless", Raster.of(open_picture("grass")[:256, :256]))
    raster = Raster.of(tile.pixels, wrap=(True, True))
    for id, values in (("soften", {"radius": 0.01}), ("sharpen", {"radius": 0.005}), ("local-contrast", {})):
        assert good(run(id, raster, **values).pixels), id


def test_moving_round_is_a_roll_and_comes_back() -> None:
    values = band_limited(40, 60, 0.1, 2)
    moved = run("wrap-shift", Raster.of(values), across=0.25, down=0.5).pixels
    assert np.array_equal(moved, np.roll(values, (20, 15), axis=(0, 1)))
    assert np.array_equal(run("wrap-shift", Raster.of(moved), across=0.75, down=0.5).pixels, values)


@pytest.mark.parametrize("zero", ["black", "mid"])
@pytest.mark.parametrize("rings", [1, 3])
def test_a_cleared_border_is_zero_to_the_last_bit(zero: str, rings: int) -> None:
    raster = Raster.of(band_limited(80, 100, 0.1, 3), zero=zero)
    flat = run("clear-border", raster, rings=rings, soft=0.05).flat()
    level = 0.0 if zero == "black" else 0.5
    for ring in (flat[:rings], flat[-rings:], flat[:, :rings], flat[:, -rings:]):
        assert (ring == level).all()
    assert np.abs(flat - raster.pixels)[30:50, 30:70].max() < 1e-6


def test_clearing_a_strip_keeps_its_repeat() -> None:
    raster = Raster.of(band_limited(80, 100, 0.1, 3), wrap=(True, True))
    kind = kind_of("clear-border")
    ends = kind.params(left=False, right=False, soft=0.0)
    strip = kind.apply(raster, ends, context(raster))
    assert not strip.flat()[[0, -1]].any() and np.array_equal(strip.flat()[1:-1], raster.pixels[1:-1])
    assert kind.extent(ends, raster.facts()).wrap == (True, False)
    assert kind.extent(kind.params(), raster.facts()).wrap == (False, False)


def test_too_small_is_told_and_flat_stays_flat() -> None:
    with pytest.raises(BadValue, match="too small"):
        run("seamless", Raster.of(np.zeros((3, 3), np.float32)), method="overlap")
    flat = run("seamless", Raster.of(np.full((64, 64), 0.3, np.float32)))
    assert np.abs(flat.pixels - 0.3).max() < 1e-5


def test_a_weave_meets_itself_and_keeps_its_contrast() -> None:
    """A grid of threads 41.5 pixels apart in a picture that holds no whole number of them."""
    y, x = np.mgrid[0:400, 0:440]
    weave = (0.5 + 0.25 * np.sin(2 * np.pi * x / 41.5) + 0.25 * np.sin(2 * np.pi * y / 41.5)).astype(np.float32)
    plain, met = (run("seamless", Raster.of(weave), method="overlap", fit=f).pixels for f in (False, True))
    assert plain.shape == met.shape
    columns = met.shape[1]
    found = np.abs(np.fft.rfft(met.mean(axis=0) - met.mean()))
    assert found.max() ** 2 / (found**2).sum() > 0.97  # all of it in a whole number of threads
    assert abs(int(found.argmax()) - columns / 41.5) < 1.5
    ghost = np.abs(np.fft.rfft(plain.mean(axis=0) - plain.mean()))
    assert (ghost.max() ** 2) / (ghost**2).sum() < 0.93
    assert met.std() > 0.97 * weave.std() and good(met)


@pytest.mark.parametrize("name", ["brick", "grass", "gravel"])
def test_a_strip_repeats_one_way_and_keeps_it_through_later_steps(name: str) -> None:
    """Seamless, soften, sharpen, size, falloff above and below: its seam across is still good."""
    steps = (
        Step.make("seamless", axis="across"), Step.make("soften", radius=0.004), Step.make("sharpen"),
        Step.make("falloff", outline="square", left=False, right=False, ragged=0.4), Step.make("size", side=300),
    )  # fmt: skip
    line, engine = line_of(open_picture(name)[:320, :400], *steps)
    raster = engine.evaluate(line, Request(exact=True)).raster
    assert raster.wrap == (True, False) and raster.flat()[0].max() == 0
    assert seam.seam(raster.flat()).over <= seam.GOOD


def test_automatic_takes_what_suits_the_mismatch() -> None:
    """A slow ramp under grass is taken out by matched borders; bricks that do not meet are cut or blended."""
    grass = open_picture("grass")[50:350, 60:360]
    ramp = (np.linspace(0, 0.6, 300, dtype=np.float32)[None] + 0.4 * grass).astype(np.float32)
    kind = Step.make("seamless").declared
    for values, wanted in ((ramp, {"borders"}), (open_picture("brick")[:256, :256], {"overlap", "cut"})):
        raster = Raster.of(np.ascontiguousarray(values))
        params = kind.params()
        assert kind.measure is not None
        found = kind.measure(raster, params, context(raster))
        assert METHODS[int(found["method"])] in wanted and "Took" in kind.tells(params, found)
