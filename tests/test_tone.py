"""Tone steps against scikit-image, formulas and identities."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import skimage.data
import skimage.exposure
import skimage.filters
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from conftest import band_limited
from engraver.core.numeric import threshold, tone
from engraver.core.raster import Raster
from engraver.core.steps import StepContext, kind_of
from engraver.core.steps.local import CoarseFine, layers
from engraver.core.steps.tone import distribution


def context(raster: Raster, **more: Any) -> StepContext:
    facts = raster.facts()
    return StepContext(facts, facts, (raster.height, raster.width), **more)


def run(id: str, raster: Raster, **values: Any) -> Raster:
    """The step on its full-size input, with what it finds by itself."""
    kind = kind_of(id)
    params, around = kind.params(**values), context(raster)
    if kind.measure is not None and kind.measures(params):
        around = context(raster, autos=kind.measure(raster, params, around))
    return kind.apply(raster, params, around)


def open_picture(name: str) -> np.ndarray:
    """One of scikit-image's open pictures as float32 grey."""
    return (getattr(skimage.data, name)() / 255).astype(np.float32)


@pytest.mark.parametrize("name", ["coins", "page", "text", "brick", "grass"])
def test_the_found_level_is_scikit_images(name: str) -> None:
    """Otsu (1979): within one of its 256 bins."""
    values = open_picture(name)
    theirs = skimage.filters.threshold_otsu(values)
    assert abs(threshold.otsu(values) - theirs) <= np.ptp(values) / 256 * 1.01


@pytest.mark.parametrize("window", [15, 31])
def test_the_local_level_is_scikit_images(window: int) -> None:
    """Sauvola and Pietikainen (2000) with R half the range: within 1e-3 off the borders, whose rule differs."""
    values = open_picture("page")
    theirs = skimage.filters.threshold_sauvola(values, window_size=window, k=0.2, r=0.5)
    ours = threshold.sauvola(values, window, 0.2, 0.5)
    edge = window
    assert np.abs(ours - theirs)[edge:-edge, edge:-edge].max() < 1e-3
    between = threshold.sauvola(values, window + 1, 0.2, 0.5)
    wider = threshold.sauvola(values, window + 2, 0.2, 0.5)
    assert np.abs(between - (ours + wider) / 2)[edge:-edge, edge:-edge].mean() < 0.004


def test_a_thresholds_border_stays_between_the_pixels() -> None:
    """A soft edge at x = 20.3: where the ramp crosses half, to a hundredth of a pixel; hard where asked."""
    x = np.arange(64) + 0.5
    edge = np.clip((x - 20.3) / 8 + 0.5, 0, 1)[None].repeat(4, 0).astype(np.float32)
    result = run("threshold", Raster.of(edge), how="level", level=0.5, softness=0.4).pixels[0]
    n = int(np.argmax(result >= 0.5))
    crossing = x[n - 1] + (0.5 - result[n - 1]) / (result[n] - result[n - 1])
    assert crossing == pytest.approx(20.3, abs=0.01)
    assert set(np.unique(run("threshold", Raster.of(edge), how="level", softness=0.0).pixels)) == {0.0, 1.0}
    band = run("threshold", Raster.of(edge), how="between", level=0.25, upper=0.75, softness=0.0).pixels[0]
    assert band[:18].max() == 0 and band[20] == 1 and band[24:].max() == 0


def test_even_pictures_have_a_level_and_stay_even() -> None:
    for grey in (0.0, 0.4, 1.0):
        flat = Raster.of(np.full((20, 30), grey, np.float32))
        for id, values in (("threshold", {}), ("threshold", {"how": "local"}), ("local-contrast", {}), ("match", {}),
                           ("sharpen", {}), ("coarse-fine", {"fine": 3.0}), ("terrace", {})):  # fmt: skip
            result = run(id, flat, **values).pixels
            assert np.isfinite(result).all() and np.ptp(result) < 1e-5, id


@given(stops=st.floats(-3, 3), gamma=st.floats(0.3, 3), mid=st.booleans())
@settings(max_examples=30, deadline=None)
def test_exposure_follows_its_formula_and_keeps_zero(stops: float, gamma: float, mid: bool) -> None:
    zero = 0.5 if mid else 0.0
    values = np.linspace(0.0, 1.0, 101, dtype=np.float32)[None].repeat(2, 0)
    raster = Raster.of(values, zero="mid" if mid else "black")
    result = run("exposure", raster, stops=stops, gamma=gamma).pixels[0].astype(np.float64)
    height = (values[0].astype(np.float64) - zero) / (1 - zero) * 2**stops
    expected = np.sign(height) * np.abs(height) ** (1 / gamma) * (1 - zero) + zero
    assert np.allclose(result, expected, rtol=2e-5, atol=2e-6)
    assert result[50 if mid else 0] == pytest.approx(zero, abs=1e-6)


def test_a_quick_power_is_a_power() -> None:
    values = np.array([-2.0, -1e-6, 0.0, 1e-5, 0.3, 1.0, 40.0], np.float32)
    for exponent in (0.4, 1.0, 2.2):
        expected = np.sign(values) * np.abs(values.astype(np.float64)) ** exponent
        assert np.allclose(tone.power(values, exponent), expected, rtol=1e-5, atol=1e-12)
        many = np.tile(values, tone.FEW // 5)  # the compiled loop
        assert np.allclose(tone.power(many, exponent)[:7], expected, rtol=4e-6, atol=1e-30)


def test_the_compiled_loops_are_their_array_forms() -> None:
    """Levels, tables and terraces on many values against the same on few."""
    rng = np.random.default_rng(3)
    many = rng.uniform(-0.5, 1.5, (300, 400)).astype(np.float32)
    for id, values in (
        ("levels", {"find": "held", "black": 0.2, "white": 0.8, "gamma": 1.7, "toe": 0.1, "out_black": 0.1}),
        ("levels", {"find": "held", "black": 0.2, "white": 0.8, "toe": 0.0, "out_white": 0.7}),
        ("curve", {"points": ((0.0, 0.1), (0.4, 0.3), (1.0, 0.8))}),
    ):
        whole = run(id, Raster.of(many), **values).pixels
        rows = np.concatenate([run(id, Raster.of(many[n : n + 1]), **values).pixels for n in range(300)])
        assert np.abs(whole - rows).max() < 5e-6


def test_terraces_are_as_many_and_the_softest_is_a_slope() -> None:
    slope = np.linspace(0, 1, 1000, dtype=np.float32)[None]
    hard = run("terrace", Raster.of(slope), levels=5, riser=0.0).pixels
    assert np.allclose(np.unique(hard.round(5)), [0, 0.25, 0.5, 0.75, 1])
    assert np.allclose(run("terrace", Raster.of(slope), levels=5, riser=1.0).pixels, slope, atol=1e-6)
    soft = run("terrace", Raster.of(slope), levels=5, riser=0.3).pixels
    assert (np.diff(soft) >= -1e-7).all()


@pytest.mark.parametrize(("own", "other"), [("brick", "grass"), ("coins", "gravel"), ("grass", "page")])
def test_matched_tones_are_the_other_plates(own: str, other: str) -> None:
    """Against scikit-image's histogram matching; and the percentiles themselves."""
    rng = np.random.default_rng(1)  # without the plateaus of eight bits, at which the two break ties differently
    pictures = open_picture(own), open_picture(other)
    a, b = ((p + rng.uniform(0, 1 / 255, p.shape)).astype(np.float32) for p in pictures)
    taken = distribution(Raster.of(b))
    result = run("match", Raster.of(a), tones=taken).pixels
    shares = np.arange(2, 99, 4)
    assert np.abs(np.percentile(result, shares) - np.percentile(b, shares)).max() < 0.01
    theirs = skimage.exposure.match_histograms(a, b)
    assert np.abs(result - theirs).mean() < 0.005
    assert np.allclose(run("match", Raster.of(a), tones=taken, amount=0.0).pixels, a)


@pytest.mark.parametrize("edges", [False, True])
def test_the_layers_add_up_to_the_plate(edges: bool) -> None:
    """Burt and Adelson (1983): the pyramid is complete; all gains 1 is the identity."""
    raster = Raster.of(band_limited(200, 260, 0.3, 3), wrap=(True, False))
    found = layers(raster, CoarseFine(edges=edges), context(raster))
    assert np.abs(sum(found) - raster.pixels).max() <= 1e-6
    assert np.abs(run("coarse-fine", raster, edges=edges).pixels - raster.pixels).max() <= 1e-6


@pytest.mark.parametrize("wrap", [(False, False), (True, True)])
def test_wide_layers_are_summed_small_as_at_full_size(wrap: tuple[bool, bool]) -> None:
    """The sum on a reduced picture against the layers themselves, by SciPy's Gaussians in float64."""
    pixels, gains = open_picture("camera"), {"coarse": 0.4, "medium": 1.6, "fine": 2.5, "finest": 0.5}
    mode = "wrap" if wrap[0] else "reflect"
    soft = [ndimage.gaussian_filter(pixels.astype(float), s, mode=mode, truncate=6) for s in (8, 32, 128)]
    finest, fine, medium, coarse = pixels - soft[0], soft[0] - soft[1], soft[1] - soft[2], soft[2]
    expected = coarse.mean() + gains["coarse"] * (coarse - coarse.mean())
    expected = expected + gains["medium"] * medium + gains["fine"] * fine + gains["finest"] * finest
    made = run("coarse-fine", Raster.of(pixels, wrap=wrap), size=0.5, **gains).pixels
    assert np.abs(made - expected).max() < 5e-4


def test_coarse_and_fine_part_bulge_from_grain() -> None:
    """A wide bulge and a fine grain: coarse 0 leaves the grain, finest and fine 0 the bulge."""
    y, x = np.mgrid[0:256, 0:256] / 256.0
    bulge, grain = 0.3 * np.cos(2 * np.pi * x) * np.cos(2 * np.pi * y), 0.05 * np.cos(2 * np.pi * 60 * x)
    raster = Raster.of((0.5 + bulge + grain).astype(np.float32), wrap=(True, True))
    without = run("coarse-fine", raster, coarse=0.0, medium=0.0, size=0.2).pixels
    assert np.corrcoef(without.ravel(), grain.ravel())[0, 1] > 0.97 and without.mean() == pytest.approx(0.5, abs=1e-3)
    smooth = run("coarse-fine", raster, fine=0.0, finest=0.0).pixels
    assert np.corrcoef(smooth.ravel(), bulge.ravel())[0, 1] > 0.999


def test_local_contrast_leaves_an_even_texture_alone() -> None:
    """An already even texture changes its spread by under 3 %; an uneven one becomes even."""
    rng = np.random.default_rng(4)
    texture = (0.5 + 0.1 * rng.standard_normal((300, 300))).astype(np.float32)
    result = run("local-contrast", Raster.of(texture), amount=1.0, size=0.1).pixels
    assert result.std() == pytest.approx(texture.std(), rel=0.03)
    fading = 0.5 + (texture - 0.5) * np.linspace(0.2, 1.8, 300, dtype=np.float32)
    even = run("local-contrast", Raster.of(fading.astype(np.float32)), amount=1.0, size=0.1).pixels
    before, after = (p[:, :60].std() / p[:, -60:].std() for p in (fading, even))
    assert before < 0.25 and after == pytest.approx(1, abs=0.12)


@pytest.mark.parametrize("size", [0.05, 0.2])
def test_a_step_gets_no_halo(size: float) -> None:
    """A step edge overshoots by at most a tenth of the step."""
    step = np.full((200, 200), 0.3, np.float32)
    step[:, 100:] = 0.7
    result = run("local-contrast", Raster.of(step), amount=1.0, size=size).pixels
    assert result.max() - 0.7 <= 0.04 and 0.3 - result.min() <= 0.04


def test_sharpening_adds_what_a_blur_takes() -> None:
    raster = Raster.of(band_limited(120, 120, 0.2, 7))
    soft = run("soften", raster, radius=0.02).pixels
    sharp = run("sharpen", raster, radius=0.02, amount=1.5).pixels
    assert np.abs(sharp - (raster.pixels + 1.5 * (raster.pixels - soft))).max() < 1e-6
    quiet = run("sharpen", raster, radius=0.02, amount=1.5, floor=0.5).pixels
    assert np.array_equal(quiet, raster.pixels)
